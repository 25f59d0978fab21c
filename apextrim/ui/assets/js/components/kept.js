// @ts-check
// A fold of items that stays as it was left, on every sheet; one with something wrong or moved in it is open.

/** @type {Component} */
export const kept = () => ({
  init() {
    const key = `apex-fold-${this.$root.dataset.fold}`;
    if (!this.$root.dataset.open && localStorage.getItem(key) === "open") this.$root.open = true;
    this.$root.addEventListener("toggle", () => localStorage.setItem(key, this.$root.open ? "open" : "shut"));
  },
});
