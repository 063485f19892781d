// Requests that nobody will answer any more: once the line was silent they are given up, so that what was pressed after them
// goes out and rows are fetched again.
import { on } from "./socket.js";

const waiting = new Set();

export function startUnanswered() {
  document.addEventListener("htmx:beforeRequest", ({ detail: { xhr } }) => {
    waiting.add(xhr);
    xhr.addEventListener("loadend", () => waiting.delete(xhr));
  });
  on("silent", () => { for (const xhr of waiting) xhr.abort(); });
}
