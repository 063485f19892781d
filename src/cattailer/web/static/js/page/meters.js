// Cattail meters: a stem to the RMS level, a head from RMS to peak, a dot at the held peak, the
// target window as a band of water behind. Which zone a level is in comes from the engine.
import { forgetColours, paint, prepared, whenShown } from "./canvas.js";
import { on, wish } from "./socket.js";

const COLOURS = { none: "soft", below: "water", in: "reed", above: "ochre", clipped: "vermilion" };
const TICKS = [-30, -24, -18, -12, -6, -3];
const NOTHING = { peak: -200, hold: -200, rms: -200, max: -200, crest: 0, clips: 0, clipped_at: 0, zone: "none" };
// Only what is in sight is drawn, and told.
const seen = new WeakSet();
const inSight = new WeakSet();
const watcher = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) {
    if (isIntersecting) inSight.add(target);
    else inSight.delete(target);
  }
  askFor();
}, { rootMargin: "80px" });
let asked = "";
let frame = null;

// -60 to -30 dB takes the first 22 % of the length, -30 to 0 dB the rest.
export function place(db, width) {
  if (db <= -60) return 0;
  const share = db < -30 ? ((db + 60) / 30) * 0.22 : 0.22 + ((Math.min(db, 0) + 30) / 30) * 0.78;
  return share * width;
}

export function startMeters() {
  const soon = whenShown(draw);
  const again = () => { drawScale(); soon(); };
  on("frame", (latest) => { frame = latest; soon(); });
  on("open", () => {
    asked = "";
    askFor();
  });
  document.addEventListener("themechange", () => { forgetColours(); again(); });
  addEventListener("resize", again);
  drawScale();
}

// Of a meter what it reads: a channel, a pair or a mix; and the track behind whose channel it may read.
function nameOf({ dataset: { meter, track } }) {
  return track ? `${meter}/${track}` : meter;
}

function askFor() {
  const meters = [...document.querySelectorAll("canvas[data-meter]")].filter((canvas) => inSight.has(canvas)).map(nameOf);
  if (meters.join(" ") === asked) return;
  asked = meters.join(" ");
  wish({ meters });
}

function draw() {
  if (!frame) return;
  const threshold = document.getElementById("threshold")?.dataset.dbfs;
  for (const canvas of document.querySelectorAll("canvas[data-meter]")) {
    if (!seen.has(canvas)) {
      seen.add(canvas);
      watcher.observe(canvas);
    }
    if (!inSight.has(canvas)) continue;
    const now = frame.meters[nameOf(canvas)] ?? NOTHING;
    if (canvas.dataset.meter === "main") drawMeter(canvas, now, frame.window);
    else {
      drawMeter(canvas, now, canvas.dataset.window?.split(",").map(Number) ?? frame.window);
      if (threshold && canvas.closest("[data-armed]")) drawThreshold(canvas, Number(threshold));
      write(document.getElementById(canvas.dataset.peak), now);
      writeMore(document.getElementById(canvas.dataset.more), now);
    }
  }
}

function write(output, now) {
  const text = now.clips ? `×${now.clips}`.padStart(6) : now.hold <= -60 ? "–".padStart(6) : now.hold.toFixed(1).replace("-", "−").padStart(6);
  if (output.textContent === text && output.dataset.zone === now.zone) return;
  output.textContent = text;
  output.dataset.zone = now.zone;
  output.style.color = `var(--${COLOURS[now.zone]})`;
}

// What stands below the peak: RMS, crest factor and margin to clipping, or when it clipped.
function writeMore(output, now) {
  if (!output) return;
  let text = " ";
  if (now.clips) text = `clipped ${new Date(now.clipped_at * 1000).toTimeString().slice(0, 8)}`;
  else if (now.max > -60) text = `RMS${figure(now.rms)}  crest${String(Math.round(now.crest)).padStart(3)}\nto clipping${String(Math.round(-now.max)).padStart(3)} dB`;
  if (output.textContent !== text) output.textContent = text;
}

function figure(db) {
  return (db <= -60 ? "–" : String(Math.round(db)).replace("-", "−")).padStart(4);
}

function drawMeter(canvas, now, window) {
  const area = prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  const middle = height / 2;
  const head = height * 0.5;
  const [low, high] = window.map((db) => place(db, width));
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
  line(c, 0, middle, from, middle, Math.max(3, height / 14));
  c.fillStyle = colour;
  c.beginPath();
  c.roundRect(Math.max(0, from), middle - head / 2, Math.max(head * 0.55, to - from), head, head / 2);
  c.fill();
  c.fillStyle = paint("ink");
  c.beginPath();
  c.arc(Math.min(width - 3, place(now.hold, width)), middle, 3, 0, 7);
  c.fill();
}

// What counts as sound, where sound begins a capture.
function drawThreshold(canvas, dbfs) {
  const c = canvas.getContext("2d");
  const x = place(dbfs, canvas.clientWidth);
  c.strokeStyle = paint("water");
  c.setLineDash([4, 3]);
  line(c, x, 1, x, canvas.clientHeight - 1, 2);
  c.setLineDash([]);
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
