// Listen here on a page without HTTPS: the mix is a sound file without an end, for an ordinary audio element.
import { say } from "../page/messages.js";

const LATER = "Without HTTPS it plays here a second or two late: to hear how it is, not to play along.";
export const NO_OUTPUT = "This browser cannot open a sound output. Plug in headphones or choose an output in the system's sound settings, then press Listen here again.";
const STARTS_MS = 10000;
const AGAIN_MS = 1000; // an engine that is started again takes as long
const MOST_TRIES = 10;

export function playPlainly(button, show, words, stats) {
  const sound = new Audio();
  let listening = false;
  let tries = 0;
  let starts = 0;
  const stop = () => {
    listening = false;
    clearTimeout(starts);
    sound.removeAttribute("src");
    sound.load();
    show(false);
    words.textContent = LATER;
  };
  const play = () => {
    if (!listening) return;
    sound.src = button.dataset.sound;
    sound.play().catch(({ name }) => { if (name === "NotAllowedError") stop(); });
  };
  // The file ends with its rate or its session; the next one is asked for.
  const again = () => {
    if (!listening) return;
    tries += 1;
    if (tries > MOST_TRIES) stop();
    else setTimeout(play, AGAIN_MS);
  };
  sound.addEventListener("timeupdate", () => {
    if (!listening) return;
    tries = 0;
    clearTimeout(starts);
    stats.heard = sound.currentTime;
    const { buffered } = sound;
    if (buffered.length) words.textContent = `about ${(buffered.end(buffered.length - 1) - sound.currentTime).toFixed(1)} s behind`;
  });
  sound.addEventListener("ended", again);
  sound.addEventListener("error", again);
  words.textContent = LATER;
  button.addEventListener("click", () => {
    if (listening) return stop();
    listening = true;
    tries = 0;
    show(true);
    starts = setTimeout(() => {
      stop();
      say(NO_OUTPUT);
    }, STARTS_MS);
    play();
  });
}
