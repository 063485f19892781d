// Requests that nobody will answer any more: once the line was silent they are given up, so that what was pressed after them
// goes out and rows are fetched again. A field is not swapped away before it was answered, or what is typed next could overtake
// it. Undo and redo wait for the answers to what was pressed before them, or they would change an older step.
import { inLine } from "./ask.js";
import { on } from "./socket.js";
import { FIELDS } from "./typed.js";

const waiting = new Set();
const fields = new Map(); // by request, the field that posted it
const posts = new Set(); // a promise for each, resolved once it is answered or given up

export function startUnanswered() {
  document.addEventListener("htmx:beforeRequest", ({ detail: { xhr, elt, requestConfig } }) => {
    waiting.add(xhr);
    if (requestConfig.verb === "post" && elt.matches(FIELDS)) fields.set(xhr, elt);
    // At once, for what hears of the answer fetches rows; "loadend" comes after.
    for (const end of ["load", "error", "abort"]) xhr.addEventListener(end, () => fields.delete(xhr));
    const ended = new Promise((done) => { xhr.addEventListener("loadend", done); });
    if (requestConfig.verb === "post") posts.add(ended);
    ended.then(() => { waiting.delete(xhr); posts.delete(ended); });
  });
  document.addEventListener("htmx:confirm", (event) => {
    const { target, detail: { issueRequest } } = event;
    const press = target.dataset?.press;
    if (!["undo", "redo"].includes(press)) return;
    event.preventDefault();
    Promise.all([...posts, inLine()]).then(() => {
      if (target.isConnected) issueRequest(true);
      else document.querySelector(`[data-press="${press}"]`)?.click(); // fetched again meanwhile
    });
  });
  on("silent", () => { for (const xhr of waiting) xhr.abort(); });
}

// Whether a field within an element was sent and not answered yet.
export function posting(home) {
  return [...fields.values()].some((field) => home?.contains(field));
}
