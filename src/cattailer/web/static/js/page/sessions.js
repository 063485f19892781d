// The list of sessions: the picture of the chosen template.
export function startSessions() {
  const choice = document.getElementById("template");
  choice?.addEventListener("change", () => {
    for (const card of document.querySelectorAll("[data-template]")) card.hidden = card.dataset.template !== choice.value;
  });
}
