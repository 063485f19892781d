// The telemetry connection. Modules subscribe by topic; a lost connection comes back by itself.
const handlers = new Map();
const away = document.getElementById("away");
const PUT_OUT = 4401; // this device has no key any more
let socket = null;
let pause = 500;
let everOpen = false;
let lastFrame = performance.now();
let elsewhere = "";
let engine = ""; // what is wrong with it, as the pages' process says
let idle = false; // it runs no session

// For measuring: how many frames came and how old they were, in ms.
export const stats = { frames: 0, ages: [], reconnects: 0 };
window.cattailerStats = stats;

export function on(topic, handler) {
  if (!handlers.has(topic)) handlers.set(topic, []);
  handlers.get(topic).push(handler);
}

export function tell(topic, message) {
  for (const handler of handlers.get(topic) ?? []) handler(message);
}

export function wish(what) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(what));
}

export function connect(path) {
  socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${path}`);
  socket.binaryType = "arraybuffer";
  socket.onopen = () => {
    pause = 500;
    lastFrame = performance.now();
    if (everOpen) {
      stats.reconnects += 1;
      tell("again", {});
    }
    everOpen = true;
    tell("open", {});
  };
  socket.onmessage = ({ data }) => {
    if (data instanceof ArrayBuffer) return tell("mix", data);
    const message = JSON.parse(data);
    if (message.topic === "elsewhere") elsewhere = message.title;
    if (message.topic === "beat") ({ engine, idle } = message);
    if (message.topic === "frame") {
      lastFrame = performance.now();
      elsewhere = engine = "";
      idle = false;
      stats.frames += 1;
      stats.ages.push(Date.now() - message.t * 1000);
      if (stats.ages.length > 5000) stats.ages.splice(0, 2500);
    }
    tell(message.topic, message);
  };
  socket.onclose = ({ code }) => {
    if (code === PUT_OUT) {
      location.href = "/door";
      return;
    }
    setTimeout(() => connect(path), pause);
    pause = Math.min(3000, pause * 1.5);
  };
}

setInterval(() => {
  if (!document.body.dataset.session) return;
  const silent = performance.now() - lastFrame > 2000 || Boolean(engine);
  const connected = socket?.readyState === WebSocket.OPEN;
  const other = connected && elsewhere;
  const text = other
    ? `Another session is open in the studio: “${elsewhere}”. Meters and clock are silent here.`
    : connected
    ? engine || "The studio machine answers, but nothing moves yet."
    : "No connection to the studio machine. A capture that runs goes on. Trying again…";
  const words = document.getElementById("away-words");
  const open = document.getElementById("open-here");
  if (away.hidden === silent) away.hidden = !silent;
  if (silent && words.textContent !== text) words.textContent = text;
  const opens = connected && (Boolean(other) || idle);
  if (open && open.hidden === opens) open.hidden = !opens;
}, 500);
