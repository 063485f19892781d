// How far a file is that is brought in: first on its way to the studio machine, then converted there.
const OFTEN_MS = 500;

export function startBringing() {
  let asking = null;
  document.addEventListener("htmx:xhr:progress", ({ target, detail }) => {
    if (target.id === "bring-in" && detail.lengthComputable && detail.loaded < detail.total) tell(`${Math.round((100 * detail.loaded) / detail.total)} % is there`);
  });
  document.addEventListener("htmx:beforeRequest", ({ detail }) => {
    if (detail.elt.id !== "bring-in") return;
    clearInterval(asking);
    asking = setInterval(ask, OFTEN_MS);
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.elt.id !== "bring-in") return;
    clearInterval(asking);
    tell("");
  });
}

async function ask() {
  const answer = await fetch(document.getElementById("bringing").dataset.from);
  const words = answer.ok ? await answer.text() : "";
  if (words) tell(words);
}

function tell(words) {
  const output = document.getElementById("bringing");
  if (output) output.textContent = words;
}
