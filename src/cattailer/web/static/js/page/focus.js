// Keeps the keyboard where it was: htmx finds an element with an id again after a swap; everything else is found by what it
// says, or by its place, within the nearest element that has one. What is gone, or hidden, hands the focus on to its neighbour.
const REACHED = "a[href], button, input, select, textarea, [tabindex]:not([data-left])";
const ROW = ".row:not(.row-head), [data-row]";
let kept = null; // {id, place, words}, or {id, row} for a row itself, or {id, left} for what the field at that place stands in
let around = null; // {id, row}: the row that it is in, should that be gone
let selected = null; // {field, first, last, all}: what of a text field is selected, and will be typed over

let pointed = false; // the newest press was the mouse's, not a key's

export function startFocus() {
  for (const event of ["pointerdown", "keydown"]) addEventListener(event, () => { pointed = event === "pointerdown"; }, true);
  document.getElementById(sessionStorage.getItem("focus") ?? "")?.focus({ preventScroll: true });
  sessionStorage.removeItem("focus");
  document.addEventListener("htmx:beforeSwap", () => {
    const here = document.activeElement;
    const home = here && here !== document.body ? here.parentElement?.closest("[id]") : null;
    around = home ? rowWithin(here.closest(ROW)) : null;
    selected = home ? selectionOf(here) : null;
    if (!home) kept = null;
    else if (here.dataset.left !== undefined) kept = { id: home.id, left: [...home.querySelectorAll(REACHED)].indexOf(here.querySelector(REACHED)) };
    else if (here.matches(ROW)) kept = rowWithin(here);
    else kept = { id: home.id, place: [...home.querySelectorAll(REACHED)].indexOf(here), words: wordsOf(here) };
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (kept && document.activeElement === document.body) handOn();
    if (selected && !selected.field.isConnected) selectAgain(document.activeElement);
  });
}

function handOn() {
  const home = document.getElementById(kept.id);
  // Not to the same control of the next row: Enter that is held down would remove one row after another.
  if (!home) focusNeighbour();
  else if (kept.left !== undefined) leaveField(home.querySelectorAll(REACHED)[kept.left]);
  else if (kept.row === undefined) focusNear(home, kept.place, kept.words);
  else focusRow(home.querySelectorAll(ROW)[kept.row]);
}

// Where the caret is, or what is selected; nothing where no text can be.
function selectionOf({ selectionStart: first, selectionEnd: last, value }) {
  return (first ?? null) === null ? null : { field: document.activeElement, first, last, all: first < last && first === 0 && last === value.length };
}

function selectAgain(field) {
  const { first, last, all } = selected;
  selected = null;
  if ((field.selectionStart ?? null) !== null) field.setSelectionRange(first, all ? field.value.length : last);
}

function rowWithin(row) {
  const home = row?.parentElement.closest("[id]");
  return home ? { id: home.id, row: [...home.querySelectorAll(ROW)].indexOf(row) } : null;
}

function focusNeighbour() {
  const rows = document.getElementById(around?.id)?.querySelectorAll(ROW) ?? [];
  focusRow(rows[Math.min(around?.row, rows.length - 1)]);
}

// A row has the focus when single keys act on it.
export function focusRow(row) {
  if (!row) return;
  if (!row.hasAttribute("tabindex")) row.tabIndex = -1;
  row.focus({ preventScroll: true });
}

// On the page that comes next, the control with that id has the focus.
export function focusAfterwards(id) {
  sessionStorage.setItem("focus", id);
}

// Typed is typed: the focus goes to the row, where single keys act; outside rows to what the field stands in.
export function leaveField(field) {
  const home = field?.closest(ROW) ?? field?.parentElement;
  if (home && !home.matches(ROW)) home.dataset.left = "";
  focusRow(home);
}

// What was chosen from a list with the mouse leaves Space to the transport; whoever chooses with keys is not done yet.
export function leaveIfPointed(list) {
  if (pointed) leaveField(list);
}

function wordsOf(control) {
  return control.getAttribute("aria-label") ?? control.textContent.trim();
}

// The one control within an element that says so; else that at the place, or the nearest before or after it that can be seen.
function focusNear(home, place, words) {
  const all = [...home.querySelectorAll(REACHED)];
  const same = all.filter((one) => words && wordsOf(one) === words);
  const order = [...(same.length === 1 ? same : []), ...all.slice(place), ...all.slice(0, place).reverse()];
  order.find((one) => !one.disabled && one.checkVisibility())?.focus({ preventScroll: true });
}
