// The grid: arrows move a cell about, Enter or a click connects what it stands for. The cell is found
// again after the rows were fetched again.
let at = null; // [row, column]

export function startGrid() {
  const rows = document.getElementById("rows");
  if (rows.dataset.view !== "routes") return;
  rows.addEventListener("click", ({ target }) => {
    const cell = target.closest?.("#grid td");
    if (!cell) return;
    at = [cell.parentElement.rowIndex - 1, cell.cellIndex];
    show();
    connect(cell);
  });
  document.addEventListener("keydown", (event) => {
    const grid = document.getElementById("grid");
    if (!grid || event.target.closest("input, select, textarea, a, button") || document.querySelector("dialog[open]")) return;
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (step) {
      event.preventDefault();
      event.stopImmediatePropagation();
      const body = grid.tBodies[0];
      const width = body.rows[0]?.cells.length - 1;
      at = at ? [clamp(at[0] + step[0], 0, body.rows.length - 1), clamp(at[1] + step[1], 1, width)] : [0, 1];
      show();
    }
    if (event.key === "Enter" && at) connect(cellAt(grid));
  }, true);
  document.addEventListener("htmx:afterSettle", show);
}

function clamp(value, low, high) {
  return Math.min(high, Math.max(low, value));
}

function cellAt(grid) {
  return grid.tBodies[0].rows[at[0]]?.cells[at[1]];
}

function show() {
  const grid = document.getElementById("grid");
  if (!grid || !at) return;
  for (const old of grid.querySelectorAll("[data-here]")) old.removeAttribute("data-here");
  const cell = cellAt(grid);
  cell?.setAttribute("data-here", "");
  cell?.scrollIntoView({ block: "nearest", inline: "nearest" });
}

function connect(cell) {
  if (!cell || cell.classList.contains("none")) return;
  const grid = document.getElementById("grid");
  const row = cell.parentElement;
  const end = grid.tHead.rows[0].cells[cell.cellIndex].dataset.col;
  const on = cell.classList.contains("on");
  const source = document.getElementById("rows");
  if (cell.classList.contains("to")) {
    htmx.ajax("POST", grid.dataset.route, { values: { start: row.dataset.start, target: end, on: String(!on) }, swap: "none", source });
  } else {
    htmx.ajax("POST", row.dataset.feed, { values: { side: row.dataset.side, feed: on ? "" : end }, swap: "none", source });
  }
}
