// Listen here: a mix in this browser, through an AudioWorklet with a jitter buffer. Browsers have that on secure pages only.
import { on, wish } from "../page/socket.js";
import { say } from "../page/messages.js";
import { NO_OUTPUT, playPlainly } from "./plainsound.js";

const SLOW_MS = 4000;
const STARTS_MS = 20000; // a busy computer needs seconds for it
const stats = { received: 0, heard: 0, loudest: 0, buffered: 0, gaps: 0, rate_hz: 0 };
window.cattailerListen = stats;
let context = null;
let node = null;
let slow = 0;

export function startListen() {
  const button = document.querySelector("[data-press='listen']");
  if (!button) return;
  const mix = Number(button.dataset.mix);
  let listening = false;
  let rate = Number(document.body.dataset.rate);
  const label = document.getElementById("listen-label");
  const words = document.getElementById("listen-words");
  const show = (pressed) => {
    button.setAttribute("aria-pressed", String(pressed));
    label.textContent = pressed ? "Stop listening" : "Listen here";
    if (!pressed) words.textContent = "not heard here";
  };
  if (!window.isSecureContext) return button.dataset.sound ? playPlainly(button, show, words, stats) : sayWhy(button, words);
  const close = () => {
    clearTimeout(slow);
    context?.close();
    context = node = null;
  };
  const open = async () => {
    close();
    Object.assign(stats, { heard: 0, rate_hz: rate });
    words.textContent = "starting …";
    slow = setTimeout(() => { words.textContent = "no sound output yet …"; }, SLOW_MS);
    let made = null;
    try {
      made = context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
      await inTime(start(made));
      if (context === made) clearTimeout(slow);
    } catch { // without an output it is refused, or waited for without end
      if (context !== made) return; // stopped meanwhile, or at another rate
      close();
      listening = false;
      tellAll();
      say(NO_OUTPUT);
    }
  };
  const tellAll = () => {
    wish({ listen: listening ? mix : 0 });
    show(listening);
  };
  const start = async (made) => {
    await made.audioWorklet.addModule(new URL("listen-worklet.js", import.meta.url));
    if (context !== made) return; // stopped meanwhile, or at another rate
    node = new AudioWorkletNode(made, "mix-player", { numberOfInputs: 0, outputChannelCount: [2] });
    node.port.onmessage = ({ data }) => {
      if (context !== made) return;
      Object.assign(stats, data);
      const own = 1000 * ((context?.baseLatency ?? 0) + (context?.outputLatency ?? 0));
      words.textContent = `${String(Math.round(data.buffered + own)).padStart(3)} ms behind${data.gaps ? `, ${data.gaps} ${data.gaps === 1 ? "gap" : "gaps"}` : ""}`;
    };
    node.connect(made.destination);
    await made.resume();
  };
  button.addEventListener("click", () => {
    listening = !listening;
    tellAll();
    if (listening) open();
    else close();
  });
  on("open", () => { if (listening) wish({ listen: mix }); });
  on("frame", (frame) => {
    rate = frame.rate;
    if (listening && rate !== stats.rate_hz) open(); // played on as it was, it would be at another pitch
  });
  on("mix", (data) => {
    stats.received += data.byteLength / 8;
    node?.port.postMessage(data, [data]);
  });
}

function inTime(started) {
  return Promise.race([started, new Promise((_, late) => { setTimeout(late, STARTS_MS, new Error("late")); })]);
}

function sayWhy(button, words) {
  button.disabled = true;
  words.textContent = "Listening here and microphones need HTTPS";
}
