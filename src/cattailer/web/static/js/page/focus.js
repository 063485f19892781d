// Keeps the keyboard where it was: htmx finds an element with an id again after a swap; everything else is found by its
// place within the nearest element that has one.
const REACHED = "a[href], button, input, select, textarea, [tabindex]";
let kept = null; // {id, place}

export function startFocus() {
  document.addEventListener("htmx:beforeSwap", () => {
    const here = document.activeElement;
    const home = here?.id ? null : here?.parentElement?.closest("[id]");
    kept = home ? { id: home.id, place: [...home.querySelectorAll(REACHED)].indexOf(here) } : null;
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (!kept || document.activeElement !== document.body) return;
    document.getElementById(kept.id)?.querySelectorAll(REACHED)[kept.place]?.focus({ preventScroll: true });
  });
}
