// The keyboard. A key presses the button that stands for it, so both do the same.
import { captures } from "../deck/clock.js";

let row = -1;
let barsWanted = 0;
let barsOnTheWay = false;
let onControl = false; // the focus was put there with Tab, so Space belongs to that control

export function startKeys() {
  document.addEventListener("pointerdown", () => { onControl = false; }, true);
  document.addEventListener("keydown", (event) => {
    if (event.key === "Tab") onControl = true;
    const typing = event.target.closest("input:not([type=checkbox]), textarea, select");
    if (typing) {
      if (event.key === "Enter" && (typing.classList.contains("typed") || (typing.dataset.was !== undefined && !typing.form))) typing.blur();
      if (event.key === "Escape" && typing.dataset.was !== undefined) { typing.value = typing.dataset.was; typing.blur(); }
      return;
    }
    if (document.querySelector("dialog[open]")) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      press(event.shiftKey ? "redo" : "undo");
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (!lettersAreKeys() && /^[a-zA-Z0-9?]$/.test(event.key)) return;
    const action = find(event);
    if (action) { event.preventDefault(); action(); }
  });
  const letters = document.getElementById("letters");
  letters.checked = lettersAreKeys();
  letters.addEventListener("change", () => localStorage.setItem("letters", letters.checked ? "on" : "off"));
  document.addEventListener("click", ({ target }) => {
    const name = target.closest("[data-press]")?.dataset.press;
    if (name === "theme") changeTheme();
    if (name === "keys") document.getElementById("keys").showModal();
    if (name === "arm-all") armAll();
  });
}

// Letters and figures on their own are keys, unless somebody who speaks or stumbles switched that off.
function lettersAreKeys() {
  return localStorage.getItem("letters") !== "off";
}

function find({ key, code, shiftKey, target }) {
  const capturing = captures();
  const waiting = document.body.dataset.state === "waiting";
  const counting = document.body.dataset.state === "counting";
  const stopped = document.body.dataset.state === "stopped";
  if (code === "Space" && counting) return () => press("stop-count");
  if (code === "Space" && waiting) return () => press(shiftKey ? "begin-now" : "stop-waiting");
  if (code === "Space" && shiftKey) return () => press(capturing ? "stop-capture" : "capture");
  // Space is the transport's, but for a control that was reached with Tab.
  if (code === "Space" && !(onControl && target.closest("button, a, input"))) return () => press(capturing ? "stop-capture" : stopped ? "roll" : "stop");
  if (/^[1-8]$/.test(key)) return () => document.querySelector(`[data-key="${key}"]`)?.click();
  return {
    j: () => step(1),
    k: () => step(-1),
    x: armRow,
    t: () => press("tap"),
    b: () => press("keep"),
    a: () => { if (capturing) press("again"); },
    u: () => { if (capturing) press("punch-out"); },
    r: () => press("play-last"),
    w: () => press("how"),
    y: () => press("compare"),
    n: () => press("mark"), N: () => press("mishap"),
    "+": () => press("rate-good"), "/": () => press("rate-maybe"), "-": () => press("rate-no"),
    Delete: () => press("discard"),
    ",": () => press("range-from"), ".": () => press("range-to"),
    X: armAll,
    p: () => press("click"),
    i: () => press("count"),
    o: () => press("loop"),
    c: () => press(document.querySelector('[data-press="check-end"]') ? "check-end" : "check-begin"),
    g: () => press("grid"),
    h: () => press("listen"),
    Home: () => press("home"), ArrowLeft: () => bars(-1), ArrowRight: () => bars(1),
    "?": () => document.getElementById("keys").showModal(),
  }[key];
}

function press(name) {
  document.querySelector(`[data-press="${name}"]`)?.click();
}

function step(by) {
  const rows = [...document.querySelectorAll("#rows .row:not(.row-head)")];
  if (!rows.length) return;
  row = Math.min(rows.length - 1, Math.max(0, row + by));
  (rows[row].querySelector(".arm, [data-play], .grip, .tick") ?? rows[row]).focus();
  rows[row].scrollIntoView({ block: "nearest" });
}

function armRow() {
  const rows = [...document.querySelectorAll("#rows .row")];
  const here = document.activeElement?.closest(".row") ?? rows[row];
  here?.querySelector(".arm")?.click();
}

function armAll() {
  const rows = document.getElementById("rows");
  if (!rows?.dataset.armAll) return;
  const all = [...document.querySelectorAll(".arm")].every((box) => box.checked);
  htmx.ajax("POST", rows.dataset.armAll, { swap: "none", values: { armed: String(!all) }, source: rows });
}

// What is pressed while a request is on its way goes out together with the next one, so no press is lost.
async function bars(by) {
  barsWanted += by;
  if (barsOnTheWay) return;
  barsOnTheWay = true;
  const source = document.getElementById("by-bars");
  try {
    while (barsWanted) {
      const values = { bars: barsWanted };
      barsWanted = 0;
      await htmx.ajax("POST", source.dataset.post, { values, swap: "none", source });
    }
  } finally {
    barsOnTheWay = false;
  }
}

function changeTheme() {
  const root = document.documentElement;
  root.dataset.theme = root.dataset.theme === "night" ? "day" : "night";
  localStorage.setItem("theme", root.dataset.theme);
  document.dispatchEvent(new Event("themechange"));
}
