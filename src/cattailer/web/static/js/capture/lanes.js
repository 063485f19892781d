// Lanes: a page of the timeline with what is there in ink and what is being captured in
// vermilion. The stretch and its ticks come from the server. A lane is drawn whole only when
// something changed; while capturing, only the columns that are new.
import { askJson, post } from "../page/ask.js";
import { LIFT, paint, prepared, whenShown } from "../page/canvas.js";
import { on } from "../page/socket.js";

const COLUMNS = 400;
const AFTER_ROWS_MS = 250;
let view = null; // {start, stop, ticks, tracks}
let live = new Map(); // track → [[first sample, samples per pair, pairs]]
let liveRun = null;
let position = 0;
let state = "stopped";
let asked = -Infinity;
let soon = 0;
let stale = true;
const drawSoon = whenShown(draw);

export function viewed() {
  return view;
}

export function startLanes() {
  const rows = document.getElementById("rows");
  if (!rows?.dataset.lanes) return;
  on("frame", (frame) => {
    position = frame.position;
    if (frame.state !== state) {
      state = frame.state;
      stale = true;
    }
    drawSoon();
    if (view && (position < view.start || position >= view.stop)) fetchView(rows);
  });
  on("wave", addLive);
  on("event", ({ kind, at, samples, track }) => {
    if (!view) return;
    if (kind === "dropout") view.dropouts.push([at, samples, [...live.keys()]]);
    else if (kind === "clip") view.clips.push([at, track]);
    else return;
    redraw();
  });
  for (const topic of ["revision", "again"]) on(topic, () => fetchSoon(rows));
  document.addEventListener("themechange", redraw);
  addEventListener("resize", redraw);
  document.addEventListener("htmx:afterSettle", redraw);
  rows.addEventListener("click", (event) => locate(event, rows));
  fetchView(rows);
}

function redraw() {
  stale = true;
  drawSoon();
}

function locate(event, rows) {
  const lane = event.target.closest("canvas[data-lane]");
  if (!lane || !view) return;
  const share = (event.clientX - lane.getBoundingClientRect().left) / lane.clientWidth;
  const there = Math.round(view.start + share * (view.stop - view.start));
  post(rows.dataset.locate, { position: there });
}

// The rows, which show what was pressed, come first: worked out at the same time, both would come late.
function fetchSoon(rows) {
  clearTimeout(soon);
  soon = setTimeout(fetchView, AFTER_ROWS_MS, rows, true);
}

async function fetchView(rows, force = false) {
  if (!force && performance.now() - asked < 300) return;
  asked = performance.now();
  const found = await askJson(`${rows.dataset.lanes}?at=${position}&columns=${COLUMNS}`);
  if (!found) return;
  view = found;
  if (state !== "capturing") live = new Map();
  for (const [track, pieces] of live) live.set(track, pieces.filter((piece) => endOf(piece) > view.start));
  redraw();
}

function addLive(wave) {
  const run = wave.run.split("-late")[0]; // tracks that were armed in mid-run tell of themselves, as parts of it
  if (run !== liveRun) {
    liveRun = run;
    live = new Map();
  }
  for (const [track, pairs] of wave.tracks) {
    const piece = [wave.start + wave.bucket * wave.size, wave.size, pairs];
    // The next pass of a loop draws over the one before.
    if (!live.has(track) || piece[0] < live.get(track).at(-1)?.[0]) live.set(track, []);
    live.get(track).push(piece);
    const canvas = document.getElementById(`lane-${track}`);
    if (view && canvas && !stale) drawPieces(canvas, [piece]);
  }
}

function endOf([start, size, pairs]) {
  return start + (size * pairs.length) / 2;
}

function draw() {
  if (!view) return;
  movePlayhead();
  if (!stale) return;
  stale = false;
  for (const canvas of document.querySelectorAll("canvas[data-lane]")) drawLane(canvas);
  drawRuler();
}

function across(sample, width) {
  return ((sample - view.start) / (view.stop - view.start)) * width;
}

// One line through all lanes, moved without drawing anything again.
function movePlayhead() {
  const head = document.getElementById("playhead");
  const ruler = document.getElementById("ruler");
  const inside = position >= view.start && position < view.stop;
  head.hidden = !inside;
  head.style.transform = `translateX(${ruler.offsetLeft + across(position, ruler.clientWidth)}px)`;
}

function drawLane(canvas) {
  const area = prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  ground(c, 0, width, width, height);
  const pairs = view.tracks[canvas.dataset.lane];
  if (pairs) {
    c.fillStyle = paint("soft");
    const step = width / COLUMNS;
    for (let n = 0; n < COLUMNS; n += 1) {
      if (pairs[2 * n] || pairs[2 * n + 1]) column(c, n * step, step, pairs[2 * n] / 127, pairs[2 * n + 1] / 127, height);
    }
  }
  const pieces = live.get(Number(canvas.dataset.lane));
  if (pieces) drawPieces(canvas, pieces);
  c.fillStyle = paint("vermilion");
  for (const [at, samples, tracks] of view.dropouts) {
    if (!tracks.includes(Number(canvas.dataset.lane))) continue;
    c.globalAlpha = 0.55;
    c.fillRect(Math.round(across(at, width)) - 1, 0, Math.max(3, across(samples + view.start, width)), height);
    c.globalAlpha = 1;
  }
  drawClips(canvas, c, width, height);
}

// A clip is a full stroke from the top, where it happened.
function drawClips(canvas, c, width, height) {
  c.fillStyle = paint("vermilion");
  for (const [at, track] of view.clips) {
    if (track !== Number(canvas.dataset.lane)) continue;
    const x = Math.round(across(at, width));
    c.fillRect(x - 1, 0, 2, height / 2);
    c.fillRect(x - 4, 0, 8, 4);
  }
}

// The empty lane between two places: its colour and the bar lines.
function ground(c, from, to, width, height) {
  c.fillStyle = paint("lane");
  c.fillRect(from, 0, to - from, height);
  c.fillStyle = paint("rule");
  for (const [at, , long] of view.ticks) {
    const x = Math.round(across(at, width));
    if (x >= from && x < to) c.fillRect(x, 0, long ? 2 : 1, height);
  }
}

function drawPieces(canvas, pieces) {
  const c = canvas.getContext("2d");
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  const last = pieces[pieces.length - 1];
  const from = Math.floor(across(pieces[0][0], width));
  const to = Math.ceil(across(endOf(last), width));
  ground(c, Math.max(0, from), to, width, height);
  c.fillStyle = paint("vermilion");
  let x = null;
  let low = 0;
  let high = 0;
  for (const [start, size, pairs] of pieces) {
    for (let n = 0; n < pairs.length; n += 2) {
      const here = Math.floor(across(start + (n / 2) * size, width));
      if (here !== x) {
        if (x !== null) column(c, x, 1, low, high, height);
        x = here;
        low = high = 0;
      }
      low = Math.min(low, pairs[n] / 32767);
      high = Math.max(high, pairs[n + 1] / 32767);
    }
  }
  if (x !== null) column(c, x, 1, low, high, height);
  c.fillRect(Math.max(0, from), height - 2, to - Math.max(0, from), 2);
}

function column(c, x, step, low, high, height) {
  const middle = height / 2;
  const top = Math.max(0, high) ** LIFT * (middle - 2);
  const bottom = Math.max(0, -low) ** LIFT * (middle - 2);
  c.fillRect(x, middle - top, Math.max(1, step), Math.max(1, top + bottom));
}

function drawRuler() {
  const canvas = document.getElementById("ruler");
  const area = prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  c.fillStyle = paint("soft");
  c.font = "12px 'Hyperlegible Mono'";
  if (view.range) {
    const [from, to] = view.range.map((at) => across(at, width));
    c.fillStyle = paint("water");
    c.fillRect(from, height - 4, to - from, 4);
    c.fillStyle = paint("soft");
  }
  for (const [at, label, long] of view.ticks) {
    const x = Math.round(across(at, width));
    c.fillRect(x, height - (long ? 8 : 4), long ? 2 : 1, long ? 8 : 4);
    if (long && x + 52 < width) c.fillText(label, x + 5, height - 5);
  }
  for (const [at, kind] of view.marks) {
    c.fillStyle = paint({ mishap: "vermilion", preamp: "ochre" }[kind] ?? "water");
    c.fillText("▾", Math.round(across(at, width)) - 4, 10);
  }
  c.fillStyle = paint("vermilion");
  for (const [at] of view.dropouts) c.fillText("✗", Math.round(across(at, width)) - 4, 10);
}
