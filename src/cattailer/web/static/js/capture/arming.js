// Arming by selection: with Shift, all rows from the one that was pressed last to this one. And a press of Capture waits
// until what was armed just before has arrived, or it would capture without it; its moment stays that of the press.
import { post } from "../page/ask.js";

let last = null;
let onTheWay = 0;
let waiting = [];

export function startArming() {
  document.addEventListener("htmx:beforeRequest", ({ detail: { xhr, requestConfig } }) => {
    if (!/\/arm(-some)?$/.test(requestConfig.path)) return;
    onTheWay += 1;
    xhr.addEventListener("loadend", arrived);
  });
  document.addEventListener("htmx:confirm", (event) => {
    if (!onTheWay || !["capture", "keep"].includes(event.target.dataset?.press)) return;
    event.preventDefault();
    waiting.push(event.detail.issueRequest);
  });
  document.addEventListener("putback", ({ target }) => { if (target.matches(".arm")) shows(target, target.checked); });
  document.addEventListener("click", (event) => {
    const box = event.target.closest?.(".arm");
    if (!box) return;
    shows(box, box.checked);
    const all = [...document.querySelectorAll(".arm")];
    const from = all.findIndex((one) => one.id === last);
    const to = all.indexOf(box);
    last = box.id;
    if (!event.shiftKey || from < 0 || from === to) return;
    const armed = box.checked;
    event.preventDefault();
    const ids = all.slice(Math.min(from, to), Math.max(from, to) + 1).map((one) => one.closest("[data-track]").dataset.track);
    post(document.getElementById("rows").dataset.armSome, { armed: String(armed), tracks: ids.join(",") });
  });
}

// At once; the rows that come say whether it is so.
function shows(box, armed) {
  box.closest("[data-track]")?.toggleAttribute("data-armed", armed);
}

function arrived() {
  onTheWay -= 1;
  if (onTheWay) return;
  const all = waiting;
  waiting = [];
  for (const issue of all) issue(true);
}
