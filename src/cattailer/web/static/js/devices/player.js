// A player's page: one mix. What a control says at each place comes with the page; moving it is heard at once, and the server
// writes it down when the hand lets go.
import { startListen } from "../deck/listen.js";
import { startAway } from "../page/away.js";
import { startMessages } from "../page/messages.js";
import { moves, startRefresh } from "../page/refresh.js";
import { startUnanswered } from "../page/unanswered.js";
import { connect, on, wish } from "../page/socket.js";

function show(control) {
  const { dataset, value, min, max } = control;
  const words = JSON.parse(dataset.words)[Number(value) - Number(min)];
  control.closest(".player-row").querySelector("output").textContent = words;
  control.style.setProperty("--share", `${100 * (Number(value) - Number(min)) / (Number(max) - Number(min))}%`);
  return words;
}

startMessages();
startUnanswered();
if (document.body.dataset.session) {
  const rows = document.getElementById("rows");
  rows.addEventListener("input", ({ target }) => {
    if (!target.dataset.move) return;
    moves();
    target.setAttribute("aria-valuetext", `${show(target)} dB`);
    wish({ move: [[...JSON.parse(target.dataset.move), Number(target.value)]] });
  });
  rows.addEventListener("change", ({ target }) => { if (target.dataset.move) wish({ settle: true }); });
  const state = document.getElementById("state");
  const bars = document.getElementById("bars");
  on("frame", (frame) => {
    if (bars.textContent !== frame.where) bars.textContent = frame.where;
    if (document.body.dataset.state === frame.state) return;
    document.body.dataset.state = frame.state;
    state.textContent = frame.state;
  });
  // The engineer opened another session: this page goes with it.
  on("elsewhere", () => setTimeout(() => location.reload(), 1000));
  startRefresh();
  startAway();
  startListen();
  connect(`/s/${document.body.dataset.session}/live`);
}
