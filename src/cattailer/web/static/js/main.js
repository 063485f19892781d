// Puts the page together: each module looks after one thing on screen.
import { startCheck } from "./check.js";
import { startClock } from "./clock.js";
import { startFields } from "./fields.js";
import { startFlow } from "./flow.js";
import { startGrid } from "./grid.js";
import { startKeys } from "./keys.js";
import { startLanes } from "./lanes.js";
import { startLevels } from "./levels.js";
import { startListen } from "./listen.js";
import { startMessages } from "./messages.js";
import { startMeters } from "./meters.js";
import { startPlayers } from "./players.js";
import { startRefresh } from "./refresh.js";
import { connect } from "./socket.js";
import { startSessions } from "./sessions.js";
import { startTakes } from "./takes.js";
import { startTempo } from "./tempo.js";
import { startTrackRows } from "./trackrows.js";
import { startTuner } from "./tuner.js";

startMessages();
startFields();
startSessions();
startKeys();
if (document.body.dataset.session) {
  startRefresh();
  startClock();
  startMeters();
  startLanes();
  startListen();
  startPlayers();
  startTakes();
  startFlow();
  startGrid();
  startTrackRows();
  startCheck();
  startLevels();
  startTuner();
  startTempo();
  connect(`/s/${document.body.dataset.session}/live`);
}
