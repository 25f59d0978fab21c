// @ts-check
// A fold that stays as it was left, also when the answer around it is written anew.

/** @type {Component} */
export const fold = () => ({
  init() {
    this.$root.open = localStorage.getItem(`apex-fold-${this.$root.dataset.fold}`) === "open";
  },
  kept() {
    localStorage.setItem(`apex-fold-${this.$root.dataset.fold}`, this.$root.open ? "open" : "shut");
  },
});
