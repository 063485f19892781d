// How a capture goes is folded away until somebody wants to change it; whether it is open holds for this browser.
export function startHow() {
  if (!document.getElementById("how")) return;
  show(localStorage.getItem("how") === "open");
  document.addEventListener("click", ({ target }) => {
    if (!target.closest?.("[data-press=how]")) return;
    const open = document.body.dataset.how !== "open";
    localStorage.setItem("how", open ? "open" : "folded");
    show(open);
  });
  document.addEventListener("htmx:oobAfterSwap", () => show(document.body.dataset.how === "open"));
}

function show(open) {
  document.body.dataset.how = open ? "open" : "folded";
  document.querySelector("[data-press=how]")?.setAttribute("aria-expanded", String(open));
}
