// What every canvas here needs: the theme's colours and crisp pixels.
let colours = null;

export function paint(name) {
  if (!colours) colours = getComputedStyle(document.documentElement);
  return colours.getPropertyValue(`--${name}`).trim();
}

export function forgetColours() {
  colours = null;
}

// A context in CSS pixels, or null while the canvas is not shown.
export function prepared(canvas) {
  const ratio = devicePixelRatio || 1;
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  if (!width || !height) return null;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const context = canvas.getContext("2d");
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

// Draws once before the screen is shown next, however often it is asked: nothing is drawn while nothing changes.
export function whenShown(draw) {
  let asked = false;
  return () => {
    if (asked) return;
    asked = true;
    requestAnimationFrame(() => {
      asked = false;
      draw();
    });
  };
}

// Waveforms lift small signals a little above their scale, so that a quiet row is seen to move.
export const LIFT = 0.6;
