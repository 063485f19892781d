// Says what the server refused, and puts back what was typed.
import { on } from "./socket.js";

let timer = null;

export function say(text) {
  const box = document.getElementById("message");
  box.textContent = text;
  clearTimeout(timer);
  if (text) timer = setTimeout(() => { box.textContent = ""; }, 12000);
}

export function startMessages() {
  document.addEventListener("htmx:responseError", ({ detail }) => {
    say(detail.xhr.responseText || "That did not work, and nothing was changed.");
    putBack(detail.elt);
  });
  document.addEventListener("htmx:sendError", ({ detail }) => {
    say("The studio machine does not answer, so nothing was changed. A capture that runs goes on. Try again.");
    putBack(detail.elt);
  });
  document.addEventListener("htmx:beforeRequest", ({ detail }) => { if (detail.requestConfig.verb === "post") say(""); });
  document.getElementById("message").addEventListener("click", () => say(""));
  on("problem", ({ message }) => say(message));
  on("event", (event) => { if (event.kind === "halt") say(event.message); });
}

function putBack(element) {
  if (element.dataset?.was !== undefined) element.value = element.dataset.was;
  if (element.type === "checkbox") element.checked = element.closest("[data-armed]") !== null;
}
