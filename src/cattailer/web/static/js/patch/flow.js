// The picture of the signal flow: pointing at an end, or focusing it, lights its whole way and says it.
// Which ends are on the way, and the words, come with the picture.
export function startFlow() {
  const rows = document.getElementById("rows");
  if (rows.dataset.view !== "routes") return;
  for (const event of ["pointerover", "focusin"]) {
    rows.addEventListener(event, ({ target }) => { const end = target.closest?.("[data-end]"); if (end) light(end); });
  }
  rows.addEventListener("pointerleave", () => light(document.activeElement?.closest?.("[data-end]")));
  document.addEventListener("htmx:afterSettle", () => light(document.activeElement?.closest?.("[data-end]")));
}

function light(end) {
  const picture = document.querySelector("svg.flow");
  if (!picture) return;
  const way = new Set(end?.dataset.way.split(" "));
  picture.toggleAttribute("data-lit", Boolean(end));
  for (const each of picture.querySelectorAll("[data-end]")) each.toggleAttribute("data-lit", way.has(each.dataset.end));
  for (const line of picture.querySelectorAll("path")) {
    line.toggleAttribute("data-lit", way.has(line.dataset.from) && way.has(line.dataset.to));
  }
  const panel = document.getElementById("way");
  panel.hidden = !end;
  panel.replaceChildren();
  if (!end) return;
  const head = document.createElement("div");
  head.className = "deck-head";
  head.textContent = end.dataset.name;
  panel.append(head);
  for (const words of end.dataset.words.split("|")) {
    const line = document.createElement("p");
    line.className = "mt-1 text-small leading-snug";
    line.textContent = words;
    panel.append(line);
  }
}
