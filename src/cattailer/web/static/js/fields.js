// Fields in rows: what was shown goes with what was typed, so that the server sees when somebody else
// was faster; Tab in a name goes to the name in the next row; choices are filled when first opened.
export function startFields() {
  document.addEventListener("htmx:configRequest", ({ detail }) => {
    const { elt, parameters } = detail;
    if (elt.dataset?.was !== undefined && elt.name) parameters.was = elt.dataset.was;
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    const { elt, successful, requestConfig } = detail;
    if (successful && elt.dataset?.was !== undefined && elt.name) elt.dataset.was = elt.value.trim().replace(/\s+/g, " ");
    if (successful && requestConfig.verb === "post" && elt.matches?.("form[data-tell]")) elt.reset();
  });
  document.addEventListener("keydown", nextRow);
  for (const event of ["focusin", "pointerdown"]) document.addEventListener(event, ({ target }) => fill(target), true);
  document.addEventListener("change", ({ target }) => {
    if (target.matches("[data-send]")) {
      target.form.requestSubmit();
      target.value = "";
    }
    if (target.id === "list-file") readList(target);
  });
  document.addEventListener("submit", (event) => event.preventDefault());
}

function nextRow(event) {
  if (event.key !== "Tab" || !event.target.matches?.("input.down")) return;
  const kind = event.target.id.replace(/\d+$/, "");
  const all = [...document.querySelectorAll(`input.down[id^="${kind}"]`)];
  const next = all[all.indexOf(event.target) + (event.shiftKey ? -1 : 1)];
  if (!next) return;
  event.preventDefault();
  next.focus();
  next.select();
}

function fill(target) {
  const select = target.closest?.("select[data-sources]");
  const from = document.getElementById("sources");
  if (!select || !from || select.dataset.filled) return;
  const chosen = select.value;
  const shown = select.selectedOptions[0]?.textContent;
  select.replaceChildren(from.content.cloneNode(true));
  if (chosen && ![...select.options].some((o) => o.value === chosen)) select.add(new Option(shown, chosen));
  select.value = chosen;
  select.dataset.filled = "yes";
}

async function readList(input) {
  const text = document.getElementById("list-text");
  text.value = await input.files[0].text();
  input.value = "";
  text.dispatchEvent(new Event("input", { bubbles: true }));
}
