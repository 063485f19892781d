// The pictures of Cut and join: pieces with their waveform, fades and seams, and the whole song above.
import { LIFT, paint, prepared } from "../page/canvas.js";

export const LANE = 20; // the strip above, where a stretch is chosen

// Layers lie below one another.
export function rowOf(pieces, layer, height) {
  const rows = pieces.reduce((most, p) => Math.max(most, p.layer + 1), 1);
  const high = (height - LANE) / rows;
  return [LANE + layer * high, LANE + (layer + 1) * high];
}

export function layerAt(pieces, y, height) {
  const [top, bottom] = rowOf(pieces, 0, height);
  return Math.max(0, Math.floor((y - LANE) / (bottom - top)));
}

export function picture(canvas, { window, pieces, chosen, stretch, wave, position, ticks }) {
  const area = prepared(canvas);
  if (!area) return;
  const span = window[1] - window[0];
  const { context: c, width, height } = area;
  c.fillStyle = paint("lane");
  c.fillRect(0, 0, width, height);
  const from = (t) => ((t - window[0]) / span) * width;
  for (const p of pieces) {
    if (p.stop < window[0] || p.start > window[1]) continue;
    c.fillStyle = paint(p.key === chosen ? "band" : "raised");
    const [top, bottom] = rowOf(pieces, p.layer, height);
    c.fillRect(from(p.start) + 1, top + 2, from(p.stop) - from(p.start) - 2, bottom - top - 4);
  }
  if (stretch) {
    c.fillStyle = paint("band");
    c.fillRect(from(stretch[0]), 0, from(stretch[1]) - from(stretch[0]), height);
  }
  wave.layers.forEach((pairs, layer) => drawWave(c, pairs, wave.of, from, rowOf(pieces, layer, height)));
  c.font = "600 12.5px 'Atkinson Hyperlegible Next', sans-serif";
  for (const p of pieces) {
    if (p.stop < window[0] || p.start > window[1]) continue;
    const [left, right] = [from(p.start), from(p.stop)];
    const [top, bottom] = rowOf(pieces, p.layer, height);
    c.strokeStyle = paint(p.key === chosen ? "ink" : "soft");
    c.lineWidth = p.key === chosen ? 2 : 1;
    c.strokeRect(left + 0.5, top + 2.5, right - left - 1, bottom - top - 5);
    c.fillStyle = paint("ink");
    if (right - left > 56) c.fillText(`take ${p.number}`, Math.max(left, 0) + 6, top + 17);
    c.strokeStyle = paint("ink");
    c.lineWidth = 1.5;
    if (p.fades[0]) { c.beginPath(); c.moveTo(left, bottom - 4); c.lineTo(from(p.start + p.fades[0]), top + 4); c.stroke(); }
    if (p.fades[1]) { c.beginPath(); c.moveTo(right, bottom - 4); c.lineTo(from(p.stop - p.fades[1]), top + 4); c.stroke(); }
    if (p.crossing[1] > p.crossing[0]) {
      const [one, two] = p.crossing.map(from);
      c.beginPath();
      c.moveTo(one, bottom - 4); c.lineTo(two, top + 4);
      c.moveTo(one, top + 4); c.lineTo(two, bottom - 4);
      c.stroke();
    }
  }
  c.fillStyle = paint("reed");
  for (const tick of ticks) {
    if (tick < window[0] || tick > window[1]) continue;
    const at = from(tick);
    c.beginPath(); c.moveTo(at - 4, 3); c.lineTo(at + 4, 3); c.lineTo(at, LANE - 3); c.fill();
    c.fillRect(at - 0.5, LANE, 1, height - LANE);
  }
  if (position >= window[0] && position < window[1]) { c.fillStyle = paint("vermilion"); c.fillRect(from(position) - 1, 0, 2, height); }
}

function drawWave(c, pairs, [a, b], from, [rowTop, rowBottom]) {
  const columns = pairs.length / 2;
  const step = from(a + (b - a) / columns) - from(a);
  const middle = (rowTop + rowBottom) / 2;
  const half = Math.max(4, (rowBottom - rowTop) / 2 - 16);
  const fine = (b - a) / columns < 4;
  c.fillStyle = paint("water");
  c.strokeStyle = paint("water");
  if (fine) c.beginPath();
  for (let n = 0; n < columns; n += 1) {
    const low = pairs[2 * n] / 127;
    const high = pairs[2 * n + 1] / 127;
    const at = from(a + (n / columns) * (b - a));
    if (fine) c.lineTo(at, middle - high * half);
    else if (high - low > 0) {
      const top = Math.max(0, high) ** LIFT * half;
      const bottom = Math.max(0, -low) ** LIFT * half;
      c.fillRect(at, middle - top, Math.max(1, step), Math.max(1, top + bottom));
    }
  }
  if (fine) { c.lineWidth = 1.5; c.stroke(); }
}

// The whole song, small, with the stretch that is shown.
export function overview(canvas, { window, pieces, whole, position, end }) {
  const area = prepared(canvas);
  if (!area) return;
  const { context: c, width, height } = area;
  c.fillStyle = paint("lane");
  c.fillRect(0, 0, width, height);
  c.fillStyle = paint("soft");
  const columns = whole.length / 2;
  for (let n = 0; n < columns; n += 1) {
    const top = Math.max(0, whole[2 * n + 1] / 127) ** LIFT * (height / 2 - 3);
    const bottom = Math.max(0, -whole[2 * n] / 127) ** LIFT * (height / 2 - 3);
    if (top + bottom > 0) c.fillRect((n / columns) * width, height / 2 - top, Math.max(1, width / columns), top + bottom);
  }
  c.fillStyle = paint("ink");
  for (const p of pieces) c.fillRect((p.start / end) * width, 0, 1, height);
  c.strokeStyle = paint("water");
  c.lineWidth = 2;
  c.strokeRect((window[0] / end) * width + 1, 1, Math.max(3, ((window[1] - window[0]) / end) * width - 2), height - 2);
  c.fillStyle = paint("vermilion");
  c.fillRect((position / end) * width - 1, 0, 2, height);
}
