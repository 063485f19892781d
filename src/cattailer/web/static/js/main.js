// Puts the page together: each module looks after one thing on screen.
import { startClock } from "./clock.js";
import { startKeys } from "./keys.js";
import { startLanes } from "./lanes.js";
import { startListen } from "./listen.js";
import { startMessages } from "./messages.js";
import { startMeters } from "./meters.js";
import { startPlayers } from "./players.js";
import { startRefresh } from "./refresh.js";
import { connect } from "./socket.js";
import { startTakes } from "./takes.js";

startMessages();
startKeys();
if (document.body.dataset.session) {
  startRefresh();
  startClock();
  startMeters();
  startLanes();
  startListen();
  startPlayers();
  startTakes();
  connect(`/s/${document.body.dataset.session}/live`);
}
