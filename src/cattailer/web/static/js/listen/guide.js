// The keyboard of guide notes: a key sounds as long as it is held down, and stays chosen until it is pressed again.
import { say } from "../page/messages.js";
import { on, wish } from "../page/socket.js";

let holding = false; // what is chosen sounds until somebody ends it
let ending = 0; // nothing sounds for ever
let down = null; // the key under the finger

export function startGuide() {
  const rows = document.getElementById("rows");
  if (!document.getElementById("keyboard")) return;
  rows.addEventListener("pointerdown", (event) => {
    const key = event.target.closest("[data-pitch]");
    if (!key || event.button) return;
    key.setPointerCapture(event.pointerId);
    sound(key);
  });
  for (const end of ["pointerup", "pointercancel"]) rows.addEventListener(end, silence);
  rows.addEventListener("keydown", (event) => {
    const key = event.target.closest("[data-pitch]");
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (key && by) beside(key, by, event);
    // Space is the transport's, but for a key that was reached by keyboard.
    if (!key || !(event.key === "Enter" || (event.key === " " && key.matches(":focus-visible")))) return;
    event.preventDefault();
    event.stopPropagation();
    if (!event.repeat) sound(key);
  });
  rows.addEventListener("keyup", ({ key }) => { if (key === "Enter" || key === " ") silence(); });
  rows.addEventListener("focusout", ({ target }) => { if (down && target === down) silence(); });
  rows.addEventListener("click", ({ target }) => {
    if (target.closest("#guide-hold, #guide-clear") && !chosen.length) say("No keys are chosen. Press one or more keys on the keyboard first.");
    else if (target.closest("#guide-hold")) hold(!holding);
    else if (target.closest("#guide-clear")) choose([]);
    const placed = target.closest("[data-guide]");
    if (placed) choose(placed.dataset.guide.split(" ").map(Number));
  });
  on("again", () => { holding = false; show(); });
  document.addEventListener("htmx:afterSettle", ({ target }) => { if (target.id === "rows") show(); });
}

let chosen = [];

function sound(key) {
  const pitch = Number(key.dataset.pitch);
  down = key;
  chosen = chosen.includes(pitch) ? chosen.filter((p) => p !== pitch) : [...chosen, pitch].sort((a, b) => a - b);
  wish({ keys: holding ? chosen : [pitch] });
  show();
}

function silence() {
  if (!down) return;
  down = null;
  if (!holding) wish({ keys: [] });
}

function hold(now) {
  holding = now && chosen.length > 0;
  wish({ keys: holding ? chosen : [] });
  clearTimeout(ending);
  if (holding) ending = setTimeout(() => hold(false), 1000 * Number(document.getElementById("keyboard").dataset.held));
  show();
}

function choose(pitches) {
  chosen = pitches;
  if (holding) hold(true);
  show();
}

function beside(key, by, event) {
  event.preventDefault();
  event.stopPropagation();
  const keys = [...document.querySelectorAll("[data-pitch]")];
  keys[keys.indexOf(key) + by]?.focus();
}

function show() {
  for (const key of document.querySelectorAll("[data-pitch]")) key.setAttribute("aria-pressed", String(chosen.includes(Number(key.dataset.pitch))));
  const names = [...document.querySelectorAll("[data-pitch]")].filter(({ dataset }) => chosen.includes(Number(dataset.pitch))).map(({ title }) => title);
  document.getElementById("guide-words").textContent = names.join(" ") || "no key chosen";
  document.getElementById("guide-keys").value = chosen.join(" ");
  const button = document.getElementById("guide-hold");
  button.setAttribute("aria-pressed", String(holding));
  button.textContent = holding ? "Let go" : "Hold these keys";
}
