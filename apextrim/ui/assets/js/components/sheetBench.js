// @ts-check
// The sheet bench: counts unsaved changes and keeps a draft until they are saved.
import { parse } from "../numbers.js";

/** @type {Component} */
export const sheetBench = () => ({
  unsaved: 0,
  restored: false,
  mirror: false,
  shown: false, // while values are written by undo, not by hand
  past: [], // snapshots of all values, the present one last
  future: [],
  draftKey: "", // declared here: an undeclared name would be written into the scope around
  init() {
    this.draftKey = `apex-draft-${this.$root.dataset.draft}`;
    this.$root.dataset.keeps = this.draftKey;
    this.mirror = localStorage.getItem("apex-mirror") === "on";
    if (this.$root.dataset.fresh) this.restore();
    this.$nextTick(() => this.count());
  },
  // Left and right wheels with the same range move together while the box is ticked.
  get paired() {
    return this.inputs.some((input) => this.twin(input));
  },
  twin(input) {
    const other = { l: "r", r: "l" }[input.name.slice(-1)];
    if (!other || !/_[fr][lr]$/.test(input.name)) return null;
    const twin = this.$root.querySelector(`.item input[name="${input.name.slice(0, -1)}${other}"]`);
    if (!twin || twin.readOnly) return null;
    const [one, two] = [input.closest(".item").dataset, twin.closest(".item").dataset];
    return one.low === two.low && one.high === two.high ? twin : null;
  },
  keepMirror() {
    localStorage.setItem("apex-mirror", this.mirror ? "on" : "off");
  },
  mirrored(event) {
    const twin = this.mirror && !this.shown && event.target.matches(".item input") && this.twin(event.target);
    if (!twin || twin.value === event.target.value) return;
    twin.value = event.target.value;
    Alpine.$data(twin.closest(".item")).compare();
  },
  changedItem(event) {
    this.mirrored(event);
    this.count();
    const why = this.why?.value || "";
    if (why) localStorage.setItem(`${this.draftKey}-why`, why);
    else localStorage.removeItem(`${this.draftKey}-why`);
  },
  get why() {
    return this.$root.querySelector("[name=reason]");
  },
  withUnsaved(event) {
    const link = event.target.closest("a");
    if (!link || !this.unsaved) return;
    const address = new URL(link.href);
    for (const input of this.inputs) {
      if (parse(input.value) !== parse(input.closest(".item").dataset.saved)) address.searchParams.append("set", `${input.name}:${input.value.trim()}`);
    }
    link.href = address.href;
  },
  get snapshot() {
    return this.inputs.map((input) => input.value);
  },
  get canUndo() {
    return this.past.length > 1;
  },
  get canRedo() {
    return this.future.length > 0;
  },
  remember() {
    const now = this.snapshot;
    if (this.past.length && this.past.at(-1).join("|") === now.join("|")) return;
    this.past.push(now);
    this.future = [];
  },
  show(values) {
    this.shown = true;
    this.inputs.forEach((input, place) => {
      input.value = values[place];
      Alpine.$data(input.closest(".item")).compare();
    });
    this.inputs[0].dispatchEvent(new Event("input", { bubbles: true }));
    this.shown = false;
  },
  undo() {
    if (!this.canUndo) return;
    this.future.push(this.past.pop());
    this.show(this.past.at(-1));
  },
  redo() {
    if (!this.canRedo) return;
    this.past.push(this.future.pop());
    this.show(this.past.at(-1));
  },
  keyedAll(event) {
    if (!(event.ctrlKey || event.metaKey) || !event.target.matches(".item input")) return;
    if (event.key === "z" || event.key === "y") event.preventDefault();
    if (event.key === "z") this.undo();
    if (event.key === "y") this.redo();
  },
  get inputs() {
    return [...this.$root.querySelectorAll(".item input")];
  },
  get words() {
    return `${this.unsaved} unsaved change${this.unsaved === 1 ? "" : "s"}`;
  },
  restore() {
    if (this.why && !this.why.value) this.why.value = localStorage.getItem(`${this.draftKey}-why`) || "";
    const draft = JSON.parse(localStorage.getItem(this.draftKey) || "{}");
    for (const input of this.inputs) {
      // what was typed before this script began is newer than the draft
      if (input.name in draft && input.value === input.defaultValue) {
        input.value = draft[input.name];
        this.restored = true;
      }
    }
    if (this.restored) this.$nextTick(() => this.inputs[0].dispatchEvent(new Event("input", { bubbles: true })));
  },
  count() {
    const draft = {};
    for (const input of this.inputs) {
      const box = input.closest(".item");
      const changed = parse(input.value) !== parse(box.dataset.saved);
      box.classList.toggle("changed", changed);
      if (changed) draft[input.name] = input.value;
    }
    this.unsaved = Object.keys(draft).length;
    this.remember();
    if (this.unsaved) localStorage.setItem(this.draftKey, JSON.stringify(draft));
    else localStorage.removeItem(this.draftKey);
  },
  focused(event) {
    if (event.target.matches(".item input")) this.$refs.focused.value = event.target.name;
  },
  discard() {
    this.shown = true;
    for (const input of this.inputs) input.value = input.closest(".item").dataset.saved;
    this.restored = false;
    this.inputs[0].dispatchEvent(new Event("input", { bubbles: true }));
    this.shown = false;
    for (const input of this.inputs) Alpine.$data(input.closest(".item")).compare();
  },
});
