// The grid: one cell is the stop of the Tab key. Arrows move it about, Enter or a click connects what it stands
// for. The cell is found again after the rows were fetched.
import { post } from "../page/ask.js";

let at = [0, 1]; // row and column
let focused = false;

export function startGrid() {
  const rows = document.getElementById("rows");
  if (rows.dataset.view !== "routes") return;
  rows.addEventListener("click", ({ target }) => {
    const cell = target.closest?.("#grid td");
    if (!cell) return;
    at = [cell.parentElement.rowIndex - 1, cell.cellIndex];
    show(true);
    connect(cell);
  });
  rows.addEventListener("focusin", ({ target }) => { focused = Boolean(target.closest?.("#grid td")); });
  rows.addEventListener("keydown", (event) => {
    const cell = event.target.closest?.("#grid td");
    if (!cell) return;
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (!step && event.key !== "Enter" && (event.key !== " " || event.shiftKey)) return;
    event.preventDefault();
    event.stopPropagation();
    if (step) {
      at = [at[0] + step[0], at[1] + step[1]];
      show(true);
    } else connect(cell);
  });
  document.addEventListener("htmx:afterSettle", () => show(focused && document.activeElement === document.body));
  show(false);
}

function clamp(value, low, high) {
  return Math.min(high, Math.max(low, value));
}

// The stop of the Tab key, and the focus if it is there.
function show(focus) {
  const body = document.getElementById("grid")?.tBodies[0];
  if (!body?.rows.length) return;
  at = [clamp(at[0], 0, body.rows.length - 1), clamp(at[1], 1, body.rows[0].cells.length - 1)];
  for (const old of body.querySelectorAll("td[tabindex='0']")) old.tabIndex = -1;
  const cell = body.rows[at[0]].cells[at[1]];
  cell.tabIndex = 0;
  if (!focus) return;
  cell.focus({ preventScroll: true });
  cell.scrollIntoView({ block: "nearest", inline: "nearest" });
}

function connect(cell) {
  if (cell.classList.contains("none")) return;
  const grid = document.getElementById("grid");
  const row = cell.parentElement;
  const end = grid.tHead.rows[0].cells[cell.cellIndex].dataset.col;
  const on = cell.getAttribute("aria-selected") === "true";
  if (cell.classList.contains("to")) {
    post(grid.dataset.route, { start: row.dataset.start, target: end, on: String(!on) });
  } else {
    post(row.dataset.feed, { side: row.dataset.side, feed: on ? "" : end });
  }
}
