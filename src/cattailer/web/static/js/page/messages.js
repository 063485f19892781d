// Says what the server refused or did, asks what it asks, and puts back what was typed.
import { post } from "./ask.js";
import { on, tell } from "./socket.js";

let timer = null;

// kind: "refused" or "said".
export function say(text, kind = "refused") {
  const box = document.getElementById("message");
  box.textContent = text;
  box.dataset.kind = kind;
  clearTimeout(timer);
  if (text) timer = setTimeout(() => { box.textContent = ""; }, kind === "said" ? 5000 : 12000);
}

export function startMessages() {
  // Heard from the request itself: a refresh may have swapped the button away before its answer comes, and then htmx
  // tells nobody.
  document.addEventListener("htmx:beforeRequest", ({ detail }) => {
    const { xhr, elt, requestConfig } = detail;
    if (requestConfig.verb === "post") say("");
    xhr.addEventListener("load", () => {
      if (xhr.status >= 400) refused(detail);
      else if (elt.dataset?.tell !== undefined) say(xhr.responseText, "said");
    });
    xhr.addEventListener("abort", () => {
      if (requestConfig.verb !== "post") return;
      say("No answer came from the studio machine. What you pressed may have been done: check before you press it again.");
      putBack(elt);
    });
    xhr.addEventListener("error", () => {
      say("The studio machine does not answer, so nothing was changed. A capture that runs goes on. Try again.");
      putBack(elt);
    });
  });
  document.getElementById("message").addEventListener("click", () => say(""));
  on("problem", ({ message }) => say(message));
  on("event", (event) => {
    if (event.kind === "halt" || event.kind === "effect") say(event.message);
    if (event.kind === "late") say("Takes came too late from the disk, so what is heard has a gap. What is captured has none.");
  });
}

function refused(detail) {
  const yes = detail.xhr.getResponseHeader("Cattailer-Yes");
  if (yes) return ask(detail, yes);
  say(detail.xhr.responseText || "That did not work, and nothing was changed.");
  putBack(detail.elt);
}

// The server wants to be asked twice: the question, and the words of the button that does it.
function ask({ xhr, requestConfig, elt }, yes) {
  const dialog = document.getElementById("sure");
  dialog.querySelector("p").textContent = xhr.responseText;
  const button = dialog.querySelector("[value=yes]");
  button.textContent = yes;
  dialog.returnValue = "";
  dialog.onclose = () => {
    if (dialog.returnValue !== "yes") return putBack(elt);
    const values = new FormData();
    for (const [name, value] of requestConfig.formData ?? Object.entries(requestConfig.parameters)) values.append(name, value);
    values.set("sure", xhr.getResponseHeader("Cattailer-Answer") ?? "true");
    post(requestConfig.path, values);
  };
  dialog.showModal();
}

function putBack(element) {
  if (element.dataset?.was !== undefined) element.value = element.dataset.was;
  if (element.type === "checkbox") {
    element.checked = element.defaultChecked;
    element.dispatchEvent(new Event("putback", { bubbles: true }));
  }
  if (document.getElementById("rows")) tell("again", {});
}
