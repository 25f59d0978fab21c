// @ts-check
// Theme, keys, and the dialog that lists them.

/** @type {Component} */
export const shell = () => ({
  night: document.documentElement.dataset.theme === "night",
  headOpen: false,
  // On a phone the thread and the tools are folded away.
  get head() {
    return this.headOpen ? "open" : "shut";
  },
  toggleHead() {
    this.headOpen = !this.headOpen;
    requestAnimationFrame(() => {
      const thread = document.querySelector(".thread");
      if (thread) thread.scrollLeft = thread.scrollWidth; // at its newest end, as on a wide screen
    });
  },
  get themeWord() {
    return this.night ? "Day theme" : "Night theme";
  },
  toggleTheme() {
    this.night = !this.night;
    const name = this.night ? "night" : "day";
    document.documentElement.dataset.theme = name;
    localStorage.setItem("apex-theme", name);
  },
  showKeys() {
    this.$refs.keys.showModal();
  },
  hideKeys() {
    this.$refs.keys.close();
  },
  find() {
    const palette = document.querySelector("dialog.palette");
    if (!palette || palette.open) return;
    palette.showModal();
    palette.dispatchEvent(new Event("opened"));
  },
  pressed(event) {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
      event.preventDefault();
      this.find();
      return;
    }
    if ((event.ctrlKey || event.metaKey) && event.key === "Enter" && event.target.closest("form")) {
      const buttons = [...event.target.closest("form").querySelectorAll("button:not([type=button])")];
      const main = buttons.find((button) => button.classList.contains("main")) || buttons[0];
      if (main) main.click();
      return;
    }
    const typing = event.target.closest("input, select, textarea, dialog");
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "?") this.showKeys();
    if (event.key === "/") {
      event.preventDefault();
      this.find();
      return;
    }
    const bench = document.querySelector(`[data-bench-key="${CSS.escape(event.key)}"]`);
    if (bench) bench.click();
  },
});
