// Before the first paint: the theme chosen last, else what the machine prefers.
(() => {
  const kept = localStorage.getItem("apex-theme");
  const dark = matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.theme = kept || (dark ? "night" : "day");
})();
