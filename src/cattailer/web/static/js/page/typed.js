// What is typed and was not sent yet outlives a refresh: whoever is in a field, or among those that belong to it, finds it
// in the field that comes in place of theirs, with what was shown when they began, so that the server sees a conflict.
export const FIELDS = "input:not([type=checkbox], [type=radio], [type=range], [type=file], [type=hidden], [type=button]), textarea, select";
const TYPING_MS = 1200; // between two keys
const KNOWS_OPEN = CSS.supports("selector(select:open)");
const sent = new WeakSet();
let typedAt = -Infinity;
let kept = []; // {field, id, home, place, typed, was}

export function startTyped() {
  for (const event of ["input", "compositionupdate"]) {
    addEventListener(event, ({ target }) => {
      if (!target.matches?.(FIELDS)) return;
      sent.delete(target);
      typedAt = performance.now();
    }, true);
  }
  document.addEventListener("htmx:beforeRequest", ({ detail: { elt, xhr, requestConfig } }) => {
    if (requestConfig.verb !== "post") return;
    const fields = elt.matches("form") ? within(elt) : [elt];
    for (const field of fields) sent.add(field);
    xhr.addEventListener("loadend", () => {
      if (xhr.status < 200 || xhr.status >= 400) for (const field of fields) sent.delete(field);
    });
  });
  document.addEventListener("htmx:beforeSwap", () => {
    kept = within(groupOf(document.activeElement)).filter(unsent).map((field) => {
      const home = field.parentElement.closest("[id]");
      return { field, id: field.id, home: home?.id, place: home ? within(home).indexOf(field) : -1, typed: field.value, was: field.dataset.was };
    });
  });
  document.addEventListener("htmx:afterSettle", () => {
    for (const each of kept.filter(({ field }) => !field.isConnected)) putBack(each);
    kept = kept.filter(({ field }) => field.isConnected);
  });
}

// Whether a key was pressed in a field just now, or a list hangs open: then nothing is changed under the hand.
export function typing() {
  const field = document.activeElement;
  if (!field?.matches(FIELDS)) return false;
  if (!field.name && !field.id) return true; // a script made it: nothing that is fetched has it
  if (field.dataset.nudge !== undefined) return field.value !== field.defaultValue; // what was sent already may change under the hand
  return performance.now() - typedAt < TYPING_MS || (field.matches("select") && (!KNOWS_OPEN || field.matches(":open")));
}

function putBack({ field, id, home, place, typed, was }) {
  const now = id ? document.getElementById(id) : within(document.getElementById(home))[place];
  if (now?.name !== field.name || now.matches("select") && ![...now.options].some((o) => o.value === typed)) return;
  now.value = typed;
  if (was !== undefined) now.dataset.was = was;
}

function within(element) {
  return [...element?.querySelectorAll(FIELDS) ?? []];
}

// Fields that are filled one after another and sent together: of a form, or what stands in one line with it. Once the
// focus is elsewhere they show what is.
function groupOf(element) {
  if (!element?.matches("input, button, select, textarea")) return null;
  return element.form ?? (element.closest("label") ?? element).parentElement;
}

function unsent(field) {
  if (sent.has(field)) return false;
  if (field.matches("select")) return field.selectedIndex !== Math.max(0, [...field.options].findIndex((o) => o.defaultSelected));
  return field.value.trim() !== (field.dataset.was ?? field.defaultValue).trim();
}
