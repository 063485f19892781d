// Fetches rows and Deck again when somebody, here or elsewhere, has changed the session. The contract:
//
// - ``#rows`` is what a stage's page refreshes; ``data-refresh`` is the address of its rows. The answer holds the rows and,
//   out of band, Deck and stage line.
// - One element of them carries ``data-revision``, the revision that they show. A newer one is heard of over the socket,
//   by notification or in a frame, and fetched. So an edit answers with 204 and nothing else: the page that made it and
//   all others take the same way.
// - ``data-watch`` on ``#rows`` names a figure of the frame that they show; when it changes, they are fetched too.
// - Rows with a ``data-going`` show work under way; they are fetched again twice a second until they show none.
// - Whoever presses is not disturbed: nothing is swapped between a finger's going down and its coming up, or the press
//   would reach nobody.
// - Whoever is typing is not disturbed: between two keys nothing is swapped, and what was not sent yet stays (typed.js).
//   Nor is a field before it was answered (unanswered.js).
// - What must survive a refresh has an id, and ``hx-preserve`` where it is drawn upon.
import { on, tell } from "./socket.js";
import { typing } from "./typed.js";
import { posting } from "./unanswered.js";

const AGAIN_MS = 1000; // after a fetch that failed
const GOING_MS = 500;
const HELD_MS = 300; // between looks whether the hand is gone
let going = 0;
let later = 0;
let busy = false;
let wanted = false; // somebody asks for a fetch, no matter what is shown
let newest = 0; // the newest revision that was heard of

export function startRefresh() {
  on("revision", ({ revision }) => hear(revision));
  on("frame", (frame) => {
    hear(frame.revision);
    watch(frame);
  });
  on("again", refresh);
  // What a hand moved is written down. A control that was at its end shows too much, and no new revision says so.
  on("settled", ({ revision }) => answered(revision, shown()));
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    // Rows that somebody asked for in another way are refreshed that way from then on.
    if (detail.successful && detail.requestConfig.verb === "get" && detail.target.id === "rows") detail.target.dataset.refresh = detail.pathInfo.finalRequestPath;
  });
  document.addEventListener("htmx:afterSettle", lookOn);
  lookOn();
  document.addEventListener("htmx:beforeRequest", ({ detail: { xhr, requestConfig } }) => {
    if (requestConfig.verb !== "post") return;
    const before = Math.max(newest, shown());
    xhr.addEventListener("load", () => { if (xhr.status < 400) answered(Number(xhr.getResponseHeader("Cattailer-Revision")), before); });
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.target.id !== "rows" || !held()) return;
    event.detail.shouldSwap = false;
    wanted = true;
  });
  addEventListener("pointerdown", () => { down = true; }, true);
  for (const end of ["pointerup", "pointercancel"]) {
    // The click that follows comes first.
    addEventListener(end, () => setTimeout(() => { down = false; fetchAsNeeded(); tell("released", {}); }), true);
  }
  document.addEventListener("focusout", () => setTimeout(fetchAsNeeded, 150));
}

// Whether a finger is down, or what it pressed is about to be heard of.
let down = false;
export function pressed() {
  return down;
}

// A control that moves is not moved back by rows from before: they wait until it was let go of.
const MOVING_MS = 700;
let moved = -Infinity;
export function moves() {
  moved = performance.now();
}

function held() {
  return typing() || pressed() || posting(document.getElementById("rows")) || performance.now() - moved < MOVING_MS;
}

function shown() {
  return Number(document.querySelector("[data-revision]:not(body)").dataset.revision);
}

function lookOn() {
  clearTimeout(going);
  if (document.querySelector("#rows [data-going]")) going = setTimeout(refresh, GOING_MS);
}

// Rows may name a figure of the frame that they show; when it changes, they are fetched again.
let watched = null;
function watch(frame) {
  const name = document.getElementById("rows")?.dataset.watch;
  if (!name || frame[name] === watched) return;
  const first = watched === null;
  watched = frame[name];
  if (!first) refresh();
}

function hear(revision) {
  newest = Math.max(newest, revision);
  if (wanted || newest > shown()) fetchAsNeeded();
}

// Something was done here, and is in that revision. One that is no newer than before changed nothing that has revisions.
function answered(revision, before) {
  if (revision > before) hear(revision);
  else refresh();
}

function refresh() {
  wanted = true;
  fetchAsNeeded();
}

// One fetch at a time; one more when, after it, something newer was heard of.
async function fetchAsNeeded() {
  clearTimeout(later);
  if (busy) return;
  if (held()) {
    later = setTimeout(fetchAsNeeded, HELD_MS);
    return;
  }
  busy = true;
  try {
    while ((wanted || newest > shown()) && !held()) {
      wanted = false;
      await htmx.ajax("GET", document.getElementById("rows").dataset.refresh, { target: "#rows", swap: "innerHTML" });
      // Where htmx only queued it, because something else was fetched, others get their turn first.
      if (newest > shown()) await new Promise((done) => { setTimeout(done, 50); });
    }
  } catch {
    wanted = true;
    setTimeout(fetchAsNeeded, AGAIN_MS);
  } finally {
    busy = false;
    if (held()) later = setTimeout(fetchAsNeeded, HELD_MS);
  }
}
