// @ts-check
// One item of a sheet: steps by button and key; its value against the saved one.
import { parse, written } from "../numbers.js";

/** @type {Component} */
export const item = () => ({
  changed: false,
  name: "",
  init() {
    this.compare();
  },
  get box() {
    return this.$root.querySelector("input");
  },
  compare() {
    const { saved, names, low, step } = this.$root.dataset;
    this.changed = parse(this.box.value) !== parse(saved);
    if (names) this.name = names.split("|")[Math.round((parse(this.box.value) - Number(low)) / Number(step))] || "";
    this.$root.classList.toggle("changed", this.changed);
  },
  move(steps) {
    const { low, high, step, saved } = this.$root.dataset;
    const size = Number(step);
    const now = Number.isFinite(parse(this.box.value)) ? parse(this.box.value) : parse(saved);
    const place = Math.round((now - Number(low)) / size) + steps;
    const value = Math.min(Math.max(Number(low) + place * size, Number(low)), Number(high));
    this.box.value = written(value, this.$root.dataset);
    this.box.dispatchEvent(new Event("input", { bubbles: true }));
  },
  up() {
    this.move(1);
  },
  down() {
    this.move(-1);
  },
  keyed(event) {
    const steps = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[event.key];
    if (!steps) return;
    event.preventDefault();
    this.move(steps);
  },
  back() {
    this.box.value = this.$root.dataset.saved;
    this.box.dispatchEvent(new Event("input", { bubbles: true }));
    this.box.focus();
  },
});
