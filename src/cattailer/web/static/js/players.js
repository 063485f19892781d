// Shows which of the four the players were asked for last, on this page.
export function startPlayers() {
  const choices = [...document.querySelectorAll("[data-mode]")];
  for (const choice of choices) {
    choice.addEventListener("htmx:afterRequest", ({ detail }) => {
      if (detail.successful) for (const other of choices) other.setAttribute("aria-pressed", String(other === choice));
    });
  }
}
