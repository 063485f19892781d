// What a page asks of the studio machine. Nothing here rejects: that there is no connection is said by others, once. What is
// posted from a page goes out in the order in which it was pressed, one after the other, so no press overtakes or replaces another.
const WAITS_MS = 20000;
let line = Promise.resolve();

async function got(address, read, options) {
  try {
    const answer = await fetch(address, { signal: AbortSignal.timeout(WAITS_MS), ...options });
    return answer.ok ? await read(answer) : null;
  } catch {
    return null;
  }
}

// null where no answer came, or a refusal.
export function askJson(address, options) {
  return got(address, (answer) => answer.json(), options);
}

export function askText(address, options) {
  return got(address, (answer) => answer.text(), options);
}

// ``values`` may be a function: then they are those of the moment when it is sent, and nothing is where it gives null.
export function post(address, values, source = document.getElementById("rows")) {
  line = line.then(() => {
    const now = typeof values === "function" ? values() : values;
    // htmx sends nothing, and says nothing, for what is not on the page any more: rows may have been fetched again meanwhile.
    const from = source?.isConnected ? source : document.getElementById("rows") ?? document.body;
    return now && htmx.ajax("POST", address, { values: now, swap: "none", source: from });
  }).catch(() => {});
  return line;
}

// Resolves once everything that was posted here so far is answered.
export function inLine() {
  return line;
}

export function get(address, target, swap = "innerHTML", source = undefined) {
  return htmx.ajax("GET", address, { target, swap, source }).catch(() => {});
}
