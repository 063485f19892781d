// The ruler: a press goes to a tick, a drag makes what lies between ticks the range.
import { post } from "../page/ask.js";
import { viewed } from "./lanes.js";

let from = null;

export function startRuler() {
  const ruler = document.getElementById("ruler");
  ruler.addEventListener("pointerdown", (event) => {
    from = stretchAt(event, ruler);
    ruler.setPointerCapture(event.pointerId);
  });
  ruler.addEventListener("pointerup", (event) => {
    const to = stretchAt(event, ruler);
    if (!from || !to) return;
    const start = Math.min(from[0], to[0]);
    if (from[0] === to[0]) send(ruler.dataset.locate, { position: start });
    else send(ruler.dataset.range, { start, stop: Math.max(from[1], to[1]) });
    from = null;
  });
  ruler.addEventListener("pointercancel", () => { from = null; });
}

function send(address, values) {
  post(address, values, document.getElementById("by-bars"));
}

// From the tick before to the tick after.
function stretchAt(event, ruler) {
  const view = viewed();
  if (!view) return null;
  const share = (event.clientX - ruler.getBoundingClientRect().left) / ruler.clientWidth;
  const at = view.start + Math.min(0.999, Math.max(0, share)) * (view.stop - view.start);
  const found = view.ticks.findLastIndex(([sample]) => sample <= at);
  return [view.ticks[found][0], view.ticks[found + 1]?.[0] ?? view.stop];
}
