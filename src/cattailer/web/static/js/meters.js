// Cattail meters: a stem to the RMS level, a head from RMS to peak, a dot at the held peak, the
// target window as a band of water behind. Which zone a level is in comes from the engine.
import { forgetColours, paint, prepared } from "./canvas.js";
import { on } from "./socket.js";

const COLOURS = { none: "soft", below: "water", in: "reed", above: "ochre", clipped: "vermilion" };
const TICKS = [-30, -24, -18, -12, -6, -3];
const RANK = ["none", "below", "in", "above", "clipped"];
let frame = null;
let drawn = null;

// -60 to -30 dB takes the first 22 % of the length, -30 to 0 dB the rest.
export function place(db, width) {
  if (db <= -60) return 0;
  const share = db < -30 ? ((db + 60) / 30) * 0.22 : 0.22 + ((Math.min(db, 0) + 30) / 30) * 0.78;
  return share * width;
}

export function startMeters() {
  on("frame", (latest) => { frame = latest; });
  document.addEventListener("themechange", () => { forgetColours(); drawn = null; drawScale(); });
  addEventListener("resize", () => { drawn = null; drawScale(); });
  drawScale();
  requestAnimationFrame(draw);
}

function draw() {
  requestAnimationFrame(draw);
  if (!frame || frame === drawn) return;
  drawn = frame;
  for (const canvas of document.querySelectorAll("canvas[data-meter]")) {
    const which = canvas.dataset.meter;
    if (which === "main") drawMeter(canvas, level(frame.main, [0, 1]), 14);
    else {
      const now = level(frame.inputs, which.split(",").filter(Boolean).map(Number));
      drawMeter(canvas, now, 22);
      write(document.getElementById(`peak-${canvas.id.slice(6)}`), now);
    }
  }
}

// A pair is shown by its louder side.
function level(meters, channels) {
  const most = (name) => Math.max(-200, ...channels.map((c) => meters[name][c] ?? -200));
  const zone = channels.map((c) => meters.zone[c] ?? "none").sort((a, b) => RANK.indexOf(b) - RANK.indexOf(a))[0] ?? "none";
  return { peak: most("peak"), hold: most("hold"), rms: most("rms"), clips: channels.reduce((n, c) => n + (meters.clips[c] ?? 0), 0), zone };
}

function write(output, now) {
  const text = now.clips ? `×${now.clips}`.padStart(6) : now.hold <= -60 ? "–".padStart(6) : now.hold.toFixed(1).replace("-", "−").padStart(6);
  if (output.textContent === text && output.dataset.zone === now.zone) return;
  output.textContent = text;
  output.dataset.zone = now.zone;
  output.style.color = `var(--${COLOURS[now.zone]})`;
}

function drawMeter(canvas, now, head) {
  const area = prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  const middle = height / 2;
  const [low, high] = frame.window.map((db) => place(db, width));
  c.fillStyle = paint("band");
  c.beginPath();
  c.moveTo(low, 3);
  c.quadraticCurveTo((low + high) / 2, 6, high, 2);
  c.lineTo(high, height - 4);
  c.quadraticCurveTo((low + high) / 2, height - 1, low, height - 4);
  c.closePath();
  c.fill();
  c.strokeStyle = paint("rule");
  line(c, 0, middle, width, middle, 1.5);
  for (const tick of TICKS) line(c, place(tick, width), height - 5, place(tick, width), height - 1, 1);
  if (now.peak <= -60) return;
  const colour = paint(COLOURS[now.zone]);
  const from = place(now.rms, width);
  const to = Math.max(place(now.peak, width), from);
  c.strokeStyle = colour;
  line(c, 0, middle, from, middle, 3);
  c.fillStyle = colour;
  c.beginPath();
  c.roundRect(Math.max(0, from), middle - head / 2, Math.max(head * 0.55, to - from), head, head / 2);
  c.fill();
  c.fillStyle = paint("ink");
  c.beginPath();
  c.arc(Math.min(width - 3, place(now.hold, width)), middle, 3, 0, 7);
  c.fill();
}

function drawScale() {
  const canvas = document.getElementById("scale");
  const area = canvas && prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  c.fillStyle = paint("soft");
  c.font = "12px 'Hyperlegible Mono'";
  c.textAlign = "center";
  let free = 0;
  for (const tick of [-30, -18, -12, -6]) {
    const x = place(tick, width);
    if (x - 14 < free) continue;
    c.fillText(`−${-tick}`, x, height - 6);
    free = x + 14;
  }
}

function line(c, x1, y1, x2, y2, thickness) {
  c.lineWidth = thickness;
  c.beginPath();
  c.moveTo(x1, y1);
  c.lineTo(x2, y2);
  c.stroke();
}

document.fonts?.ready.then(drawScale);
