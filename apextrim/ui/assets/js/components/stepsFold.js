// @ts-check
// The best steps from the values on the bench: asked for while the fold is open, anew as values move.
import { written } from "../numbers.js";

/** @type {Component} */
export const stepsFold = () => ({
  waits: 0,
  init() {
    this.$root.closest("form").addEventListener("input", () => {
      clearTimeout(this.waits);
      this.waits = setTimeout(() => this.ask(), 250);
    });
  },
  ask() {
    if (this.$root.open) this.$refs.steps.dispatchEvent(new Event("ask"));
  },
  put(event) {
    const button = event.target.closest("button[data-key]");
    if (!button) return;
    const box = document.getElementById(`item-${button.dataset.key}`);
    box.value = written(Number(button.dataset.value), box.closest(".item").dataset);
    box.dispatchEvent(new Event("input", { bubbles: true }));
  },
});
