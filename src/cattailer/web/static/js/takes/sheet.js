// The comp sheet: cells are walked with the arrows, heard, chosen and marked; waveforms are drawn once for all cells of a row.
import { askJson, askText, post } from "../page/ask.js";
import { forgetColours, LIFT, paint, prepared } from "../page/canvas.js";
import { focusAfterwards } from "../page/focus.js";
import { say } from "../page/messages.js";
import { on } from "../page/socket.js";

let columns = 48; // to a phrase
let loudest = 1; // of all cells: they are drawn to one scale, so that they can be compared
let waves = {}; // by take
let wavesOf = "";
let used = [];
let usedOf = "";
let here = null; // [take, phrase] that is looked at
let audio = null;
let position = 0;

export function startSheet() {
  document.addEventListener("change", ({ target }) => {
    if (!target.matches("[data-goes]")) return;
    focusAfterwards(target.id);
    location.href = `${target.dataset.address}?track=${target.value}`;
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.successful && detail.elt.matches?.("[data-empties]")) detail.elt.reset();
  });
  const rows = document.getElementById("rows");
  if (!rows || !document.querySelector("[data-address][id=close-up]")) return;
  rows.addEventListener("focusin", ({ target }) => { if (target.closest(".sheet-cell")) look(target.closest(".sheet-cell")); });
  rows.addEventListener("click", ({ target, shiftKey }) => {
    const cell = target.closest(".sheet-cell");
    if (cell) { cell.focus(); if (shiftKey) act("choose", cell); }
  });
  rows.addEventListener("pointerdown", ({ target, offsetX }) => {
    if (target.id !== "sheet-used") return;
    const edges = ends();
    const across = (offsetX / target.clientWidth) * (edges.length - 1);
    const n = Math.min(edges.length - 2, Math.floor(across));
    const at = Math.round(edges[n] + (across - n) * (edges[n + 1] - edges[n]));
    post(target.dataset.locate, { position: Math.max(0, at) });
  });
  rows.addEventListener("dblclick", ({ target }) => { if (target.closest(".sheet-cell")) act("choose", target.closest(".sheet-cell")); });
  rows.addEventListener("keydown", key);
  document.getElementById("close-up").addEventListener("click", ({ target }) => {
    if (target.closest("[data-does=alone]")) alone();
  });
  document.addEventListener("htmx:afterSettle", ({ target }) => {
    if (target.id !== "rows") return;
    again();
  });
  document.addEventListener("themechange", () => { forgetColours(); draw(); });
  addEventListener("resize", draw);
  on("frame", (frame) => { position = frame.position; drawHead(); });
  again();
}

function sheet() {
  return document.getElementById("sheet");
}

function cellAt(take, phrase) {
  return document.getElementById(`cell-${take}-${phrase}`);
}

async function again() {
  const of = sheet();
  if (!of) return;
  const first = (here && cellAt(...here)) || of.querySelector('.sheet-cell[data-heard="whole"]') || of.querySelector(".sheet-cell");
  if (first) {
    first.tabIndex = 0;
    if (here) look(first, true);
    if (hadFocus) first.focus({ preventScroll: true });
  }
  draw();
  columns = Math.max(24, Math.min(200, Math.round((first?.clientWidth ?? 96) / 2)));
  if (wavesOf !== of.dataset.waves + of.dataset.ends + columns) {
    const wanted = of.dataset.waves + of.dataset.ends + columns;
    const found = await askJson(`${of.dataset.waves}&columns=${columns}`);
    if (found) { waves = found; wavesOf = wanted; loudest = peak(Object.values(waves).flat()); }
    draw();
  }
  if (usedOf !== of.dataset.rev + columns) {
    const wanted = of.dataset.rev + columns;
    const found = await askJson(`${of.dataset.used}&columns=${columns}`);
    if (found) { used = found; usedOf = wanted; }
    draw();
  }
}

function peak(pairs) {
  return pairs.reduce((most, value) => Math.max(most, Math.abs(value)), 1);
}

let hadFocus = false;
let asked = 0;
function look(cell, silently = false) {
  for (const other of sheet().querySelectorAll('.sheet-cell[tabindex="0"]')) other.tabIndex = -1;
  cell.tabIndex = 0;
  hadFocus = document.activeElement === cell;
  const same = here && here[0] === cell.dataset.take && here[1] === cell.dataset.phrase;
  here = [cell.dataset.take, cell.dataset.phrase];
  for (const other of sheet().querySelectorAll("[data-here]")) other.removeAttribute("data-here");
  cell.setAttribute("data-here", "");
  if (same && !silently) return;
  clearTimeout(asked);
  asked = setTimeout(fetchCloseUp, silently ? 0 : 60);
}

async function fetchCloseUp() {
  const panel = document.getElementById("close-up");
  if (!here || panel.contains(document.activeElement) && document.activeElement.matches("input")) return;
  const wanted = here.join();
  const focused = panel.contains(document.activeElement) ? document.activeElement.dataset.does : null;
  const found = await askText(`${panel.dataset.address}?take=${here[0]}&phrase=${here[1]}`);
  if (found === null || here.join() !== wanted) return;
  panel.innerHTML = found;
  showAlone();
  htmx.process(panel);
  if (focused) panel.querySelector(`[data-does="${focused}"]`)?.focus();
}

// The arrows walk; Enter hears, V chooses, and marks have the keys that they have while it is captured.
function key(event) {
  const cell = event.target.closest(".sheet-cell");
  if (!cell || event.ctrlKey || event.metaKey || event.altKey) return;
  const row = [...cell.parentElement.querySelectorAll(".sheet-cell")];
  const rows = [...sheet().querySelectorAll("[data-row]")];
  const across = row.indexOf(cell);
  const down = rows.indexOf(cell.parentElement);
  const go = (r, c) => rows[r]?.querySelectorAll(".sheet-cell")[c]?.focus();
  const action = {
    ArrowLeft: () => go(down, across - 1), ArrowRight: () => go(down, across + 1),
    ArrowUp: () => go(down - 1, across), ArrowDown: () => go(down + 1, across),
    Home: () => go(down, 0), End: () => go(down, row.length - 1),
    Enter: () => (event.shiftKey ? act("hear", cell) : alone()),
    ...(event.shiftKey ? {} : { " ": () => act("choose", cell) }),
    l: () => act("choose", cell, { layered: true }),
    v: () => act("choose", cell), V: () => act("choose", cell, { phrase: 0 }), e: () => document.querySelector('#close-up [data-does="note"]')?.focus(),
    "+": () => act("rate", cell, { rating: "good" }), "/": () => act("rate", cell, { rating: "maybe" }), "-": () => act("rate", cell, { rating: "no" }),
  }[event.key];
  if (!action) return;
  event.preventDefault();
  event.stopPropagation();
  action();
}

// A key acts on the cell under it, whatever stands beside by now.
function act(what, { dataset: { take, phrase } }, more = {}) {
  post(sheet().dataset[what], { take, phrase, ...more }, sheet());
}

async function alone() {
  clearTimeout(asked);
  await fetchCloseUp();
  const button = document.querySelector("#close-up [data-does=alone]");
  const was = audio;
  audio?.pause();
  audio = null;
  showAlone();
  if (!button || button.disabled || was?.dataset.of === button.dataset.sound + button.dataset.from) return;
  audio = new Audio(button.dataset.sound);
  audio.dataset.of = button.dataset.sound + button.dataset.from;
  const until = Number(button.dataset.until);
  const mine = audio;
  const end = () => {
    mine.pause();
    if (audio === mine) audio = null;
    showAlone();
  };
  mine.addEventListener("loadedmetadata", () => { mine.currentTime = Number(button.dataset.from); mine.play().catch(() => {}); }, { once: true });
  mine.addEventListener("timeupdate", () => { if (mine.currentTime >= until) end(); });
  mine.addEventListener("ended", end);
  mine.addEventListener("error", () => {
    say("This take cannot be played here. Its file is not touched.");
    end();
  });
  mine.load();
  showAlone();
  window.cattailerTake = audio;
}

// That it plays, and that the same key stops it.
function showAlone() {
  const button = document.querySelector("#close-up [data-does=alone]");
  if (!button) return;
  const plays = audio?.dataset.of === button.dataset.sound + button.dataset.from;
  button.setAttribute("aria-pressed", String(plays));
  button.querySelector("span").textContent = plays ? "■ Stop" : "Hear alone";
}

function ends() {
  return sheet().dataset.ends.split(",").map(Number);
}

function draw() {
  const of = sheet();
  if (!of) return;
  for (const canvas of of.querySelectorAll("canvas[data-take]")) {
    const cells = [...canvas.parentElement.querySelectorAll(".sheet-cell")];
    drawRow(canvas, waves[canvas.dataset.take] ?? [], cells.map((c) => (c.dataset.heard ? "water" : "soft")));
  }
  drawHead();
}

function drawHead() {
  const canvas = document.getElementById("sheet-used");
  if (!canvas || !sheet()) return;
  const area = drawRow(canvas, used, ends().slice(1).map(() => "water"));
  if (!area) return;
  const { context: c, width, height } = area;
  c.strokeStyle = paint("ink");
  c.lineWidth = 1.5;
  for (const seam of (sheet().dataset.seams || "").split(",").filter(Boolean).map(Number)) {
    const x = placeOf(seam, width);
    if (x === null) continue;
    c.beginPath();
    c.moveTo(x - 7, 4); c.quadraticCurveTo(x + 4, height / 2, x - 7, height - 4);
    c.moveTo(x + 7, 4); c.quadraticCurveTo(x - 4, height / 2, x + 7, height - 4);
    c.stroke();
  }
  const x = placeOf(position, width);
  if (x !== null) { c.fillStyle = paint("ink"); c.fillRect(x - 1, 0, 2, height); }
}

// Phrases are equally wide, however long they last.
function placeOf(sample, width) {
  const edges = ends();
  for (let n = 0; n + 1 < edges.length; n += 1) {
    if (sample >= edges[n] && sample < edges[n + 1]) {
      return (n + (sample - edges[n]) / (edges[n + 1] - edges[n])) * (width / (edges.length - 1));
    }
  }
  return null;
}

function drawRow(canvas, pairs, inks) {
  const area = prepared(canvas);
  if (!area) return null;
  const { context: c, width, height } = area;
  const each = width / inks.length;
  const middle = height / 2;
  inks.forEach((ink, n) => {
    c.fillStyle = paint(ink);
    const step = (each - 12) / columns;
    for (let k = 0; k < columns; k += 1) {
      const at = 2 * (n * columns + k);
      if (pairs[at] === undefined) break;
      const top = Math.max(0, pairs[at + 1] / loudest) ** LIFT * (middle - 16);
      const bottom = Math.max(0, -pairs[at] / loudest) ** LIFT * (middle - 16);
      if (top + bottom > 0) c.fillRect(n * each + 6 + k * step, middle + 4 - top, Math.max(1, step), Math.max(1, top + bottom));
    }
  });
  return area;
}
