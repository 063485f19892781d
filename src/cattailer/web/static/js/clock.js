// The clock, bar and beat, and the transport's state for the whole page.
import { on } from "./socket.js";

const WORDS = { stopped: "stopped", rolling: "rolling", capturing: "● capturing" };

export function startClock() {
  const clock = document.getElementById("clock");
  const bars = document.getElementById("bars");
  const state = document.getElementById("state");
  on("frame", (frame) => {
    put(clock, frame.clock);
    put(bars, `bar ${frame.bar} · beat ${frame.beat} of ${frame.of}`);
    put(state, WORDS[frame.state]);
    state.classList.toggle("!text-vermilion", frame.state === "capturing");
    if (document.body.dataset.state !== frame.state) document.body.dataset.state = frame.state;
    const muted = document.getElementById("muted");
    if (muted.hidden === frame.muted) muted.hidden = !frame.muted;
    const lost = document.getElementById("dropouts");
    if (lost) put(lost, frame.dropouts ? `✗ ${frame.dropouts} ${frame.dropouts === 1 ? "dropout" : "dropouts"} since the start` : "");
  });
}

function put(element, text) {
  if (element.textContent !== text) element.textContent = text;
}
