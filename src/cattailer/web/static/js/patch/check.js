// Line check and "which one is this?": the page follows what the studio machine hears.
import { say } from "../page/messages.js";
import { on, tell } from "../page/socket.js";

export function startCheck() {
  on("check", ({ found, words }) => {
    if (document.getElementById("rows").dataset.view === "check") tell("again", {});
    if (found) {
      say(words, "said");
      goTo(found);
    }
  });
}

function goTo(socket) {
  for (const old of document.querySelectorAll("[data-found]")) old.removeAttribute("data-found");
  const row = document.querySelector(`#rows [data-socket="${socket}"]`);
  row?.setAttribute("data-found", "");
  row?.scrollIntoView({ block: "center" });
  row?.focus({ preventScroll: true });
}
