// Day or night: what was chosen here, else what the machine prefers. Runs before the first paint.
(() => {
  const wanted = localStorage.getItem("theme") || (matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day");
  document.documentElement.dataset.theme = wanted;
})();
