(() => {
  // apextrim/ui/assets/js/components/autoSend.js
  var autoSend = () => ({
    send() {
      this.$root.requestSubmit();
    },
    // Another kind of difference has other sides: those chosen before mean nothing there.
    sendKind(event) {
      if (event.target.name !== "by") return;
      for (const name of ["a", "b"]) this.$root.elements[name].value = "";
      this.$root.requestSubmit();
    }
  });

  // apextrim/ui/assets/js/components/bookPage.js
  var bookPage = () => ({
    field: null,
    init() {
      document.querySelector(".corner-pic")?.addEventListener("click", (event) => {
        const mark = event.target.closest("[data-mark]");
        const field = this.field || this.$root.querySelector("[data-place]");
        if (!mark || !field) return;
        field.value = mark.dataset.mark;
        field.focus();
      });
    },
    focused(event) {
      if (event.target.dataset.place) this.field = event.target;
    }
  });

  // apextrim/ui/assets/js/numbers.js
  var parse = (text) => {
    const bare = String(text).trim().replace(/[\u2212\u2013]/, "-");
    if (!bare || /^[+-]?[1-9]\d{0,2}(,\d{3})+$/.test(bare)) return NaN;
    const part = /^([+-]?)(?:(\d+)[ -])?(\d+)\/(\d+)$/.exec(bare);
    if (part) return (part[1] === "-" ? -1 : 1) * (Number(part[2] || 0) + Number(part[3]) / Number(part[4]));
    return Number(bare.replace(",", "."));
  };
  var written = (value, told) => {
    if (!told.parts) return value.toFixed(Number(told.decimals));
    const parts = Number(told.parts);
    const count = Math.round(Math.abs(value) * parts);
    const divisor = (a, b) => b ? divisor(b, a % b) : a;
    const [whole, rest] = [Math.floor(count / parts), count % parts];
    const by = divisor(rest, parts);
    const text = [whole || !rest ? String(whole) : "", rest ? `${rest / by}/${parts / by}` : ""].filter(Boolean).join(" ");
    return (value < 0 && count ? "-" : "") + text;
  };

  // apextrim/ui/assets/js/components/drawnLine.js
  var drawnLine = () => {
    let held, waits, turn = 0;
    const places = (root) => [...root.querySelectorAll("[data-handle]")];
    const box = (place) => document.getElementById(`d${place.dataset.handle}`);
    const put = (place, metres) => {
      const { x, y, leftX, leftY } = Object.fromEntries(Object.entries(place.dataset).map(([key, value]) => [key, Number(value)]));
      place.setAttribute("cx", x + metres * leftX);
      place.setAttribute("cy", y + metres * leftY);
    };
    return {
      init() {
        for (const place of places(this.$root)) if (Number.isFinite(parse(box(place).value))) put(place, parse(box(place).value));
        document.getElementById("draw").addEventListener("input", () => this.typed());
      },
      grabbed(event) {
        held = event.target.closest("[data-handle]");
        if (held) held.setPointerCapture(event.pointerId);
      },
      dragged(event) {
        if (!held) return;
        const { x, y, leftX, leftY, low, high } = Object.fromEntries(Object.entries(held.dataset).map(([key, value]) => [key, Number(value)]));
        const spot = new DOMPoint(event.clientX, event.clientY).matrixTransform(held.ownerSVGElement.getScreenCTM().inverse());
        const metres = ((spot.x - x) * leftX + (spot.y - y) * leftY) / (leftX ** 2 + leftY ** 2);
        const kept2 = Math.min(Math.max(metres, low), high);
        put(held, kept2);
        box(held).value = kept2.toFixed(2);
        this.ask();
      },
      dropped() {
        held = null;
      },
      typed() {
        for (const place of places(this.$root)) put(place, Number.isFinite(parse(box(place).value)) ? parse(box(place).value) : 0);
        this.ask();
      },
      ask() {
        clearTimeout(waits);
        waits = setTimeout(() => this.answer(), 120);
      },
      async answer() {
        const mine = ++turn;
        const form = document.getElementById("draw");
        const asked = new URLSearchParams([...new FormData(form)].map(([key, value]) => [key, String(value)]));
        const answer = await fetch(`${form.dataset.answer}?${asked}`);
        const text = await answer.text();
        if (mine !== turn || !answer.ok) return;
        const told = document.getElementById("drawn-answer");
        told.innerHTML = text;
        this.$root.querySelector("#drawn-path").setAttribute("d", told.firstElementChild?.dataset.path || "");
      }
    };
  };

  // apextrim/ui/assets/js/components/fold.js
  var fold = () => ({
    init() {
      this.$root.open = localStorage.getItem(`apex-fold-${this.$root.dataset.fold}`) === "open";
    },
    kept() {
      localStorage.setItem(`apex-fold-${this.$root.dataset.fold}`, this.$root.open ? "open" : "shut");
    }
  });

  // apextrim/ui/assets/js/components/item.js
  var item = () => ({
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
    }
  });

  // apextrim/ui/assets/js/components/kept.js
  var kept = () => ({
    init() {
      const key = `apex-fold-${this.$root.dataset.fold}`;
      if (!this.$root.dataset.open && localStorage.getItem(key) === "open") this.$root.open = true;
      this.$root.addEventListener("toggle", () => localStorage.setItem(key, this.$root.open ? "open" : "shut"));
    }
  });

  // apextrim/ui/assets/js/components/keptForm.js
  var keptForm = () => ({
    restored: false,
    get key() {
      return `apex-form-${this.$root.dataset.draft}`;
    },
    get fields() {
      return [...this.$root.querySelectorAll("input:not([type=hidden]), select, textarea")];
    },
    init() {
      if (this.$root.dataset.cameBack) return;
      const kept2 = JSON.parse(localStorage.getItem(this.key) || "{}");
      for (const field of this.fields) {
        if (!(field.name in kept2)) continue;
        field.value = kept2[field.name];
        this.restored = true;
      }
    },
    keep() {
      localStorage.setItem(this.key, JSON.stringify(Object.fromEntries(this.fields.map((field) => [field.name, field.value]))));
    },
    sent() {
      localStorage.removeItem(this.key);
    }
  });

  // apextrim/ui/assets/js/components/mapPick.js
  var mapPick = () => ({
    words: "",
    field: "",
    naming: false,
    corner: "",
    number: 0,
    focused(event) {
      if (/\.(at_m|from_m|to_m)$|^sectors_m\./.test(event.target.name || "")) this.field = event.target.name;
    },
    // the box of a corner's name; those of a surveyed road stand in one, parted by bars
    box() {
      const fields = this.$root.querySelector("[data-names]").dataset.names.split(",");
      const alone = fields.length === 1 && fields[0] === "corner_names";
      return { alone, box: this.$root.querySelector(`[name="${CSS.escape(alone ? fields[0] : fields[this.number - 1] || "")}"]`) };
    },
    named() {
      this.naming = false;
    },
    called() {
      const { alone, box } = this.box();
      const name = this.$refs.corner.value.replaceAll("|", " ");
      if (!box) return;
      if (alone) {
        const names = box.value.split("|").map((one) => one.trim());
        while (names.length < this.number) names.push("");
        names[this.number - 1] = name;
        box.value = names.join(" | ");
      } else box.value = name;
      const label = this.$root.querySelector(`[data-called="${this.number}"]`);
      if (label) label.textContent = name;
    },
    pick(event) {
      const map = event.target.closest("svg");
      if (!map) return;
      const badge = event.target.closest("[data-corner]");
      if (badge) {
        this.number = Number(badge.dataset.corner);
        const { alone, box: box2 } = this.box();
        if (!box2) return;
        this.corner = `Corner ${this.number} is called`;
        this.naming = true;
        this.$refs.corner.value = (alone ? box2.value.split("|")[this.number - 1] || "" : box2.value).trim();
        this.$nextTick(() => this.$refs.corner.focus());
        return;
      }
      if (!map.dataset.picks) return;
      const box = map.getBoundingClientRect();
      const scale = map.viewBox.baseVal.width / box.width;
      const [x, y] = [(event.clientX - box.left) * scale, (event.clientY - box.top) * scale];
      const places = map.dataset.picks.split(";").map((one) => one.split(",").map(Number));
      const near = places.reduce((best, one) => Math.hypot(one[0] - x, one[1] - y) < Math.hypot(best[0] - x, best[1] - y) ? one : best);
      const empty = [...this.$root.querySelectorAll('[name^="markers."][name$=".at_m"]')].find((one) => !one.value);
      const target = this.field && this.$root.querySelector(`[name="${CSS.escape(this.field)}"]`) || empty;
      if (target) target.value = near[2];
      this.words = `${near[2]} m`;
    }
  });

  // apextrim/ui/assets/js/components/palette.js
  var palette = () => ({
    waits: 0,
    asked: 0,
    init() {
      this.$root.addEventListener("opened", () => {
        this.$refs.box.value = "";
        this.$refs.box.focus();
        this.ask();
      });
    },
    typed() {
      clearTimeout(this.waits);
      this.waits = setTimeout(() => this.ask(), 120);
    },
    async ask() {
      const { find, event } = this.$root.dataset;
      const number = this.asked += 1;
      const query = new URLSearchParams({ q: this.$refs.box.value, event });
      const answer = await fetch(`${find}?${query}`, { headers: { "X-Requested-With": "fetch" } });
      const text = answer.ok ? await answer.text() : "";
      if (number !== this.asked) return;
      this.$refs.found.innerHTML = text;
      this.mark(0);
    },
    links() {
      return [...this.$refs.found.querySelectorAll("a")];
    },
    mark(place) {
      const links = this.links();
      links.forEach((link, k) => link.setAttribute("aria-current", k === place ? "true" : "false"));
      if (links[place]) links[place].scrollIntoView({ block: "nearest" });
    },
    keyed(event) {
      const links = this.links();
      const now = links.findIndex((link) => link.getAttribute("aria-current") === "true");
      const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (step && links.length) {
        event.preventDefault();
        this.mark((now + step + links.length) % links.length);
      }
      if (event.key === "Enter" && links[now]) {
        event.preventDefault();
        const target = links[now].href;
        this.$root.close();
        window.location.assign(target);
      }
    },
    closed() {
      this.$refs.found.innerHTML = "";
    }
  });

  // apextrim/ui/assets/js/components/printer.js
  var printer = () => ({
    print() {
      window.print();
    }
  });

  // apextrim/ui/assets/js/components/raceKeys.js
  var raceKeys = () => ({
    problem: "",
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
      this.timer = setInterval(() => this.flush(), 3e3);
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
      if (event.key === "f") {
        event.preventDefault();
        this.$refs.board.focus();
        return;
      }
      const press = {
        l: () => this.take("lap", {}),
        p: () => this.take("pit", { compound: state.tyres || "", litres: state.litres || "" }),
        c: () => this.take(state.safety ? "green" : "safety", {}),
        w: () => this.take(state.wet ? "dry" : "wet", {}),
        z: () => this.take("undo", {})
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
      this.take(form.dataset.kind, { compound: form.elements.compound?.value || "", litres: form.elements.litres?.value || "" });
      if (form.dataset.kind === "fuel") form.reset();
      document.activeElement.blur();
    },
    take(kind, values) {
      const key = Array.from(crypto.getRandomValues(new Uint32Array(4)), (part) => part.toString(16)).join("");
      this.keep([...this.kept(), { kind, key, at: Date.now(), ...values }]);
      this.flush();
    },
    async flush() {
      if (this.busy || !this.kept().length) return;
      this.busy = true;
      const { mark, undo, part } = this.$root.dataset;
      const token = this.$root.querySelector("[name=csrfmiddlewaretoken]")?.value || "";
      try {
        while (this.kept().length) {
          const [first] = this.kept();
          const response = await fetch(first.kind === "undo" ? undo : mark, {
            method: "POST",
            headers: { Accept: "application/json", "X-CSRFToken": token },
            body: new URLSearchParams(first)
          });
          if (response.status >= 500) throw new Error("later");
          const answer = response.status === 200 || response.status === 422 ? await response.json() : { problem: "" };
          this.problem = answer.problem;
          this.keep(this.kept().filter((one) => one.key !== first.key));
        }
        const fresh = await fetch(part);
        if (fresh.ok && this.now) {
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
    offered() {
      if (this.$refs.litres && document.activeElement !== this.$refs.litres) this.$refs.litres.value = this.now.dataset.litres || "";
      if (this.$refs.tyres && document.activeElement !== this.$refs.tyres) this.$refs.tyres.value = this.now.dataset.tyres || "";
    }
  });

  // apextrim/ui/assets/js/components/sheetBench.js
  var sheetBench = () => ({
    unsaved: 0,
    restored: false,
    mirror: false,
    shown: false,
    // while values are written by undo, not by hand
    past: [],
    // snapshots of all values, the present one last
    future: [],
    draftKey: "",
    // declared here: an undeclared name would be written into the scope around
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
    }
  });

  // apextrim/ui/assets/js/components/shell.js
  var shell = () => ({
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
    find() {
      const palette2 = document.querySelector("dialog.palette");
      if (!palette2 || palette2.open) return;
      palette2.showModal();
      palette2.dispatchEvent(new Event("opened"));
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
    }
  });

  // apextrim/ui/assets/js/components/stepsFold.js
  var stepsFold = () => ({
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
    }
  });

  // apextrim/ui/assets/js/components/thread.js
  var thread = () => ({
    get knots() {
      return [...this.$root.querySelectorAll("a")];
    },
    stop(place) {
      this.knots.forEach((knot, n) => knot.setAttribute("tabindex", n === place ? 0 : -1));
    },
    along(event) {
      const here = this.knots.indexOf(document.activeElement);
      const next = { ArrowLeft: here - 1, ArrowRight: here + 1, Home: 0, End: this.knots.length - 1 }[event.key];
      if (here < 0 || next === void 0) return;
      event.preventDefault();
      const place = Math.min(Math.max(next, 0), this.knots.length - 1);
      this.stop(place);
      this.knots[place].focus();
    },
    init() {
      this.stop(this.knots.length - 1);
      this.$el.scrollLeft = this.$el.scrollWidth;
    }
  });

  // apextrim/ui/assets/js/components/trainerKeys.js
  var trainerKeys = () => ({
    said: "",
    pressed(event) {
      if (event.target.closest("input[type=text], textarea, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
      const rows = [...this.$root.querySelectorAll("[data-lesson]")];
      const row = event.target.closest("[data-lesson]") || rows.find((one) => !one.querySelector(":checked"));
      const tick = row?.querySelector(`[data-feeling="${CSS.escape(event.key)}"]`);
      if (!tick) return;
      event.preventDefault();
      event.stopPropagation();
      tick.checked = true;
      this.said = `${tick.dataset.words}.`;
      const next = rows[rows.indexOf(row) + 1];
      (next ? next.querySelector("input[type=radio]") : this.$root.querySelector("form .main")).focus();
    }
  });

  // apextrim/ui/assets/js/components/zoomMap.js
  var zoomMap = () => {
    const fingers = /* @__PURE__ */ new Map();
    let svg, whole, box, frame, spread, at;
    const paint = () => {
      frame ||= requestAnimationFrame(() => {
        frame = 0;
        svg.setAttribute("viewBox", box.map((value) => value.toFixed(2)).join(" "));
        svg.style.setProperty("--zoom", whole[2] / box[2]);
      });
    };
    const spot = (event) => {
      const { left, top, width } = svg.getBoundingClientRect();
      const scale = box[2] / width;
      return [box[0] + (event.clientX - left) * scale, box[1] + (event.clientY - top) * scale];
    };
    const show = (x, y, width) => {
      const wide = Math.min(Math.max(width, whole[2] / 12), whole[2]);
      const high = wide * whole[3] / whole[2];
      const inside = (value, low, size, part) => Math.min(Math.max(value, low), low + size - part);
      box = [inside(x, whole[0], whole[2], wide), inside(y, whole[1], whole[3], high), wide, high];
      paint();
    };
    const zoom = (factor, [x, y] = [box[0] + box[2] / 2, box[1] + box[3] / 2]) => {
      const wide = Math.min(Math.max(box[2] / factor, whole[2] / 12), whole[2]);
      show(x - (x - box[0]) * wide / box[2], y - (y - box[1]) * wide / box[2], wide);
    };
    const corner = (badge) => {
      const [x, y] = [Number(badge.dataset.x), Number(badge.dataset.y)];
      show(x - whole[2] / 9, y - whole[3] / 9, whole[2] / 4.5);
    };
    return {
      init() {
        svg = this.$root.querySelector("svg");
        const view = svg.viewBox.baseVal;
        whole = [view.x, view.y, view.width, view.height];
        box = [...whole];
        at = -1;
      },
      nearer() {
        zoom(1.5);
      },
      farther() {
        zoom(1 / 1.5);
      },
      all() {
        show(whole[0], whole[1], whole[2]);
      },
      nextCorner() {
        const badges = [...svg.querySelectorAll("[data-corner]")];
        if (badges.length) corner(badges[at = (at + 1) % badges.length]);
      },
      keyed(event) {
        if (event.ctrlKey || event.metaKey || event.altKey) return;
        const step = box[2] / 10;
        const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
        if (moves) show(box[0] + moves[0], box[1] + moves[1], box[2]);
        else if (event.key === "+" || event.key === "=") this.nearer();
        else if (event.key === "-") this.farther();
        else if (event.key === "0") this.all();
        else if (event.key === "z") this.nextCorner();
        else return;
        event.preventDefault();
        event.stopPropagation();
      },
      wheeled(event) {
        if (!event.ctrlKey) return;
        event.preventDefault();
        zoom(Math.exp(-event.deltaY / 300), spot(event));
      },
      pressed(event) {
        const badge = event.target.closest("[data-corner]");
        if (badge) return corner(badge);
        if (event.target.closest("[data-handle], [data-mark]")) return;
        fingers.set(event.pointerId, spot(event));
        spread = 0;
        if (box[2] < whole[2] || fingers.size > 1) svg.setPointerCapture(event.pointerId);
      },
      moved(event) {
        if (!fingers.has(event.pointerId)) return;
        const [before, now] = [fingers.get(event.pointerId), spot(event)];
        if (fingers.size === 1) {
          if (box[2] < whole[2]) show(box[0] + before[0] - now[0], box[1] + before[1] - now[1], box[2]);
          return;
        }
        fingers.set(event.pointerId, now);
        const [one, two] = [...fingers.values()];
        const apart = Math.hypot(one[0] - two[0], one[1] - two[1]) / box[2];
        if (spread) zoom(apart / spread, [(one[0] + two[0]) / 2, (one[1] + two[1]) / 2]);
        spread = apart;
      },
      lifted(event) {
        fingers.delete(event.pointerId);
        spread = 0;
      }
    };
  };

  // apextrim/ui/assets/js/ui.js
  var COMPONENTS = {
    autoSend,
    bookPage,
    drawnLine,
    fold,
    item,
    kept,
    keptForm,
    mapPick,
    palette,
    printer,
    raceKeys,
    sheetBench,
    shell,
    stepsFold,
    thread,
    trainerKeys,
    zoomMap
  };
  document.addEventListener("alpine:init", () => {
    for (const [name, component] of Object.entries(COMPONENTS)) Alpine.data(name, component);
    const named = document.getElementById(window.location.hash.slice(1));
    if (named && named.matches("input, textarea")) setTimeout(() => named.focus(), 0);
  });
  var fitting = new ResizeObserver((seen) => {
    for (const { target } of seen) {
      target.classList.remove("fits");
      target.classList.toggle("fits", target.scrollWidth <= target.offsetWidth);
    }
  });
  document.querySelectorAll(".scroll").forEach((place) => fitting.observe(place));
})();
