// Both sides of a seam over each other, twelve milliseconds either way, and where they cross; it is dragged to another place.
import { askJson } from "../page/ask.js";
import { paint, prepared } from "../page/canvas.js";

let shown = null; // { start, sides } as the server found them

export async function drawSeam(panel, move) {
  const canvas = panel.querySelector("#seam-wave");
  if (!canvas) return;
  const found = await askJson(canvas.dataset.seam);
  if (!found || !canvas.isConnected) return;
  shown = found;
  draw(canvas, Number(canvas.dataset.at));
  const place = (event) => Math.round(shown.start + (event.offsetX / canvas.clientWidth) * shown.sides[0].length);
  canvas.addEventListener("pointerdown", (event) => { canvas.setPointerCapture(event.pointerId); draw(canvas, place(event)); });
  canvas.addEventListener("pointermove", (event) => { if (event.buttons) draw(canvas, place(event)); });
  canvas.addEventListener("pointerup", (event) => { if (place(event) !== Number(canvas.dataset.at)) move(Number(canvas.dataset.at), place(event)); });
}

function draw(canvas, at) {
  const area = prepared(canvas);
  if (!area || !shown?.sides[0].length) return;
  const { context: c, width, height } = area;
  const [before, after] = shown.sides;
  const loudest = Math.max(1, ...before.map(Math.abs), ...after.map(Math.abs));
  const x = (n) => (n / before.length) * width;
  const y = (value) => height / 2 - (value / loudest) * (height / 2 - 3);
  c.fillStyle = paint("lane");
  c.fillRect(0, 0, width, height);
  const [first, last] = canvas.dataset.crossing.split(",").map((n) => x(Number(n) + at - Number(canvas.dataset.at) - shown.start));
  c.fillStyle = paint("raised");
  c.fillRect(first, 0, last - first, height);
  for (const [side, ink] of [[before, "cattail"], [after, "water"]]) {
    c.strokeStyle = paint(ink);
    c.lineWidth = 1.5;
    c.globalAlpha = ink === "water" ? 0.8 : 1;
    c.beginPath();
    side.forEach((value, n) => c.lineTo(x(n), y(value)));
    c.stroke();
  }
  c.globalAlpha = 1;
  c.fillStyle = paint("ink");
  c.fillRect(x(at - shown.start) - 1, 0, 2, height);
}
