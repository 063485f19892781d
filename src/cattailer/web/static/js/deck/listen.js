// Listen here: a mix in this browser, through an AudioWorklet with a jitter buffer. Browsers have that on secure pages only; on
// others the mix plays through an ordinary audio element, later.
import { on, wish } from "../page/socket.js";

const stats = { received: 0, heard: 0, loudest: 0, buffered: 0, gaps: 0 };
window.cattailerListen = stats;
const LATER = "Without HTTPS it plays here a second or two late: to hear how it is, not to play along.";
let context = null;
let node = null;

export function startListen() {
  const button = document.querySelector("[data-press='listen']");
  if (!button) return;
  const mix = Number(button.dataset.mix);
  const label = document.getElementById("listen-label");
  const words = document.getElementById("listen-words");
  const show = (listening) => {
    button.setAttribute("aria-pressed", String(listening));
    label.textContent = listening ? "Stop listening" : "Listen here";
    if (!listening) words.textContent = "not heard here";
  };
  if (!window.isSecureContext) return button.dataset.sound ? playPlainly(button, show, words) : sayWhy(button, words);
  button.addEventListener("click", async () => {
    if (node) {
      wish({ listen: 0 });
      await context.close();
      context = node = null;
      show(false);
      return;
    }
    const rate = Number(document.body.dataset.rate);
    context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
    await context.audioWorklet.addModule(new URL("listen-worklet.js", import.meta.url));
    node = new AudioWorkletNode(context, "mix-player", { numberOfInputs: 0, outputChannelCount: [2] });
    node.port.onmessage = ({ data }) => {
      Object.assign(stats, data);
      const own = 1000 * ((context?.baseLatency ?? 0) + (context?.outputLatency ?? 0));
      words.textContent = `${String(Math.round(data.buffered + own)).padStart(3)} ms behind${data.gaps ? `, ${data.gaps} ${data.gaps === 1 ? "gap" : "gaps"}` : ""}`;
    };
    node.connect(context.destination);
    await context.resume();
    wish({ listen: mix });
    show(true);
  });
  on("open", () => { if (node) wish({ listen: mix }); });
  on("mix", (data) => {
    stats.received += data.byteLength / 8;
    node?.port.postMessage(data, [data]);
  });
}

function playPlainly(button, show, words) {
  let sound = null;
  words.textContent = LATER;
  button.addEventListener("click", async () => {
    if (sound) {
      sound.pause();
      sound.removeAttribute("src");
      sound.load();
      sound = null;
      show(false);
      words.textContent = LATER;
      return;
    }
    sound = new Audio(button.dataset.sound);
    sound.addEventListener("timeupdate", ({ target }) => {
      stats.heard = target.currentTime;
      const { buffered } = target;
      if (buffered.length) words.textContent = `about ${(buffered.end(buffered.length - 1) - target.currentTime).toFixed(1)} s behind`;
    });
    sound.addEventListener("ended", () => button.click());
    show(true);
    await sound.play();
  });
}

function sayWhy(button, words) {
  button.disabled = true;
  words.textContent = "Listening here and microphones need HTTPS";
}
