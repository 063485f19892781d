// Fields in rows: what was shown goes with what was typed, so that the server sees when somebody else
// was faster; after typing a name, Tab goes to the name in the next row; choices are filled when first opened.
import { leaveField } from "./focus.js";

const sentAs = new WeakMap(); // what stood in a field when it was sent last: more may have been typed since
let naming = false; // names are being typed one after the other

export function startFields() {
  document.addEventListener("htmx:configRequest", ({ detail }) => {
    const { elt, parameters } = detail;
    if (elt.name) sentAs.set(elt, elt.value);
    if (elt.dataset?.was !== undefined && elt.name) parameters.was = elt.dataset.was;
    if (elt.dataset?.by !== undefined) nudgedOnly(elt, parameters);
    if (elt.dataset?.signed !== undefined) parameters.author = localStorage.getItem("author") ?? "";
  });
  const author = document.getElementById("author");
  if (author) author.value = localStorage.getItem("author") ?? "";
  document.addEventListener("change", ({ target }) => {
    if (target.id === "author") localStorage.setItem("author", target.value.trim().slice(0, 60));
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    const { elt, successful, requestConfig } = detail;
    if (successful && elt.dataset?.was !== undefined && elt.name) elt.dataset.was = sentAs.get(elt).trim().replace(/\s+/g, " ");
    if (elt.dataset?.nudge !== undefined) {
      if (successful) elt.defaultValue = sentAs.get(elt);
      elt.toggleAttribute("data-refused", !successful);
      if (document.activeElement !== elt) restore(elt);
    }
    if (successful && requestConfig.verb === "post" && elt.matches?.("form[data-resets]")) elt.reset();
    if (successful && elt.dataset?.clears !== undefined && document.activeElement?.matches("input")) leaveField(document.activeElement);
  });
  document.addEventListener("keydown", nextRow);
  document.addEventListener("wheel", (event) => {
    const field = event.target.closest?.("[data-nudge]");
    if (!field || field !== document.activeElement) return;
    event.preventDefault();
    nudge(field, event.deltaY < 0 ? 1 : -1, event.shiftKey);
  }, { passive: false });
  document.addEventListener("input", ({ target }) => {
    if (target.matches?.("input.down")) naming = true;
    delete target.dataset.by; // what is typed says where it is to be
  });
  document.addEventListener("focusout", ({ target }) => {
    sendNudges(target);
    // What was refused can be mended while the hand is there; left alone it would look as if it held.
    restore(target);
  });
  document.addEventListener("focusin", ({ target }) => { if (!target.matches?.("input.down")) naming = false; });
  document.addEventListener("pointerdown", () => { naming = false; });
  for (const event of ["focusin", "pointerdown"]) document.addEventListener(event, ({ target }) => fill(target), true);
  document.addEventListener("change", ({ target }) => {
    if (target.matches("[data-send]")) {
      target.form.requestSubmit();
      target.value = "";
    }
    if (target.id === "list-file") readList(target);
  });
  document.addEventListener("dblclick", ({ target }) => {
    const field = target.closest?.("[data-usual]");
    if (!field || field.value === field.dataset.usual) return;
    field.value = field.dataset.usual;
    field.dispatchEvent(new Event("change", { bubbles: true }));
  });
  document.addEventListener("submit", (event) => { if (event.target.method !== "dialog") event.preventDefault(); });
}

function restore(field) {
  if (field.dataset?.refused === undefined) return;
  field.value = field.defaultValue;
  delete field.dataset.refused;
}

// Arrows and the wheel nudge a figure by its step; Shift is fine. By how much is sent, not where it leads to: so nudges of
// several pages add up. What is heard on its way goes by the line (ears.js), all else when it is left alone.
function nudge(field, ways, fine) {
  const by = ways * Math.max(Number(field.dataset.nudge) * (fine ? 0.1 : 1), 0.1);
  const value = Number(field.value.replace("−", "-")) + by;
  field.value = (value > 0 && field.dataset.plain === undefined ? "+" : "") + String(Math.round(value * 10) / 10);
  field.dispatchEvent(new CustomEvent("nudged", { bubbles: true, detail: by }));
  if (field.dataset.move !== undefined) return;
  field.dataset.by = Math.round(10 * (Number(field.dataset.by ?? 0) + by)) / 10;
  clearTimeout(Number(field.dataset.waits));
  field.dataset.waits = setTimeout(() => sendNudges(field), 300);
}

function sendNudges(field) {
  if (field.dataset?.by !== undefined) htmx.trigger(field, "change");
}

function nudgedOnly(field, parameters) {
  parameters.by = field.dataset.by;
  delete field.dataset.by;
  delete parameters[field.name];
  delete parameters.was;
}

function nextRow(event) {
  const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (by && event.target.dataset?.nudge) {
    event.preventDefault();
    nudge(event.target, by, event.shiftKey);
    return;
  }
  nextName(event);
}

function nextName(event) {
  if (!event.target.matches?.("input.down")) return;
  const by = { Tab: event.shiftKey ? -1 : 1, ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!by || (event.key === "Tab" && !naming)) return;
  const kind = event.target.id.replace(/\d+$/, "");
  const all = [...document.querySelectorAll(`input.down[id^="${kind}"]`)];
  const next = all[all.indexOf(event.target) + by];
  if (!next) return;
  event.preventDefault();
  next.focus();
  next.select();
}

function fill(target) {
  const select = target.closest?.("select[data-choices]");
  const from = document.getElementById(select?.dataset.choices);
  if (!from || select.dataset.filled) return;
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
