// Lanes: sixteen bars of the timeline with what is there in ink, what is being captured in
// vermilion, and the playhead. The stretch and its bars come from the server.
import { LIFT, paint, prepared } from "./canvas.js";
import { on } from "./socket.js";

const COLUMNS = 400;
let view = null; // {start, stop, bars, tracks}
let live = new Map(); // track → [[first sample, samples per pair, pairs]]
let liveRun = null;
let position = 0;
let state = "stopped";
let asked = null;
let stale = true;

export function startLanes() {
  const rows = document.getElementById("rows");
  if (!rows?.dataset.lanes) return;
  on("frame", (frame) => {
    if (frame.position !== position || frame.state !== state) stale = true;
    position = frame.position;
    state = frame.state;
    if (view && (position < view.start || position >= view.stop)) fetchView(rows);
  });
  on("wave", addLive);
  on("revision", () => fetchView(rows, true));
  on("again", () => fetchView(rows, true));
  document.addEventListener("themechange", () => { stale = true; });
  addEventListener("resize", () => { stale = true; });
  document.addEventListener("htmx:afterSettle", () => { stale = true; });
  rows.addEventListener("click", (event) => {
    const lane = event.target.closest("canvas[data-lane]");
    if (!lane || !view) return;
    const share = (event.clientX - lane.getBoundingClientRect().left) / lane.clientWidth;
    const there = Math.round(view.start + share * (view.stop - view.start));
    htmx.ajax("POST", rows.dataset.locate, { values: { position: there }, swap: "none", source: rows });
  });
  fetchView(rows);
  requestAnimationFrame(draw);
}

async function fetchView(rows, force = false) {
  const at = Math.max(0, position);
  if (!force && asked && performance.now() - asked < 300) return;
  asked = performance.now();
  const answer = await fetch(`${rows.dataset.lanes}?at=${at}&columns=${COLUMNS}`);
  if (!answer.ok) return;
  view = await answer.json();
  if (state !== "capturing") live = new Map();
  stale = true;
}

function addLive(wave) {
  if (wave.run !== liveRun) {
    liveRun = wave.run;
    live = new Map();
  }
  for (const [track, pairs] of wave.tracks) {
    if (!live.has(track)) live.set(track, []);
    live.get(track).push([wave.start + wave.bucket * wave.size, wave.size, pairs]);
  }
  stale = true;
}

function draw() {
  requestAnimationFrame(draw);
  if (!view || !stale) return;
  stale = false;
  for (const canvas of document.querySelectorAll("canvas[data-lane]")) drawLane(canvas);
  drawRuler();
}

function across(sample, width) {
  return ((sample - view.start) / (view.stop - view.start)) * width;
}

function drawLane(canvas) {
  const area = prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  const track = Number(canvas.dataset.lane);
  c.fillStyle = paint("lane");
  c.fillRect(0, 0, width, height);
  c.fillStyle = paint("rule");
  for (const [bar, at] of view.bars) c.fillRect(Math.round(across(at, width)), 0, (bar - 1) % 4 ? 1 : 2, height);
  const pairs = view.tracks[track];
  if (pairs) {
    c.fillStyle = paint("soft");
    const step = width / COLUMNS;
    for (let n = 0; n < COLUMNS; n += 1) {
      const low = pairs[2 * n];
      const high = pairs[2 * n + 1];
      if (low || high) bar(c, n * step, step, low / 127, high / 127, height);
    }
  }
  drawLive(c, live.get(track), width, height);
  c.fillStyle = paint(state === "capturing" ? "vermilion" : "ink");
  c.fillRect(Math.round(across(position, width)) - 0.75, 0, 1.5, height);
}

function drawLive(c, pieces, width, height) {
  if (!pieces) return;
  const first = across(pieces[0][0], width);
  const last = pieces[pieces.length - 1];
  const end = across(last[0] + (last[1] * last[2].length) / 2, width);
  c.fillStyle = paint("lane");
  c.fillRect(first, 0, end - first, height);
  c.fillStyle = paint("vermilion");
  let x = null;
  let low = 0;
  let high = 0;
  for (const [start, size, pairs] of pieces) {
    for (let n = 0; n < pairs.length; n += 2) {
      const here = Math.floor(across(start + (n / 2) * size, width));
      if (here !== x) {
        if (x !== null && x >= 0 && x <= width) bar(c, x, 1, low, high, height);
        x = here;
        low = 0;
        high = 0;
      }
      low = Math.min(low, pairs[n] / 32767);
      high = Math.max(high, pairs[n + 1] / 32767);
    }
  }
  c.fillRect(first, height - 2, end - first, 2);
}

function bar(c, x, step, low, high, height) {
  const middle = height / 2;
  const top = Math.max(0, high) ** LIFT * (middle - 2);
  const bottom = Math.max(0, -low) ** LIFT * (middle - 2);
  c.fillRect(x, middle - top, Math.max(1, step), Math.max(1, top + bottom));
}

function drawRuler() {
  const canvas = document.getElementById("ruler");
  const area = canvas && prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  c.fillStyle = paint("soft");
  c.font = "12px 'Hyperlegible Mono'";
  for (const [number, at] of view.bars) {
    const x = Math.round(across(at, width));
    const long = (number - 1) % 4 === 0;
    c.fillRect(x, height - (long ? 8 : 4), long ? 2 : 1, long ? 8 : 4);
    if (long) c.fillText(`bar ${number}`, x + 5, height - 5);
  }
}
