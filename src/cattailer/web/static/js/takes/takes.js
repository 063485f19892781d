// Take rows: waveforms, and playing one take at a time.
import { askJson } from "../page/ask.js";
import { LIFT, paint, prepared } from "../page/canvas.js";
import { say } from "../page/messages.js";

const COLUMNS = 600;
const waves = new Map();
let audio = null;
let playing = null;

export function startTakes() {
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.successful && detail.elt.matches?.("[data-checks]")) htmx.trigger(document.body, "checking");
    if (detail.successful && detail.elt.matches?.("[data-compares]")) htmx.trigger(document.body, "comparing");
    if (detail.successful && detail.elt.matches?.("[data-writes]")) htmx.trigger(document.body, "writing");
  });
  drawAll();
  document.addEventListener("htmx:afterSettle", drawAll);
  document.addEventListener("themechange", drawAll);
  addEventListener("resize", drawAll);
  document.addEventListener("click", ({ target }) => {
    const button = target.closest("[data-play]");
    if (button) toggle(button);
  });
}

function toggle(button) {
  const again = playing === button.dataset.takeId;
  halt();
  if (again) return;
  audio = new Audio(button.dataset.play);
  playing = button.dataset.takeId;
  window.cattailerTake = audio;
  audio.addEventListener("ended", halt);
  audio.addEventListener("error", () => { say("This take cannot be played here; download it instead. The file is not touched."); halt(); });
  audio.play().catch(() => {}); // why it cannot is said by its error
  mark(playing, true);
  requestAnimationFrame(follow);
}

function halt() {
  audio?.pause();
  if (playing) mark(playing, false);
  const was = playing;
  audio = playing = null;
  if (was) drawOne(document.getElementById(`wave-${was}`));
}

function mark(take, on) {
  const button = document.querySelector(`[data-take-id="${take}"]`);
  if (!button) return;
  button.setAttribute("aria-pressed", String(on));
  button.firstElementChild.textContent = on ? "■ Stop" : "▶ Play";
}

function follow() {
  if (!audio) return;
  const canvas = document.getElementById(`wave-${playing}`);
  if (canvas) drawOne(canvas, audio.duration ? audio.currentTime / audio.duration : 0);
  requestAnimationFrame(follow);
}

async function drawAll() {
  for (const canvas of document.querySelectorAll("canvas[data-wave]")) {
    if (!waves.has(canvas.id)) {
      const wave = await askJson(`${canvas.dataset.wave}?columns=${COLUMNS}`);
      if (wave) waves.set(canvas.id, wave);
    }
    drawOne(canvas);
  }
}

function drawOne(canvas, share = null) {
  const area = canvas && prepared(canvas);
  const pairs = canvas && waves.get(canvas.id);
  if (!area || !pairs) return;
  const { context: c, width, height } = area;
  c.fillStyle = paint("lane");
  c.fillRect(0, 0, width, height);
  c.fillStyle = paint("soft");
  const step = width / COLUMNS;
  const middle = height / 2;
  for (let n = 0; n < COLUMNS; n += 1) {
    const top = Math.max(0, pairs[2 * n + 1] / 127) ** LIFT * (middle - 2);
    const bottom = Math.max(0, -pairs[2 * n] / 127) ** LIFT * (middle - 2);
    c.fillRect(n * step, middle - top, Math.max(1, step), Math.max(1, top + bottom));
  }
  if (share !== null) {
    c.fillStyle = paint("water");
    c.fillRect(share * width - 1, 0, 2, height);
  }
}
