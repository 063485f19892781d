// The sheet of ears: a cell is dragged, nudged and typed in. What moves is sent at once and heard; when the hand lets go, the
// server writes it down. Where levels lie along a cell comes with the sheet.
import { post } from "../page/ask.js";
import { say } from "../page/messages.js";
import { moves } from "../page/refresh.js";
import { on, tell, wish } from "../page/socket.js";
import { goThere, sent } from "./close.js";
import { figure, levelAt, range, shareOf } from "./scale.js";

const SEND_MS = 33;
const LET_GO_MS = 500;
let waiting = null; // a cell whose level was not sent yet
let sender = 0;
let letting = 0;
let held = null; // the cell under the finger

export function startEars() {
  const rows = document.getElementById("rows");
  on("frame", ({ limits, turned_down: down }) => {
    for (const output of document.querySelectorAll("[data-limit]")) write(output, limits[output.dataset.limit]);
    for (const output of document.querySelectorAll("[data-down]")) write(output, down[output.dataset.down]);
  });
  // A figure that is nudged is heard on its way; it is written down when it is left alone.
  document.addEventListener("nudged", ({ target, detail: by }) => {
    if (!target.dataset.move) return;
    wish({ step: [[...JSON.parse(target.dataset.move), by]] });
    clearTimeout(letting);
    letting = setTimeout(() => {
      target.defaultValue = target.value;
      sent();
      wish({ settle: true });
    }, LET_GO_MS);
  });
  if (!document.getElementById("ears")) return;
  rows.addEventListener("pointerdown", grab);
  rows.addEventListener("pointermove", drag);
  for (const end of ["pointerup", "pointercancel"]) rows.addEventListener(end, letGo);
  rows.addEventListener("wheel", roll, { passive: false });
  rows.addEventListener("keydown", key);
  rows.addEventListener("dblclick", ({ target }) => {
    const cell = target.closest(".cell");
    if (!cell) return;
    if (target.closest(".cell-turn")) {
      pan(cell, 0);
      settle();
    }
    else move(cell, 0, true);
  });
}

function write(output, db) {
  const text = db ? `−${db.toFixed(1)}` : output.dataset.rest ?? "";
  if (output.textContent !== text) output.textContent = text;
}

function can(cell) {
  return cell && cell.dataset.away === undefined;
}

function grab(event) {
  const cell = event.target.closest(".cell");
  if (!cell || event.button) return;
  cell.focus();
  if (!can(cell)) return;
  const turning = Boolean(event.target.closest(".cell-turn"));
  held = { cell, from: event.clientX, level: Number(cell.dataset.level), pan: Number(cell.dataset.pan), turning, moved: false };
  cell.setPointerCapture(event.pointerId);
}

function drag(event) {
  if (!held) return;
  const { cell } = held;
  const by = event.clientX - held.from;
  if (!held.moved && Math.abs(by) < 4) return;
  held.moved = true;
  const wide = cell.clientWidth - 12;
  if (held.turning) return pan(cell, held.pan + (2 * by) / wide);
  move(cell, levelAt(shareOf(held.level) + (by / wide) * (event.shiftKey ? 0.1 : 1)), false);
}

function letGo() {
  if (held?.moved) settle();
  held = null;
}

function roll(event) {
  const cell = event.target.closest(".cell");
  if (!can(cell) || cell !== document.activeElement) return;
  event.preventDefault();
  stepBy(cell, (event.deltaY < 0 ? 1 : -1) * (event.shiftKey ? 0.1 : 0.5));
}

function key(event) {
  const cell = event.target.closest(".cell");
  if (!cell || event.target !== cell || event.ctrlKey || event.metaKey || event.altKey) return;
  const fine = event.shiftKey ? 0.1 : 1;
  const action = {
    ArrowRight: () => stepBy(cell, fine),
    ArrowLeft: () => stepBy(cell, -fine),
    ArrowUp: () => beside(cell, -1),
    ArrowDown: () => beside(cell, 1),
    Backspace: () => move(cell, 0, true),
    Enter: () => (can(cell) ? type(cell, "") : send(cell)),
    m: () => mute(cell),
    e: goThere,
    "[": () => panBy(cell, -0.1),
    "]": () => panBy(cell, 0.1),
    s: () => cell.closest("[data-end]").querySelector("[data-solo]")?.click(),
  }[event.key] ?? (/^[-+−.,\d]$/.test(event.key) && can(cell) ? () => type(cell, event.key) : null);
  if (!action) return;
  event.preventDefault();
  event.stopPropagation();
  action();
}

function beside(cell, by) {
  const column = [...document.querySelectorAll(`.cell[data-mix="${cell.dataset.mix}"]`)];
  column[column.indexOf(cell) + by]?.focus();
}

// Up or down from wherever it is: another page may step it too, and both add up.
function stepBy(cell, by) {
  if (!can(cell)) return;
  sendWaiting();
  show(cell, Number(cell.dataset.level) + by);
  wish({ step: [[endOf(cell), cell.dataset.target, cell.dataset.what, by]] });
  letGoSoon();
}

function letGoSoon() {
  clearTimeout(letting);
  letting = setTimeout(settle, LET_GO_MS);
}

function show(cell, level) {
  const rounded = Math.round(Math.min(range()[1], Math.max(range()[0], level)) * 10) / 10;
  cell.dataset.level = rounded;
  cell.style.setProperty("--at", `${100 * shareOf(rounded)}%`);
  if (cell.dataset.muted === undefined) cell.querySelector("output").textContent = figure(rounded);
  moves();
}

// Shows the level, sends it, and when ``whole`` lets go by itself after a while.
function move(cell, level, whole) {
  if (!can(cell)) return;
  show(cell, level);
  if (waiting && waiting !== cell) sendWaiting();
  waiting = cell;
  if (!sender) sender = setTimeout(sendWaiting, SEND_MS);
  if (whole) letGoSoon();
}

function panBy(cell, by) {
  if (!can(cell) || cell.dataset.pan === undefined) return;
  showPan(cell, Number(cell.dataset.pan) + by);
  wish({ step: [[endOf(cell), cell.dataset.target, "pan", by]] });
  letGoSoon();
}

function pan(cell, to) {
  if (!can(cell) || cell.dataset.pan === undefined) return;
  const before = cell.dataset.pan;
  showPan(cell, to);
  if (cell.dataset.pan !== before) wish({ move: [[endOf(cell), cell.dataset.target, "pan", Number(cell.dataset.pan)]] });
}

function showPan(cell, to) {
  const value = Math.round(Math.min(1, Math.max(-1, to)) * 20) / 20;
  cell.dataset.pan = value;
  cell.style.setProperty("--pan", `${50 + 50 * value}%`);
  moves();
}

function sendWaiting() {
  clearTimeout(sender);
  sender = 0;
  const cell = waiting;
  waiting = null;
  if (cell) wish({ move: [[endOf(cell), cell.dataset.target, cell.dataset.what, Number(cell.dataset.level)]] });
}

function settle() {
  clearTimeout(letting);
  clearTimeout(sender);
  sendWaiting();
  wish({ settle: true });
}

function endOf(cell) {
  return cell.closest("[data-end]").dataset.end;
}

function mute(cell) {
  if (!can(cell)) return send(cell);
  const muted = cell.dataset.muted === undefined;
  if (muted) cell.dataset.muted = "";
  else delete cell.dataset.muted;
  cell.querySelector("output").textContent = muted ? "muted" : figure(Number(cell.dataset.level));
  moves();
  wish({ move: [[endOf(cell), cell.dataset.target, "muted", muted ? 1 : 0]], settle: true });
}

function send(cell) {
  if (!cell.dataset.target || ["click", "guide"].includes(endOf(cell))) say(cell.getAttribute("aria-label"));
  else post(document.getElementById("ears").dataset.send, { end: endOf(cell), target: cell.dataset.target, on: "true" }, cell);
}

// A level is typed in the cell; Enter takes it, Escape leaves it as it was.
function type(cell, first) {
  const field = document.createElement("input");
  field.className = "cell-typed figures";
  field.value = first;
  field.inputMode = "decimal";
  field.setAttribute("aria-label", "Level in dB");
  cell.append(field);
  field.focus();
  let done = false;
  const end = (take) => {
    if (done) return;
    done = true;
    const level = Number(field.value.replace("−", "-").replace(",", ".").replace(/db/i, ""));
    field.remove();
    cell.focus();
    if (take && field.value.trim() && Number.isFinite(level)) {
      move(cell, level, false);
      settle();
    } else if (take && field.value.trim()) tell("problem", { message: `“${field.value}” is no level; nothing was changed.` });
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter" || event.key === "Tab") { event.preventDefault(); end(true); if (event.key === "Tab") return; }
    if (event.key === "Escape") end(false);
  });
  field.addEventListener("blur", () => end(true));
}
