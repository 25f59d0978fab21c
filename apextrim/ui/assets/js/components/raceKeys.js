// @ts-check
// Race mode: one key a lap. What is pressed is kept in the browser until the server has it, with the time at which it was pressed.

import { tokenNow } from "../session.js";

/** @type {Component} */
export const raceKeys = () => ({
  problem: "",
  asked: "",
  two: false,
  waiting: 0,
  busy: false,
  get store() {
    return `apex-race-${this.$root.dataset.race}`;
  },
  get waitingWords() {
    return `${this.waiting} entr${this.waiting === 1 ? "y" : "ies"} kept here until the server answers.`;
  },
  get now() {
    return document.getElementById("race-now");
  },
  init() {
    this.waiting = this.kept().length;
    this.flush();
    this.timer = setInterval(() => this.flush(), 3000);
  },
  destroy() {
    clearInterval(this.timer);
  },
  kept() {
    return JSON.parse(localStorage.getItem(this.store) || "[]");
  },
  keep(list) {
    localStorage.setItem(this.store, JSON.stringify(list));
    this.waiting = list.length;
  },
  pressed(event) {
    if (event.target.closest("input, select, textarea, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.repeat) return;
    const state = this.now.dataset;
    const field = event.key === "f" ? this.$refs.board : this.$root.querySelector(`input[data-key="${CSS.escape(event.key)}"]`);
    if (field) {
      event.preventDefault();
      const fold = field.closest("details");
      if (fold) fold.open = true;
      field.focus();
      return;
    }
    const press = {
      l: () => this.take("lap", {}),
      p: () => this.take("pit", { compound: state.tyres || "", litres: state.litres || "" }),
      c: () => this.take(state.safety ? "green" : "safety", {}),
      y: () => this.take(state.yellow ? "green" : "yellow", {}),
      x: () => this.take("puncture", {}),
      j: () => state.jokers && this.take("joker", {}),
      w: () => this.take(state.wet ? "dry" : "wet", {}),
      z: () => this.take("undo", {}),
    }[event.key];
    if (!press || !this.$refs.board) return;
    event.preventDefault();
    event.stopPropagation();
    press();
  },
  sent(event) {
    const form = event.target.closest("form[data-kind]");
    if (!form) return;
    event.preventDefault();
    const told = ["compound", "litres", "time", "value", "laps"].map((name) => [name, form.elements[name]?.value || ""]);
    this.take(form.dataset.kind, Object.fromEntries(told));
    if (form.dataset.kind !== "pit") form.reset();
    document.activeElement.blur();
  },
  take(kind, values) {
    const key = Array.from(crypto.getRandomValues(new Uint32Array(4)), (part) => part.toString(16)).join("");
    this.keep([...this.kept(), { kind, key, at: Date.now(), ...values }]);
    this.flush();
  },
  async flush() {
    if (this.busy || this.asked || !this.kept().length) return;
    this.busy = true;
    const { mark, undo, part } = this.$root.dataset;
    try {
      while (this.kept().length) {
        const [first] = this.kept();
        const response = await fetch(first.kind === "undo" ? undo : mark, {
          method: "POST",
          headers: { Accept: "application/json", "X-CSRFToken": tokenNow() || this.$root.querySelector("[name=csrfmiddlewaretoken]")?.value || "" },
          body: new URLSearchParams(first),
        });
        if (response.redirected || response.status === 401 || response.status === 403) {
          // a session that has ended takes nothing: what was pressed waits for somebody to sign in
          this.problem = "You are signed out. Sign in again in another tab: what you press is kept here meanwhile.";
          throw new Error("signed out");
        }
        if (response.status >= 500) throw new Error("later");
        const answer = response.status === 200 || response.status === 422 ? await response.json() : { problem: "" };
        this.problem = answer.problem;
        if (answer.asked) {
          // what is odd waits for an answer at the head of the queue, so that nothing pressed after it overtakes it
          this.asked = answer.asked;
          this.two = answer.two;
          requestAnimationFrame(() => requestAnimationFrame(() => this.$refs.none.focus())); // it is shown in the frame before
          return;
        }
        this.keep(this.kept().filter((one) => one.key !== first.key));
      }
      const fresh = await fetch(part);
      if (fresh.ok && !fresh.redirected && this.now) {
        const holder = document.createElement("template");
        holder.innerHTML = await fresh.text();
        this.now.replaceWith(holder.content.firstElementChild);
        htmx.process(this.now);
        this.offered();
      }
    } catch {
      this.waiting = this.kept().length;
    } finally {
      this.busy = false;
    }
  },
  /** What an odd lap was: `one`, `two`, or none at all. */
  answer(sure) {
    const [first, ...rest] = this.kept();
    this.asked = "";
    this.keep(sure ? [{ ...first, sure }, ...rest] : rest);
    document.activeElement.blur();
    this.flush();
  },
  offered() {
    if (this.$refs.litres && document.activeElement !== this.$refs.litres) this.$refs.litres.value = this.now.dataset.litres || "";
    if (this.$refs.tyres && document.activeElement !== this.$refs.tyres) this.$refs.tyres.value = this.now.dataset.tyres || "";
  },
});
