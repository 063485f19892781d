// What is chosen in the rows is shown beside, with all that can be set of it. From the keyboard the focus goes there, and
// Escape leads back.
import { get } from "../page/ask.js";
import { pressed } from "../page/refresh.js";
import { on } from "../page/socket.js";
import { posting } from "../page/unanswered.js";

let chosen = null; // {end, mix} of a cell or a mix, {end, kind} of an effect
let shown = Promise.resolve();
let typed = ""; // "input" or "nudged": so something came into a field there that was not sent yet
let late = false; // it is to be fetched once the finger is up

export function startClose() {
  const rows = document.getElementById("rows");
  const aside = document.getElementById("close");
  if (!rows || !aside) return;
  rows.addEventListener("focusin", look);
  rows.addEventListener("click", (event) => {
    look(event);
    if (event.detail === 0 && event.target.closest(".chip, .ear")) goThere(); // pressed with a key
  });
  document.addEventListener("htmx:afterSettle", ({ target }) => {
    if (target.id !== "rows") return;
    mark();
    lookAgain();
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.target.id !== "close" || !(pressed() || typed || posting(aside))) return;
    event.detail.shouldSwap = false;
    late = pressed();
  });
  for (const event of ["input", "nudged"]) aside.addEventListener(event, () => { typed = event; });
  aside.addEventListener("change", sent);
  aside.addEventListener("keydown", goBack);
  // Rows wait while somebody is in a field; what is beside shows what was just set.
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.successful && detail.requestConfig.verb === "post" && aside.contains(detail.elt)) lookAgain();
  });
  on("released", () => {
    if (late) lookAgain();
  });
}

// What was typed or nudged there is on its way.
export function sent() {
  typed = "";
}

// The first field of what is chosen has the focus once it is there, to be typed over.
export async function goThere() {
  await shown;
  const first = document.querySelector("#close :is(input, select)") ?? document.querySelector("#close button");
  first?.focus();
  first?.select?.();
}

function goBack({ key, target }) {
  if (key !== "Escape") return;
  if (typed === "input") target.value = target.defaultValue;
  sent();
  find()?.focus();
}

function look({ target }) {
  const one = target.closest(".cell, .ear, .chip");
  if (!one) return;
  const end = one.closest("[data-end]")?.dataset.end ?? "";
  const { mix, kind } = one.dataset;
  const before = asked();
  chosen = mix ? { end, mix } : { end, kind };
  mark();
  if (asked() !== before) lookAgain();
}

function asked() {
  return chosen && new URLSearchParams(chosen).toString();
}

function find() {
  if (!chosen) return undefined;
  const [, [name, value]] = Object.entries(chosen);
  return [...document.querySelectorAll(`#rows :is(.cell, .ear, .chip)[data-${name}="${value}"]`)]
    .find((one) => (one.closest("[data-end]")?.dataset.end ?? "") === chosen.end);
}

function mark() {
  for (const here of document.querySelectorAll("#rows [data-close]")) delete here.dataset.close;
  const one = find();
  if (one) one.dataset.close = "";
}

function lookAgain() {
  late = pressed();
  const aside = document.getElementById("close");
  if (late || !aside || !chosen || (typed && aside.contains(document.activeElement))) return;
  sent();
  shown = get(`${aside.dataset.address}?${asked()}`, "#close", "innerHTML", aside);
}
