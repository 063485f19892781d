// Where levels lie along a cell of the sheet of ears, and how they are written.
function points() {
  return document.getElementById("ears").dataset.scale.split(" ").map((point) => point.split(":").map(Number));
}

export function shareOf(db) {
  const scale = points();
  for (let n = 1; n < scale.length; n += 1) {
    const [[low, a], [high, b]] = [scale[n - 1], scale[n]];
    if (db <= high) return Math.max(0, a + ((db - low) / (high - low)) * (b - a));
  }
  return 1;
}

export function levelAt(share) {
  const scale = points();
  for (let n = 1; n < scale.length; n += 1) {
    const [[low, a], [high, b]] = [scale[n - 1], scale[n]];
    if (share <= b) return low + (Math.max(share - a, 0) / (b - a)) * (high - low);
  }
  return scale.at(-1)[0];
}

// The lowest and the highest level.
export function range() {
  const scale = points();
  return [scale[0][0], scale.at(-1)[0]];
}

export function figure(db) {
  if (db <= range()[0]) return "−∞";
  if (!db) return "0";
  return `${db > 0 ? "+" : "−"}${Math.abs(db).toFixed(1).replace(/\.0$/, "")}`;
}
