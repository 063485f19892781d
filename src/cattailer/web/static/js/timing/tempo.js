// Tapping a tempo, and bar 1 where the clock stands. What taps mean is worked out by the server.
import { askJson } from "../page/ask.js";
import { on } from "../page/socket.js";

const taps = [];
let answered = 0; // the newest tap that was answered: answers may overtake each other

export function startTempo() {
  on("frame", ({ position }) => {
    const here = document.getElementById("bar-one-sample");
    if (here) here.value = position;
  });
  document.addEventListener("click", ({ target }) => {
    const button = target.closest?.("#tap");
    if (button) tap(button);
  });
}

async function tap(button) {
  const tapped = performance.now() / 1000;
  taps.push(tapped);
  taps.splice(0, taps.length - 200);
  const times = taps.map((t) => t.toFixed(4)).join(",");
  const found = await askJson(button.dataset.address, { method: "POST", body: new URLSearchParams({ times }) });
  if (!found || tapped < answered) return;
  const { words, bpm, rounded } = found;
  answered = tapped;
  document.getElementById("tapped").textContent = bpm ? `${words}. Rounded to ${rounded} above.` : words;
  if (bpm) document.getElementById("tempo-bpm").value = rounded;
}
