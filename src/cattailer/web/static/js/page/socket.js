// The line to the studio machine. Modules subscribe by topic; a line that is lost, or over which nothing comes any more, is
// made anew. A frame tells what changed since the one before, and is acknowledged: so none waits behind others where the
// network is slow.
const handlers = new Map();
const PUT_OUT = 4401; // this device has no key any more
const SILENT_MS = 5000; // over a line that is open something comes every second
const QUICK_MS = 1500; // a machine without pages refuses at once; a network that is gone says nothing
const calm = matchMedia("(prefers-reduced-motion: reduce)"); // then fewer frames are enough
let socket = null;
let path = "";
let pause = 500;
let everOpen = false;
let triedAt = 0;
let again = 0;
let whole = {}; // the frame, put together

// How the line is: when anything came over it, and whether the machine refused it at once when it was tried last.
export const line = { heardAt: performance.now(), refused: false, get open() { return socket?.readyState === WebSocket.OPEN; } };

// For measuring: how many frames came, of how many samples they told, and how old they were, in ms.
export const stats = { frames: 0, samples: 0, ages: [], reconnects: 0, bytes: 0 };
window.cattailerStats = stats;

export function on(topic, handler) {
  if (!handlers.has(topic)) handlers.set(topic, []);
  handlers.get(topic).push(handler);
}

export function tell(topic, message) {
  for (const handler of handlers.get(topic) ?? []) handler(message);
}

export function wish(what) {
  if (line.open) socket.send(JSON.stringify(what));
}

export function connect(to) {
  path = to;
  tryLine();
  setInterval(() => {
    if (!socket || performance.now() - Math.max(line.heardAt, triedAt) < SILENT_MS) return;
    tell("silent", {});
    letGo();
  }, 500);
  calm.addEventListener("change", () => wish({ calm: calm.matches }));
  // Whoever finds another network does not wait.
  addEventListener("online", () => { if (socket) letGo(); });
}

function tryLine() {
  clearTimeout(again);
  triedAt = performance.now();
  const mine = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${path}`);
  socket = mine;
  socket.binaryType = "arraybuffer";
  socket.onopen = () => {
    pause = 500;
    line.heardAt = performance.now();
    line.refused = false;
    whole = {};
    if (everOpen) {
      stats.reconnects += 1;
      tell("again", {});
    }
    everOpen = true;
    wish({ calm: calm.matches });
    tell("open", {});
  };
  socket.onmessage = ({ data }) => {
    line.heardAt = performance.now();
    if (data instanceof ArrayBuffer) return tell("mix", data);
    stats.bytes += data.length;
    const message = JSON.parse(data);
    if (message.topic === "frame") takeFrame(message);
    else tell(message.topic, message);
  };
  socket.onclose = ({ code }) => {
    if (code === PUT_OUT) {
      location.href = "/door";
      return;
    }
    line.refused = line.heardAt < triedAt && performance.now() - triedAt < QUICK_MS && navigator.onLine;
    letGo();
  };
}

// A line that is half open is never closed by the other side: it is left, and another one made.
function letGo() {
  const old = socket;
  socket = null;
  old.onopen = old.onmessage = old.onclose = null;
  old.close();
  clearTimeout(again);
  again = setTimeout(tryLine, pause);
  pause = Math.min(3000, pause * 1.5);
}

function takeFrame({ n, meters, ...changed }) {
  wish({ ack: n });
  const before = whole.sample;
  whole = { ...whole, ...changed, meters: { ...whole.meters } };
  for (const [name, figures] of Object.entries(meters ?? {})) whole.meters[name] = { ...whole.meters[name], ...reading(figures) };
  stats.frames += 1;
  if (whole.sample > before) stats.samples += whole.sample - before;
  stats.ages.push(Date.now() - whole.t * 1000);
  if (stats.ages.length > 5000) stats.ages.splice(0, 2500);
  tell("frame", whole);
}

// Levels in tenths of a dB: what moves all the time, and then what seldom does.
function reading([peak, rms, crest, ...seldom]) {
  const quick = { peak: peak / 10, rms: rms / 10, crest };
  if (!seldom.length) return quick;
  const [hold, max, clips, clipped_at, zone] = seldom;
  return { ...quick, hold: hold / 10, max: max / 10, clips, clipped_at, zone };
}
