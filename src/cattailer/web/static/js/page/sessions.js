// The list of sessions: the picture of the chosen template, and a list that is as it was renamed.
import { focusAfterwards } from "./focus.js";

export function startSessions() {
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (!detail.successful || !detail.elt.matches?.("[data-reloads]")) return;
    focusAfterwards(detail.elt.dataset.reloads);
    location.reload();
  });
  const choice = document.getElementById("template");
  choice?.addEventListener("change", () => {
    for (const card of document.querySelectorAll("[data-template]")) card.hidden = card.dataset.template !== choice.value;
  });
}
