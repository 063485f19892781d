// Fetches rows and Deck anew when somebody, here or elsewhere, has changed the session.
import { on } from "./socket.js";

let busy = false;
let wanted = false;

export function startRefresh() {
  on("revision", ({ revision }) => { if (revision !== shown()) refresh(); });
  on("frame", ({ revision }) => { if (revision > shown()) refresh(); });
  on("again", refresh);
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.successful && detail.requestConfig.verb === "post") refresh();
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.target.id !== "rows" || !typing()) return;
    event.detail.shouldSwap = false;
    wanted = true;
  });
  document.addEventListener("focusout", () => setTimeout(() => { if (wanted) refresh(); }, 150));
}

function shown() {
  return Number(document.querySelector("[data-revision]:not(body)").dataset.revision);
}

// One fetch at a time; what is asked meanwhile makes one more.
async function refresh() {
  wanted = true;
  if (busy || typing()) return;
  busy = true;
  while (wanted && !typing()) {
    wanted = false;
    await htmx.ajax("GET", document.getElementById("rows").dataset.refresh, { target: "#rows", swap: "innerHTML" });
  }
  busy = false;
}

// Somebody is typing in a row: it is not changed under their fingers.
function typing() {
  const field = document.activeElement;
  return field?.dataset.was !== undefined && field.value !== field.dataset.was;
}
