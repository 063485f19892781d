// Shows what the stand-in's players were asked for: a button is pressed when all of them do that.
import { on } from "../page/socket.js";

export function startPlayers() {
  const choices = [...document.querySelectorAll("[data-mode]")];
  on("frame", ({ players }) => {
    const modes = Object.values(players);
    for (const choice of choices) {
      const pressed = String(modes.length > 0 && modes.every((mode) => mode === choice.dataset.mode));
      if (choice.getAttribute("aria-pressed") !== pressed) choice.setAttribute("aria-pressed", pressed);
    }
  });
}
