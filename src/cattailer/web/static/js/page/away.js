// Says what is gone, and how late the page is: the device's network, the studio machine, its pages, or its engine.
import { line, on } from "./socket.js";

const STILL_MS = 2000;
const LATE_MS = 1000;
const DRIFT = 0.001; // of clocks
const RUNS_ON = "A capture in progress continues.";
let frameAt = performance.now();
let elsewhere = "";
let engine = ""; // what is wrong with it, as the pages' process says
let idle = false; // it runs no session
let nearest = Infinity; // how far the clocks of both lie apart, as told by the frame that was the fastest
let nearestAt = 0;
let toldAt = 0;
let late = 0;

export function startAway() {
  on("elsewhere", ({ title }) => { elsewhere = title; });
  on("beat", (beat) => { ({ engine, idle } = beat); });
  on("frame", ({ t }) => {
    frameAt = performance.now();
    elsewhere = engine = "";
    idle = false;
    const apart = performance.timeOrigin + frameAt - 1000 * t;
    // Where the machine's clock was set back, what was learned of it holds no more.
    nearest = t < toldAt ? apart : Math.min(nearest + DRIFT * (frameAt - nearestAt), apart);
    nearestAt = frameAt;
    toldAt = t;
    late = apart - nearest;
  });
  on("open", () => { frameAt = performance.now(); });
  setInterval(show, 500);
}

function show() {
  const words = wrong();
  const away = document.getElementById("away");
  const says = document.getElementById("away-words");
  if (away.hidden === Boolean(words)) away.hidden = !words;
  if (words && says.textContent !== words) says.textContent = words;
  const open = document.getElementById("open-here");
  const opens = line.open && (Boolean(elsewhere) || idle);
  if (open && open.hidden === opens) open.hidden = !opens;
}

function wrong() {
  const silent = performance.now() - line.heardAt;
  const still = performance.now() - frameAt > STILL_MS;
  if (!line.open && !still) return ""; // it may come again at once
  if (!line.open && !navigator.onLine) return `This device has no network. ${RUNS_ON} Trying again…`;
  if (!line.open && line.refused) return `The studio machine is running, but its pages have stopped and are being restarted. ${RUNS_ON}`;
  if (!line.open) return `No connection to the studio machine. ${RUNS_ON} Trying again…`;
  if (silent > STILL_MS) return `Nothing received from the studio machine for ${Math.floor(silent / 1000)} s. ${RUNS_ON}`;
  if (elsewhere && still) return `Another session is open in the studio: “${elsewhere}”. Meters and clock are silent here.`;
  if (engine) return engine;
  if (still) return "The studio machine answers, but nothing moves yet.";
  if (late > LATE_MS) return `The network is slow: this page is ${Math.round(late / 1000)} s behind.`;
  return "";
}
