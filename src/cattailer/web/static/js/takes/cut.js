// Cut and join: what is in use as a picture, from the whole song to single samples. Pieces are trimmed, moved and joined by hand
// or by keys; where an edit lands, and what becomes of it, is the server's to say.
import { askJson, askText, post as send } from "../page/ask.js";
import { isOwnKey, lettersAreKeys } from "../page/keys.js";
import { say } from "../page/messages.js";
import { forgetColours, paint } from "../page/canvas.js";
import { on } from "../page/socket.js";
import { LANE, layerAt, overview, picture, rowOf } from "./cutpicture.js";
import { drawSeam } from "./seamwave.js";

const GRIP = 7;
const LEAST = 24; // samples: nearer than that there is nothing to see
let cut = null;
let rate = 48000;
let window_ = null; // [start, stop) of what is shown
let whole = [];
let wholeOf = "";
let wave = { layers: [] };
let waveOf = "";
let position = 0;
let chosen = null; // the piece's key, which it keeps wherever it is moved
let stretch = null; // [start, stop) chosen in the strip
let drag = null;
let asking = 0;
let revision = 0;

export function startCut() {
  cut = document.getElementById("cut");
  if (!cut) return;
  rate = Number(document.body.dataset.rate);
  const canvas = document.getElementById("cut-wave");
  canvas.addEventListener("pointerdown", grab);
  canvas.addEventListener("pointermove", moveOver);
  for (const over of ["pointerup", "pointercancel"]) canvas.addEventListener(over, letGo);
  canvas.addEventListener("wheel", roll, { passive: false });
  canvas.addEventListener("dblclick", () => act("split"));
  document.getElementById("cut-overview").addEventListener("pointerdown", ({ offsetX, target }) => {
    const middle = (offsetX / target.clientWidth) * end();
    show(middle - span() / 2, span());
  });
  cut.addEventListener("click", ({ target }) => {
    const button = target.closest("[data-zoom]");
    if (!button) return;
    const by = Number(button.dataset.zoom);
    if (by) zoom(by > 0 ? 2 : 0.5);
    else show(0, end());
  });
  document.addEventListener("keydown", key, true); // before the keys that every page has
  document.addEventListener("click", ({ target }) => {
    const button = target.closest("[data-cut]");
    if (button) act(button.dataset.cut);
    const piece = target.closest("[data-piece]");
    if (piece) choose(Number(piece.dataset.piece), true);
  });
  document.addEventListener("htmx:afterSettle", ({ target }) => { if (target.id === "rows") again(); });
  document.addEventListener("themechange", () => { forgetColours(); draw(); });
  addEventListener("resize", () => { waveOf = ""; fetchWave(); });
  on("frame", (frame) => { position = frame.position; draw(); });
  again();
}

function pieces() {
  return [...document.querySelectorAll("[data-piece]")].map((line) => ({
    key: Number(line.dataset.piece), start: Number(line.dataset.start), stop: Number(line.dataset.stop), number: line.dataset.number,
    fades: line.dataset.fades.split(",").map((ms) => (Number(ms) * rate) / 1000), crossing: line.dataset.crossing.split(",").map(Number),
    meets: Number(line.dataset.meets), layer: Number(line.dataset.layer), line,
  }));
}

function ticks() {
  return (document.getElementById("cut-pieces")?.dataset.ticks || "").split(",").filter(Boolean).map(Number);
}

function end() {
  return Math.max(rate, Number(document.getElementById("cut-pieces")?.dataset.stop || 0) * 1.02);
}

function span() {
  return window_[1] - window_[0];
}

function again() {
  revision += 1;
  if (!window_) window_ = [0, Math.ceil(end())];
  const all = pieces();
  if (chosen !== null && !all.some((p) => p.key === chosen)) chosen = null; // it is gone; no other one is chosen for it
  lookAt();
  fetchWave();
}

function chosenStart() {
  return pieces().find((p) => p.key === chosen)?.start ?? null;
}

function show(start, length) {
  const most = end();
  const wanted = Math.min(Math.max(length, LEAST), most);
  const first = Math.max(0, Math.min(start, most - wanted));
  window_ = [Math.floor(first), Math.ceil(first + wanted)];
  fetchWave();
}

// Around what is chosen, where it is in sight; else around the playhead, else the middle.
function zoom(by, around = null) {
  const inSight = (at) => at !== null && at >= window_[0] && at < window_[1];
  const middle = around ?? [chosenStart(), position].find(inSight) ?? (window_[0] + window_[1]) / 2;
  const share = (middle - window_[0]) / span();
  show(middle - span() * by * share, span() * by);
}

function fetchWave() {
  draw();
  clearTimeout(asking);
  asking = setTimeout(async () => {
    const canvas = document.getElementById("cut-wave");
    const of = `${cut.dataset.wave}?track=${cut.dataset.track}`;
    if (wholeOf !== String(revision)) {
      const wanted = String(revision);
      const found = await askJson(`${of}&start=0&stop=${Math.ceil(end())}&columns=${Math.max(100, Math.min(1600, canvas.clientWidth))}`);
      if (found) { whole = found[0]; wholeOf = wanted; }
    }
    const wanted = `${revision} ${window_} ${canvas.clientWidth}`;
    if (waveOf !== wanted && canvas.clientWidth) {
      const columns = Math.min(canvas.clientWidth, span());
      const shown = [...window_];
      const found = await askJson(`${of}&start=${shown[0]}&stop=${shown[1]}&columns=${columns}&by_layer=${pieces().some((p) => p.layer)}`);
      if (found) { wave = { layers: found, of: shown }; waveOf = wanted; }
    }
    draw();
  }, 30);
}

function draw() {
  const canvas = document.getElementById("cut-wave");
  picture(canvas, { window: window_, pieces: pieces(), chosen, stretch, wave, position, ticks: ticks() });
  overview(document.getElementById("cut-overview"), { window: window_, pieces: pieces(), whole, position, end: end() });
  document.getElementById("cut-span").textContent = span() < rate / 5 ? `${Math.round(span())} samples` : `${(span() / rate).toFixed(span() < 10 * rate ? 2 : 0)} s shown`;
}

function choose(wanted, intoView = false) {
  chosen = wanted;
  const piece = pieces().find((p) => p.key === wanted);
  if (piece && intoView && (piece.stop < window_[0] || piece.start > window_[1])) show(piece.start - span() / 4, span());
  lookAt();
  draw();
}

let lookedAt = "";
async function lookAt() {
  const panel = document.getElementById("close-up");
  for (const line of document.querySelectorAll("[data-piece]")) line.setAttribute("aria-current", String(Number(line.dataset.piece) === chosen));
  const wanted = `${chosen} ${revision}`;
  if (wanted === lookedAt || panel.contains(document.activeElement) && document.activeElement.matches("input, select")) return;
  lookedAt = wanted;
  if (chosen === null) { panel.innerHTML = '<p class="note">Choose a piece with ← and →, or press one in the picture.</p>'; return; }
  const found = await askText(`${cut.dataset.look}?track=${cut.dataset.track}&at=0&piece=${chosen}`);
  if (lookedAt !== wanted) return;
  if (found === null) { lookedAt = ""; return; }
  panel.innerHTML = found;
  htmx.process(panel);
  drawSeam(panel, (at, to) => post("move-seam", { at: 0, piece: chosen, to }));
}

function post(what, values) {
  const snap = document.getElementById("cut-snap").value;
  const snaps = ["split", "erase", "trim", "move", "move-seam"].includes(what);
  return send(cut.getAttribute(`data-${what}`), { track: cut.dataset.track, ...values, ...(snaps ? { snap } : {}) }, cut);
}

function act(what) {
  if (what === "split") post("split", { at: position });
  if (what === "tick") post("tick", { at: position });
  if (what === "earlier") nudge(-1);
  if (what === "later") nudge(1);
  if (what !== "take-away") return;
  if (stretch) {
    post("erase", { start: Math.round(stretch[0]), stop: Math.round(stretch[1]) });
    stretch = null;
    draw();
  } else if (isChosen()) {
    post("take-away", { at: 0, piece: chosen });
    choose(null);
  }
}

// Each press moves it from where it is by then, so presses add up, from however many pages.
function nudge(count) {
  if (isChosen()) post("nudge", { at: 0, piece: chosen, count, unit: document.getElementById("cut-unit").value });
}

function isChosen() {
  if (chosen === null) say("No piece is chosen. Press one in the picture, or choose one with ← and →.");
  return chosen !== null;
}

function key(event) {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  if (event.target.closest("input:not([type=checkbox]), textarea, select")) return;
  const inPicture = event.target.closest("#cut-wave, #pieces");
  if (!inPicture && isOwnKey(event) || event.key.length === 1 && !lettersAreKeys()) return;
  const all = pieces();
  const at = all.findIndex((p) => p.key === chosen);
  const action = {
    ArrowLeft: () => choose(all[Math.max(0, at - 1)]?.key ?? null, true), ArrowRight: () => choose(all[Math.min(all.length - 1, at + 1)]?.key ?? null, true),
    ArrowUp: () => zoom(0.5), ArrowDown: () => zoom(2), s: () => act("split"), t: () => act("tick"), "[": () => nudge(-1), "]": () => nudge(1),
    Delete: () => act("take-away"), Escape: () => { stretch = null; draw(); },
  }[event.key];
  if (!action) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  action();
}

function place(event) {
  return window_[0] + (event.offsetX / event.target.clientWidth) * span();
}

function under(event) {
  const at = place(event);
  const reach = (GRIP / event.target.clientWidth) * span();
  const layer = layerAt(pieces(), event.offsetY, event.target.clientHeight);
  const all = pieces().filter((p) => p.layer === layer);
  if (event.offsetY < LANE) {
    const tick = ticks().find((t) => Math.abs(t - at) < reach);
    return tick === undefined ? { what: "stretch", from: at } : { what: "tick", tick, from: at };
  }
  const seam = all.find((p) => p.meets && Math.abs(p.start - at) < reach);
  if (seam) return { what: "move-seam", piece: seam, from: at };
  const start = all.find((p) => Math.abs(p.start - at) < reach);
  if (start) return { what: "start", piece: start, from: at };
  const stop = all.find((p) => Math.abs(p.stop - at) < reach);
  if (stop) return { what: "stop", piece: stop, from: at };
  const inside = all.find((p) => p.start <= at && at < p.stop);
  return inside ? { what: "move", piece: inside, from: at } : { what: "stretch", from: at };
}

function grab(event) {
  event.target.focus();
  event.target.setPointerCapture(event.pointerId);
  drag = { ...under(event), moved: false, x: event.offsetX };
  if (drag.piece) choose(drag.piece.key);
}

function moveOver(event) {
  if (!drag) {
    const { what } = under(event);
    event.target.style.cursor = { stretch: "text", tick: "col-resize", "move-seam": "col-resize", start: "ew-resize", stop: "ew-resize", move: "grab" }[what];
    return;
  }
  if (Math.abs(event.offsetX - drag.x) > 3) drag.moved = true;
  if (!drag.moved) return;
  const at = place(event);
  if (drag.what === "stretch") { stretch = [Math.min(drag.from, at), Math.max(drag.from, at)]; draw(); return; }
  draw();
  const c = event.target.getContext("2d");
  const [width, height] = [event.target.clientWidth, event.target.clientHeight];
  const x = (sample) => ((sample - window_[0]) / span()) * width;
  c.strokeStyle = paint("cattail");
  c.lineWidth = 2;
  const by = at - drag.from;
  const [top, bottom] = rowOf(pieces(), drag.piece?.layer ?? 0, height);
  if (drag.what === "move") c.strokeRect(x(drag.piece.start + by), top + 3, x(drag.piece.stop) - x(drag.piece.start), bottom - top - 6);
  else { c.beginPath(); c.moveTo(x(at), LANE); c.lineTo(x(at), height); c.stroke(); }
}

function letGo(event) {
  const done = drag;
  drag = null;
  if (!done) return;
  const at = Math.round(place(event));
  if (!done.moved) {
    if (done.what === "stretch") { stretch = null; draw(); }
    if (done.what === "move" || done.what === "stretch") send(cut.dataset.locate, { position: Math.max(0, at) }, cut);
    return;
  }
  if (event.type === "pointercancel") { draw(); return; }
  const of = { at: 0, piece: done.piece?.key };
  if (done.what === "tick") post("tick", { at: done.tick, to: at });
  if (done.what === "move-seam") post("move-seam", { ...of, to: at });
  if (done.what === "start") post("trim", { ...of, start: at, stop: done.piece.stop });
  if (done.what === "stop") post("trim", { ...of, start: done.piece.start, stop: at });
  if (done.what === "move") post("move", { ...of, by: Math.round(at - done.from) });
}

function roll(event) {
  event.preventDefault();
  if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) show(window_[0] + ((event.deltaX || event.deltaY) / 800) * span(), span());
  else zoom(event.deltaY > 0 ? 1.25 : 0.8, place(event));
}
