// The ruler: a press goes to a bar, a drag makes the bars that it went over the range.
import { viewed } from "./lanes.js";

let from = null;

export function startRuler() {
  const ruler = document.getElementById("ruler");
  ruler.addEventListener("pointerdown", (event) => {
    from = barAt(event, ruler);
    ruler.setPointerCapture(event.pointerId);
  });
  ruler.addEventListener("pointerup", (event) => {
    const to = barAt(event, ruler);
    if (from === null || to === null) return;
    const [first, last] = [Math.min(from, to), Math.max(from, to)];
    if (first === last) send(ruler.dataset.bars, { to: first });
    else send(ruler.dataset.range, { first, last });
    from = null;
  });
  ruler.addEventListener("pointercancel", () => { from = null; });
}

function send(address, values) {
  htmx.ajax("POST", address, { values, swap: "none", source: document.getElementById("by-bars") });
}

function barAt(event, ruler) {
  const view = viewed();
  if (!view) return null;
  const share = (event.clientX - ruler.getBoundingClientRect().left) / ruler.clientWidth;
  const at = view.start + Math.min(0.999, Math.max(0, share)) * (view.stop - view.start);
  return view.bars.findLast(([, sample]) => sample <= at)?.[0] ?? view.bars[0][0];
}
