// Sends sound files to the studio machine, one after the other. What is known of them, and how far they are, is the
// server's to say; only the files themselves are held here, so that one that broke off can be sent again.
import { say } from "../page/messages.js";
import { on } from "../page/socket.js";

const files = new Map(); // by number
const waiting = [];
let sending = null; // {number, xhr}
let away = false; // the connection broke: what waits is sent when it is back

export function startImporting() {
  const area = document.getElementById("imports");
  if (!area) return;
  document.getElementById("import-choose").addEventListener("change", ({ target }) => {
    offer([...target.files]);
    target.value = "";
  });
  document.addEventListener("dragover", (event) => event.preventDefault());
  document.addEventListener("drop", (event) => {
    event.preventDefault();
    offer([...event.dataTransfer.files]);
  });
  area.addEventListener("click", ({ target }) => {
    const chooses = target.closest("[data-chooses]");
    if (chooses) document.getElementById(chooses.dataset.chooses).click();
    const again = target.closest("[data-again]");
    if (again) sendAgain(Number(again.dataset.again));
    const cancels = target.closest("[data-cancels]");
    if (cancels) forget(Number(cancels.dataset.cancels));
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.elt.id === "import-place" || detail.elt.dataset?.cancels || detail.elt.matches?.("[data-accepts]")) changed();
  });
  document.getElementById("import-at").addEventListener("focus", () => { document.querySelector("#import-place [value=place]").checked = true; });
  document.addEventListener("htmx:afterSettle", resume);
  on("open", () => {
    away = false;
    resume();
    changed();
  });
  addEventListener("beforeunload", (event) => { if (sending || waiting.length) event.preventDefault(); });
}

function changed() {
  htmx.trigger("#import-files", "files-changed");
}

// All are announced first, so that what cannot be read here, or has no room, is said before anything is sent.
async function offer(chosen) {
  const refused = [];
  for (const file of chosen) {
    try {
      const address = document.getElementById("imports").dataset.offer;
      const answer = await fetch(address, { method: "POST", headers: { Accept: "text/plain" }, body: new URLSearchParams({ name: file.name, bytes: file.size }) });
      if (!answer.ok) { refused.push(await answer.text()); continue; }
      const { number } = await answer.json();
      files.set(number, file);
      waiting.push(number);
    } catch {
      refused.push(`${file.name} was not announced: the studio machine does not answer. Choose it again.`);
    }
  }
  if (refused.length) say(refused.join(" "));
  changed();
  next();
}

// What never began, because the connection was away.
function resume() {
  for (const row of document.querySelectorAll("[data-file-state=waiting]")) {
    const number = Number(row.dataset.file);
    if (files.has(number) && !waiting.includes(number) && sending?.number !== number) waiting.push(number);
  }
  next();
}

function next() {
  if (sending || away || !waiting.length) return;
  const number = waiting.shift();
  const xhr = new XMLHttpRequest();
  sending = { number, xhr };
  xhr.addEventListener("load", () => { if (xhr.status === 200) files.delete(number); });
  xhr.addEventListener("error", () => { away = true; });
  xhr.addEventListener("loadend", () => {
    sending = null;
    changed();
    next();
  });
  xhr.open("PUT", `${document.getElementById("imports").dataset.offer}${number}/sound`);
  xhr.send(files.get(number));
  changed();
}

function sendAgain(number) {
  if (!files.has(number)) {
    say("This page no longer has that file. Remove it from the list and choose it again.");
    return;
  }
  if (!waiting.includes(number) && sending?.number !== number) waiting.push(number);
  next();
}

function forget(number) {
  files.delete(number);
  const at = waiting.indexOf(number);
  if (at >= 0) waiting.splice(at, 1);
  if (sending?.number === number) sending.xhr.abort();
}
