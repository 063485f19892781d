// A locked run ends only where its button, or Space, is held for a second: a brush of the hand ends no take.
import { captures } from "./clock.js";
import { say } from "../page/messages.js";

const HOLD_MS = 1000;
const ENDS = "[data-press=stop-capture], [data-press=again], [data-press=punch-out]";
let timer = null;
let held = false;

export function startHolding() {
  document.addEventListener("click", (event) => {
    if (!event.target.closest?.(ENDS) || held || !document.getElementById("holds")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    say("This run is locked. Hold Stop, or Space, for a second.", "said");
  }, true);
  document.addEventListener("pointerdown", ({ target }) => begin(target.closest?.(ENDS)));
  document.addEventListener("keydown", ({ code, repeat }) => {
    if (code === "Space" && !repeat) begin(document.querySelector("[data-press=stop-capture]"));
  }, true);
  for (const end of ["pointerup", "pointercancel", "keyup", "blur"]) addEventListener(end, () => clearTimeout(timer), true);
}

function begin(button) {
  clearTimeout(timer);
  if (!button || !document.getElementById("holds") || !captures()) return;
  timer = setTimeout(() => {
    held = true;
    button.click();
    held = false;
  }, HOLD_MS);
}
