// The keyboard. A key presses the button that stands for it, so both do the same. Whatever has the focus comes first: Space,
// Enter, arrows and the like belong to a control that was reached with the keyboard. A press of the mouse leaves the focus
// in the row, or it would take Space from the transport.
import { captures } from "../deck/clock.js";
import { post } from "./ask.js";
import { focusRow, leaveField } from "./focus.js";
import { say } from "./messages.js";

const PRESSED = "a[href], button, input, select, textarea, summary, audio, [role=button], #grid td";
const MOVED = `${PRESSED}, [tabindex='0']`;
const MOVES = /^(Arrow.*|Home|End|PageUp|PageDown|Delete|Backspace)$/;
const TYPED = "input:not([type=checkbox], [type=radio], [type=button], [type=range]), textarea, select";
let row = -1;

export function startKeys() {
  document.addEventListener("mousedown", leaveInRow);
  document.addEventListener("keydown", (event) => {
    const typing = event.target.closest(TYPED);
    if (typing) {
      if (event.key === "Enter" && (typing.classList.contains("typed") || (typing.dataset.was !== undefined && !typing.form))) leaveField(typing);
      if (event.key === "Escape" && typing.dataset.was !== undefined) { typing.value = typing.dataset.was; leaveField(typing); }
      return;
    }
    if (document.querySelector("dialog[open]")) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      press(event.shiftKey ? "redo" : "undo");
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (isOwnKey(event)) return;
    if (!lettersAreKeys() && /^[a-zA-Z0-9?+\-/,.[\]]$/.test(event.key)) return;
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

// Whether a key is that of the control that has the focus. Shift+Space captures wherever nothing is typed.
export function isOwnKey({ key, shiftKey, target }) {
  if (key === " " || key === "Enter") return !(key === " " && shiftKey) && target.closest(PRESSED) !== null;
  return MOVES.test(key) && target.closest(MOVED) !== null;
}

// Letters and figures on their own are keys, unless somebody who speaks or stumbles switched that off.
export function lettersAreKeys() {
  return localStorage.getItem("letters") !== "off";
}

// Buttons and boxes work without taking the focus from where it is; a field that is left so is left.
function leaveInRow(event) {
  const control = event.target.closest("button, a[href], input[type=checkbox], input[type=radio], label, summary");
  if (event.button || !control || control.closest("dialog") || control.matches("label") && !control.querySelector("[type=checkbox], [type=radio]")) return;
  if (event.target.closest(TYPED) || control.draggable || control.closest("[draggable=true]")) return;
  event.preventDefault();
  if (document.activeElement?.matches(TYPED)) document.activeElement.blur();
  const home = control.closest(".row, [data-row]");
  if (home && !home.contains(document.activeElement)) focusRow(home);
  else if (!home && document.activeElement?.matches("button, a[href], [type=checkbox], [type=radio]")) document.activeElement.blur();
}

function find({ key, code, shiftKey }) {
  const capturing = captures();
  const { state } = document.body.dataset;
  if (code === "Space" && state === "counting") return () => press("stop-count");
  if (code === "Space" && state === "waiting") return () => press(shiftKey ? "begin-now" : "stop-waiting");
  if (code === "Space" && shiftKey) return () => press(capturing ? "stop-capture" : "capture");
  if (code === "Space") return () => press(capturing ? "stop-capture" : state === "stopped" ? "roll" : "stop");
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

// The row itself has the focus, so single keys act on it; Tab goes to its controls.
function step(by) {
  const rows = [...document.querySelectorAll("#rows .row:not(.row-head)")];
  if (!rows.length) return;
  const here = rows.indexOf(document.activeElement?.closest(".row"));
  row = Math.min(rows.length - 1, Math.max(0, (here >= 0 ? here : row) + by));
  focusRow(rows[row]);
  rows[row].scrollIntoView({ block: "nearest" });
}

function armRow() {
  const rows = [...document.querySelectorAll("#rows .row")];
  const box = (document.activeElement?.closest(".row") ?? rows[row])?.querySelector(".arm");
  if (box) box.click();
  else if (document.querySelector(".arm")) say("No row is chosen. Go to one with J and K, then press X.");
}

function armAll() {
  const rows = document.getElementById("rows");
  if (!rows?.dataset.armAll) return;
  const all = [...document.querySelectorAll(".arm")].every((box) => box.checked);
  post(rows.dataset.armAll, { armed: String(!all) });
}

// What is pressed while a request is on its way goes out together with the next one.
let barsWanted = 0;
function bars(by) {
  barsWanted += by;
  const source = document.getElementById("by-bars");
  post(source.dataset.post, () => {
    const values = { bars: barsWanted };
    barsWanted = 0;
    return values.bars ? values : null;
  }, source);
}

function changeTheme() {
  const root = document.documentElement;
  root.dataset.theme = root.dataset.theme === "night" ? "day" : "night";
  localStorage.setItem("theme", root.dataset.theme);
  document.dispatchEvent(new Event("themechange"));
}
