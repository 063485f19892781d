// Puts the page together: each module looks after one thing on screen.
import { startCheck } from "../patch/check.js";
import { startClock } from "../deck/clock.js";
import { startFields } from "./fields.js";
import { startFlow } from "../patch/flow.js";
import { startFocus } from "./focus.js";
import { startGrid } from "../patch/grid.js";
import { startKeys } from "./keys.js";
import { startEars } from "../listen/ears.js";
import { startLanes } from "../capture/lanes.js";
import { startLevels } from "../levels/levels.js";
import { startListen } from "../deck/listen.js";
import { startMessages } from "./messages.js";
import { startMeters } from "./meters.js";
import { startPlayers } from "../deck/players.js";
import { startPress } from "../deck/press.js";
import { startRefresh } from "./refresh.js";
import { connect } from "./socket.js";
import { startSessions } from "./sessions.js";
import { startTakes } from "../takes/takes.js";
import { startTempo } from "../timing/tempo.js";
import { startTrackRows } from "../patch/trackrows.js";
import { startTuner } from "../levels/tuner.js";

startMessages();
startFields();
startFocus();
startSessions();
startKeys();
if (document.body.dataset.session) {
  startRefresh();
  startClock();
  startMeters();
  startLanes();
  startListen();
  startPlayers();
  startPress();
  startTakes();
  startFlow();
  startGrid();
  startTrackRows();
  startCheck();
  startLevels();
  startEars();
  startTuner();
  startTempo();
  connect(`/s/${document.body.dataset.session}/live`);
}
