// Keeps the keyboard where it was: htmx finds an element with an id again after a swap; everything else is found by its
// place within the nearest element that has one. What is gone, or hidden, hands the focus on to its neighbour.
const REACHED = "a[href], button, input, select, textarea, [tabindex]";
let kept = null; // {id, place}

export function startFocus() {
  document.addEventListener("htmx:beforeSwap", () => {
    const here = document.activeElement;
    const home = here && here !== document.body ? here.parentElement?.closest("[id]") : null;
    kept = home ? { id: home.id, place: [...home.querySelectorAll(REACHED)].indexOf(here) } : null;
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (kept && document.activeElement === document.body) focusNear(document.getElementById(kept.id), kept.place);
  });
}

// The control at that place within an element, or the nearest before or after it that can be seen.
function focusNear(home, place) {
  const all = [...(home?.querySelectorAll(REACHED) ?? [])];
  const order = [...all.slice(place), ...all.slice(0, place).reverse()];
  order.find((one) => !one.disabled && one.checkVisibility())?.focus({ preventScroll: true });
}
