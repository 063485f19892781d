// Arming by selection: with Shift, all rows from the one that was pressed last to this one.
let last = null;

export function startArming() {
  document.addEventListener("click", (event) => {
    const box = event.target.closest?.(".arm");
    if (!box) return;
    const all = [...document.querySelectorAll(".arm")];
    const from = all.findIndex((one) => one.id === last);
    const to = all.indexOf(box);
    last = box.id;
    if (!event.shiftKey || from < 0 || from === to) return;
    const armed = box.checked;
    event.preventDefault();
    const ids = all.slice(Math.min(from, to), Math.max(from, to) + 1).map((one) => one.closest("[data-track]").dataset.track);
    const rows = document.getElementById("rows");
    htmx.ajax("POST", rows.dataset.armSome, { swap: "none", values: { armed: String(armed), tracks: ids.join(",") }, source: rows });
  });
}
