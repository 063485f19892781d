// Requests that nobody will answer any more: once the line was silent they are given up, so that what was pressed after them
// goes out and rows are fetched again. Undo and redo wait for the answers to what was pressed before them, or they would
// change an older step.
import { inLine } from "./ask.js";
import { on } from "./socket.js";

const waiting = new Set();
const posts = new Set(); // a promise for each, resolved once it is answered or given up

export function startUnanswered() {
  document.addEventListener("htmx:beforeRequest", ({ detail: { xhr, requestConfig } }) => {
    waiting.add(xhr);
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
