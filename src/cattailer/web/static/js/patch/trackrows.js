// Track rows: moving them by dragging or with the arrows, and the small window for colour and icon.
import { post } from "../page/ask.js";
import { say } from "../page/messages.js";

let dragged = null;
let lookFor = null;

export function startTrackRows() {
  const rows = document.getElementById("rows");
  if (rows.dataset.view !== "tracks") return;
  rows.addEventListener("dragstart", (event) => {
    dragged = event.target.closest("[data-move]");
    event.dataTransfer.setData("text/plain", dragged?.id ?? "");
  });
  rows.addEventListener("dragover", (event) => {
    const over = event.target.closest?.("[data-move]");
    if (!dragged || !over) return;
    event.preventDefault();
    for (const row of rows.querySelectorAll("[data-drop]")) row.removeAttribute("data-drop");
    over.setAttribute("data-drop", "");
  });
  rows.addEventListener("drop", (event) => {
    const over = event.target.closest?.("[data-move]");
    if (!dragged || !over) return;
    event.preventDefault();
    move(dragged, Number(over.dataset.place));
    over.removeAttribute("data-drop");
    dragged = null;
  });
  rows.addEventListener("keydown", (event) => {
    const grip = event.target.closest?.(".grip");
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!grip || !by) return;
    event.preventDefault();
    event.stopPropagation();
    const row = grip.closest("[data-move]");
    move(row, Math.max(1, Number(row.dataset.place) + by));
  });
  rows.addEventListener("click", ({ target }) => {
    if (target.closest(".grip")) say("Drag the number to move the track, or press the up and down arrows.");
  });
  const look = document.getElementById("look");
  document.addEventListener("click", ({ target }) => {
    const opener = target.closest?.("[data-look]");
    if (opener) {
      lookFor = opener.dataset.look;
      const { left, bottom } = opener.getBoundingClientRect();
      Object.assign(look.style, { margin: "0", left: `${left}px`, top: `${Math.min(bottom + 4, innerHeight - 170)}px` });
      look.showPopover();
      look.querySelector("button").focus();
    }
    const chosen = target.closest?.("[data-colour], [data-icon]");
    if (chosen && lookFor) {
      const values = chosen.dataset.colour !== undefined ? { colour: chosen.dataset.colour } : { icon: chosen.dataset.icon };
      post(lookFor, values);
      look.hidePopover();
    }
  });
}

function move(row, place) {
  post(row.dataset.move, { place });
}
