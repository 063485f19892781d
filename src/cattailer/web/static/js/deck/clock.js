// The clock, bar and beat, and the transport's state for the whole page.
import { on } from "../page/socket.js";

const WORDS = {
  stopped: "stopped", counting: "◌ count-in", rolling: "rolling", capturing: "● capturing", waiting: "◌ waiting", "pre-roll": "◌ pre-roll",
  "post-roll": "◌ post-roll",
};

// Whether a capture moves along the timeline; not while it waits or is counted in.
export function captures() {
  return ["capturing", "pre-roll", "post-roll"].includes(document.body.dataset.state);
}

export function startClock() {
  const clock = document.getElementById("clock");
  const bars = document.getElementById("bars");
  const samples = document.getElementById("samples");
  const state = document.getElementById("state");
  // An engine that is gone captures and rolls no more, whatever it said last.
  on("beat", ({ engine }) => {
    if (!engine || document.body.dataset.state === "stopped") return;
    become("stopped");
    put(state, "stopped");
    state.classList.remove("text-vermilion", "text-ochre");
  });
  on("frame", (frame) => {
    put(clock, frame.clock);
    put(bars, frame.where);
    samples.dataset.position = frame.position;
    put(samples, frame.going || `${frame.samples} samples`);
    for (const warning of ["behind", "silent"]) {
      const element = document.getElementById(warning);
      put(element, frame[warning]);
      element.hidden = !frame[warning];
    }
    put(state, frame.take && frame.state === "capturing" ? `● take ${frame.take}` : WORDS[frame.state]);
    state.classList.toggle("text-vermilion", frame.state === "capturing");
    state.classList.toggle("text-ochre", ["counting", "waiting", "pre-roll", "post-roll"].includes(frame.state));
    if (document.body.dataset.state !== frame.state) become(frame.state);
    const muted = document.getElementById("muted");
    if (muted.hidden === frame.muted) muted.hidden = !frame.muted;
    const lost = document.getElementById("dropouts");
    if (lost) put(lost, frame.dropouts ? `✗ ${frame.dropouts} ${frame.dropouts === 1 ? "dropout" : "dropouts"} since the start` : "");
  });
}

// A button that is hidden by it hands the focus to the one that takes its place: what ends what was begun, or begins it again.
const IN_ITS_PLACE = { rolling: "stop", counting: "stop-count", waiting: "begin-now", capturing: "stop-capture", "pre-roll": "stop-capture", "post-roll": "stop-capture" };

function become(state) {
  const here = document.activeElement;
  document.body.dataset.state = state;
  if (!here?.dataset.press || here.checkVisibility()) return;
  const name = IN_ITS_PLACE[state] ?? (here.dataset.press === "stop" ? "roll" : "capture");
  document.querySelector(`[data-press="${name}"]`)?.focus({ preventScroll: true });
}

function put(element, text) {
  if (element.textContent !== text) element.textContent = text;
}
