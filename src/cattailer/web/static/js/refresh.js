// Fetches rows and Deck anew when somebody, here or elsewhere, has changed the session.
import { on } from "./socket.js";

let waiting = false;

export function startRefresh() {
  on("revision", ({ revision }) => { if (revision !== shown()) refresh(); });
  on("again", refresh);
  on("frame", ({ revision }) => { if (revision > shown() && !waiting) refresh(); });
  document.addEventListener("focusout", () => { if (waiting) setTimeout(refresh, 150); });
}

function shown() {
  return Number(document.querySelector("[data-revision]:not(body)")?.dataset.revision ?? document.body.dataset.revision);
}

async function refresh() {
  const rows = document.getElementById("rows");
  const typing = document.activeElement;
  // Somebody is typing here: not under their fingers.
  if (rows.contains(typing) && typing.dataset.was !== undefined && typing.value !== typing.dataset.was) {
    waiting = true;
    return;
  }
  waiting = true;
  await htmx.ajax("GET", rows.dataset.refresh, { target: "#rows", swap: "innerHTML" });
  waiting = false;
}
