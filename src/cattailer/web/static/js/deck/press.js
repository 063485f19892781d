// Sends along which sample it was when a timed button was pressed, so that a run begins and ends where the finger was.
import { on } from "../page/socket.js";

const OLDEST_MS = 1000;
let last = null;

export function startPress() {
  on("frame", ({ sample, rate }) => { last = { sample, rate, at: performance.now() }; });
  document.addEventListener("htmx:configRequest", ({ detail }) => {
    if (detail.elt.dataset.timed === undefined || !last) return;
    const ago = (detail.triggeringEvent?.timeStamp ?? performance.now()) - last.at;
    if (ago < OLDEST_MS) detail.parameters.pressed = Math.round(last.sample + (ago / 1000) * last.rate);
  });
}
