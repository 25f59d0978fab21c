// Behaviour of the pages. Computation is the server's; here are only steps, drafts and keys.

// A plain number as typed, for comparing and stepping; NaN for anything that the server must read, such as an inline unit or
// a comma that could part thousands. What is sent is always what was typed.
const parse = (text) => {
  const bare = String(text).trim().replace(/[\u2212\u2013]/, "-");
  if (!bare || /^[+-]?[1-9]\d{0,2}(,\d{3})+$/.test(bare)) return NaN;
  return Number(bare.replace(",", "."));
};

document.addEventListener("alpine:init", () => {
  // Theme, keys, and the dialog that lists them.
  Alpine.data("shell", () => ({
    night: document.documentElement.dataset.theme === "night",
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
    pressed(event) {
      const typing = event.target.closest("input, select, textarea, dialog");
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "?") this.showKeys();
      const bench = document.querySelector(`[data-bench-key="${CSS.escape(event.key)}"]`);
      if (bench) bench.click();
    },
  }));

  // The thread opens at its newest end.
  Alpine.data("thread", () => ({
    init() {
      this.$el.scrollLeft = this.$el.scrollWidth;
    },
  }));

  // One item of a sheet: steps by button and key; its value against the saved one.
  Alpine.data("item", () => ({
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
      const { low, high, step, decimals, saved } = this.$root.dataset;
      const size = Number(step);
      const now = Number.isFinite(parse(this.box.value)) ? parse(this.box.value) : parse(saved);
      const place = Math.round((now - Number(low)) / size) + steps;
      const value = Math.min(Math.max(Number(low) + place * size, Number(low)), Number(high));
      this.box.value = value.toFixed(Number(decimals));
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
  }));

  // The sheet bench: counts unsaved changes and keeps a draft until they are saved.
  Alpine.data("sheetBench", () => ({
    unsaved: 0,
    restored: false,
    mirror: false,
    shown: false, // while values are written by undo, not by hand
    past: [], // snapshots of all values, the present one last
    future: [],
    draftKey: "", // declared here: an undeclared name would be written into the scope around
    init() {
      this.draftKey = `apex-draft-${this.$root.dataset.draft}`;
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
    saved() {
      localStorage.removeItem(this.draftKey);
    },
    discard() {
      this.shown = true;
      for (const input of this.inputs) input.value = input.closest(".item").dataset.saved;
      this.restored = false;
      this.inputs[0].dispatchEvent(new Event("input", { bubbles: true }));
      this.shown = false;
      for (const input of this.inputs) Alpine.$data(input.closest(".item")).compare();
    },
  }));

  // The best steps from the values on the bench: asked for while the fold is open, anew as values move.
  Alpine.data("stepsFold", () => ({
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
      const { decimals } = box.closest(".item").dataset;
      box.value = Number(button.dataset.value).toFixed(Number(decimals));
      box.dispatchEvent(new Event("input", { bubbles: true }));
    },
  }));

  // A fold that stays as it was left, also when the answer around it is written anew.
  Alpine.data("fold", () => ({
    init() {
      this.$root.open = localStorage.getItem(`apex-fold-${this.$root.dataset.fold}`) === "open";
    },
    kept() {
      localStorage.setItem(`apex-fold-${this.$root.dataset.fold}`, this.$root.open ? "open" : "shut");
    },
  }));

  // The map of a circuit being edited: a click on the road fills the distance field that was in focus last.
  Alpine.data("mapPick", () => ({
    words: "",
    field: "",
    focused(event) {
      if (/\.(at_m|from_m|to_m)$|^sectors_m\./.test(event.target.name || "")) this.field = event.target.name;
    },
    pick(event) {
      const map = event.target.closest("svg");
      if (!map) return;
      const box = map.getBoundingClientRect();
      const scale = map.viewBox.baseVal.width / box.width;
      const [x, y] = [(event.clientX - box.left) * scale, (event.clientY - box.top) * scale];
      const places = map.dataset.picks.split(";").map((one) => one.split(",").map(Number));
      const near = places.reduce((best, one) => (Math.hypot(one[0] - x, one[1] - y) < Math.hypot(best[0] - x, best[1] - y) ? one : best));
      const empty = [...this.$root.querySelectorAll('[name^="markers."][name$=".at_m"]')].find((one) => !one.value);
      const target = (this.field && this.$root.querySelector(`[name="${CSS.escape(this.field)}"]`)) || empty;
      if (target) target.value = near[2];
      this.words = `${near[2]} m`;
    },
  }));

  // A form whose fields are kept in the browser until it is sent.
  Alpine.data("keptForm", () => ({
    restored: false,
    get key() {
      return `apex-form-${this.$root.dataset.draft}`;
    },
    get fields() {
      return [...this.$root.querySelectorAll("input:not([type=hidden]), select, textarea")];
    },
    init() {
      if (this.$root.dataset.cameBack) return;
      const kept = JSON.parse(localStorage.getItem(this.key) || "{}");
      for (const field of this.fields) {
        if (!(field.name in kept)) continue;
        field.value = kept[field.name];
        this.restored = true;
      }
    },
    keep() {
      localStorage.setItem(this.key, JSON.stringify(Object.fromEntries(this.fields.map((field) => [field.name, field.value]))));
    },
    sent() {
      localStorage.removeItem(this.key);
    },
  }));

  // A select that sends its form as soon as it changes (marking laps, choosing sheets).
  Alpine.data("autoSend", () => ({
    send() {
      this.$root.requestSubmit();
    },
    // Another kind of difference has other sides: those chosen before mean nothing there.
    sendKind(event) {
      if (event.target.name !== "by") return;
      for (const name of ["a", "b"]) this.$root.elements[name].value = "";
      this.$root.requestSubmit();
    },
  }));

  // The print button of a card.
  Alpine.data("printer", () => ({
    print() {
      window.print();
    },
  }));
});
