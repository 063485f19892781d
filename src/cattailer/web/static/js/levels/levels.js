// The Levels stage: tells the server that it is open, shows what is metered, counts a check's seconds.
import { post } from "../page/ask.js";
import { leaveIfPointed } from "../page/focus.js";
import { on, tell, wish } from "../page/socket.js";

let began = 0;
let shown = "";

export function startLevels() {
  const rows = document.getElementById("rows");
  if (rows?.dataset.levels === undefined) return;
  const kind = document.getElementById("meter-kind");
  const point = document.getElementById("meter-point");
  const watch = () => wish({ levels: true });
  on("open", watch);
  setInterval(watch, 5000);
  on("levels", () => tell("again", {}));
  on("frame", (frame) => {
    const text = `${frame.kind} ${frame.point}`;
    if (shown !== text || (point.value !== frame.point && document.activeElement !== point)) {
      shown = text;
      if (document.activeElement !== kind) kind.value = frame.kind;
      if (document.activeElement !== point) point.value = frame.point;
      kind.classList.toggle("unusual", frame.kind !== "peak");
      point.classList.toggle("unusual", frame.point !== "input");
      const head = document.getElementById("peak-head");
      if (head) head.textContent = { peak: "peak", true: "true peak", vu: `0 VU: ${frame.vu_zero}`, loudness: "LUFS" }[frame.kind];
    }
    const since = document.querySelector("[data-since]");
    if (!since) began = 0;
    else {
      began = began || performance.now();
      const words = `${Math.floor((performance.now() - began) / 1000)} s`;
      if (since.textContent !== words) since.textContent = words;
    }
  });
  for (const select of [kind, point]) {
    select.addEventListener("change", () => {
      post(kind.dataset.address, { kind: kind.value, point: point.value }, kind);
      leaveIfPointed(select);
    });
  }
}
