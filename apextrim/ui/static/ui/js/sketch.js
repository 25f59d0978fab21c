"use strict";

// A circuit drawn: bends are put down, dragged and named; the server makes straights and corners of them and sends the road back.
document.addEventListener("alpine:init", () => {
  const NS = "http://www.w3.org/2000/svg";
  const [WIDTH, HEIGHT, NEAR, STEP] = [760, 400, 9, 6];

  const element = (name, attributes, parent) => {
    const one = document.createElementNS(NS, name);
    for (const [key, value] of Object.entries(attributes)) one.setAttribute(key, value);
    parent.append(one);
    return one;
  };

  Alpine.data("sketch", () => {
    let bends = [];
    let past = [];
    let held = -1;
    let waits;
    let turn = 0;
    let road = null;
    const inside = (value, most) => Math.round(Math.min(Math.max(value, 4), most - 4) * 10) / 10;
    return {
      drawing: true,
      typing: false,
      chosen: false,
      title: "",
      name: "",
      radius: "",
      words: "",
      problem: "",
      picked: -1,

      init() {
        try {
          bends = JSON.parse(this.$refs.bends.value || "[]").map(([x, y, radius, name]) => ({ x, y, radius: radius ?? "", name: name || "" }));
        } catch {
          bends = [];
        }
        this.drawing = this.$refs.how.value !== "type";
        this.typing = !this.drawing;
        this.paint();
        this.ask();
      },
      draw() {
        this.mode("draw");
      },
      type() {
        this.mode("type");
      },
      mode(how) {
        this.$refs.how.value = how;
        this.drawing = how === "draw";
        this.typing = !this.drawing;
        this.paint();
        this.ask();
      },
      spot(event) {
        const board = this.$refs.board;
        const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(board.getScreenCTM().inverse());
        return [inside(place.x, WIDTH), inside(place.y, HEIGHT)];
      },
      before() {
        past = [...past.slice(-60), JSON.stringify(bends)];
      },
      down(event) {
        if (!this.drawing || event.button > 0) return;
        const handle = event.target.closest("[data-bend]");
        const [x, y] = this.spot(event);
        this.before();
        if (handle) held = Number(handle.dataset.bend);
        else held = this.put(x, y);
        this.$refs.board.setPointerCapture(event.pointerId);
        event.preventDefault();
        this.pick(held);
        this.changed();
      },
      move(event) {
        if (held < 0) return;
        [bends[held].x, bends[held].y] = this.spot(event);
        this.changed();
      },
      up() {
        if (held < 0) return;
        const last = held;
        held = -1;
        this.focus(last);
      },
      // a spot on the way between two bends comes between them, any other at the end
      put(x, y) {
        const ways = bends.length - (this.lap() && bends.length > 2 ? 0 : 1);
        let [best, at] = [NEAR, bends.length];
        for (let n = 0; n < ways; n++) {
          const [a, b] = [bends[n], bends[(n + 1) % bends.length]];
          const [dx, dy] = [b.x - a.x, b.y - a.y];
          const share = Math.min(Math.max(((x - a.x) * dx + (y - a.y) * dy) / (dx * dx + dy * dy || 1), 0), 1);
          const far = Math.hypot(x - a.x - share * dx, y - a.y - share * dy);
          if (far < best) [best, at] = [far, n + 1];
        }
        bends.splice(at, 0, { x, y, radius: "", name: "" });
        return at;
      },
      add() {
        this.before();
        const [a, b] = [bends[bends.length - 1], bends[0]];
        const free = [
          [0.2, 0.25],
          [0.8, 0.25],
          [0.8, 0.75],
          [0.2, 0.75],
        ][Math.min(bends.length, 3)];
        const spot = bends.length < 4 ? { x: free[0] * WIDTH, y: free[1] * HEIGHT } : { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 };
        bends.push({ x: inside(spot.x, WIDTH), y: inside(spot.y, HEIGHT), radius: "", name: "" });
        this.pick(bends.length - 1);
        this.changed();
        this.focus(bends.length - 1);
      },
      remove() {
        if (this.picked < 0) return;
        this.before();
        bends.splice(this.picked, 1);
        this.pick(Math.min(this.picked, bends.length - 1));
        this.changed();
        if (this.picked >= 0) this.focus(this.picked);
      },
      clear() {
        this.before();
        bends = [];
        this.pick(-1);
        this.changed();
      },
      undo() {
        if (!past.length) return;
        bends = JSON.parse(past.pop());
        this.pick(Math.min(this.picked, bends.length - 1));
        this.changed();
      },
      keys(event) {
        if ((event.ctrlKey || event.metaKey) && event.key === "z" && !event.target.closest("input, textarea")) {
          event.preventDefault();
          this.undo();
          return;
        }
        const handle = event.target.closest("[data-bend]");
        if (!handle || !this.drawing) return;
        const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
        const place = Number(handle.dataset.bend);
        if (way) {
          event.preventDefault();
          this.before();
          const step = event.shiftKey ? 1 : STEP;
          [bends[place].x, bends[place].y] = [inside(bends[place].x + step * way[0], WIDTH), inside(bends[place].y + step * way[1], HEIGHT)];
          this.pick(place);
          this.changed();
          this.focus(place);
        } else if (event.key === "Delete" || event.key === "Backspace") {
          event.preventDefault();
          this.pick(place);
          this.remove();
        } else if (event.key === "Enter" || event.key === " ") {
          event.preventDefault();
          this.$refs.name.focus();
        }
      },
      focused(event) {
        const handle = event.target.closest("[data-bend]");
        if (handle && held < 0) this.pick(Number(handle.dataset.bend), true);
      },
      pick(place, quiet) {
        this.picked = place;
        this.chosen = place >= 0;
        this.title = place >= 0 ? `Bend ${place + 1}` : "";
        this.name = place >= 0 ? bends[place].name : "";
        this.radius = place >= 0 ? String(bends[place].radius) : "";
        if (quiet) for (const one of this.$refs.handles.children) one.classList.toggle("picked", Number(one.dataset.bend) === place);
      },
      told() {
        if (this.picked < 0) return;
        bends[this.picked].name = this.$refs.name.value;
        bends[this.picked].radius = this.$refs.radius.value.trim();
        this.changed();
      },
      lap() {
        return this.$root.querySelector("[name=closed]").value === "lap";
      },
      focus(place) {
        this.$refs.handles.querySelector(`[data-bend="${place}"]`)?.focus();
      },
      changed() {
        this.$refs.bends.value = JSON.stringify(bends.map(({ x, y, radius, name }) => [x, y, radius === "" ? null : radius, name]));
        this.paint();
        this.ask();
      },
      ask() {
        clearTimeout(waits);
        waits = setTimeout(() => this.answer(), 40);
      },
      async answer() {
        const mine = ++turn;
        const asked = new URLSearchParams([...new FormData(this.$root)].map(([key, value]) => [key, String(value)]));
        const token = asked.get("csrfmiddlewaretoken");
        let answer;
        try {
          const reply = await fetch(this.$root.dataset.drawn, { method: "POST", body: asked, headers: { "X-CSRFToken": token } });
          if (!reply.ok) return;
          answer = await reply.json();
        } catch {
          return;
        }
        if (mine !== turn) return;
        road = answer.road || null;
        this.words = answer.words || "";
        this.problem = answer.problem && !(answer.words || "").includes(answer.problem) ? answer.problem : "";
        if (this.drawing && answer.lines) this.$refs.lines.value = answer.lines;
        this.show();
      },
      // the road and its corners as the server has them
      show() {
        const group = this.$refs.road;
        group.replaceChildren();
        if (!road) return;
        element("path", { class: "road", d: road.road }, group);
        const [x1, y1, x2, y2] = road.start;
        element("line", { class: "whisker", x1, y1, x2, y2 }, group);
        element("polygon", { points: road.arrow, fill: "currentColor" }, group);
        for (const [number, name, x, y, roadX, roadY] of road.corners) {
          element("line", { class: "lead", x1: x, y1: y, x2: roadX, y2: roadY }, group);
          element("circle", { class: "badge", cx: x, cy: y, r: 10 }, group);
          element("text", { class: "badge-text fig", x, y, dy: ".35em" }, group).textContent = number;
          if (name) element("text", { class: "tick", x: Number(x) + 14, y, dy: ".35em" }, group).textContent = name;
        }
        const scale = element("g", { transform: "translate(14 386)" }, group);
        element("path", { class: "base", d: `M0 -5V0H${road.scale_px.toFixed(1)}V-5`, fill: "none" }, scale);
        element("text", { class: "tick", x: 4, y: -7 }, scale).textContent = "100 m";
      },
      // the bends, and the way between them
      paint() {
        const active = document.activeElement?.dataset?.bend;
        const group = this.$refs.handles;
        group.replaceChildren();
        const closed = this.lap() && bends.length > 2;
        const way = bends.map(({ x, y }) => `${x},${y}`).join(" ");
        this.$refs.way.setAttribute("d", this.drawing && bends.length > 1 ? `M${way}${closed ? "Z" : ""}` : "");
        if (!this.drawing) return;
        bends.forEach(({ x, y, name }, place) => {
          const words = `Bend ${place + 1}${name ? `, ${name}` : ""}: arrow keys move it, Delete removes it, Enter names it`;
          const picked = place === this.picked ? "handle picked" : "handle";
          const attributes = { class: picked, cx: x, cy: y, r: 7, tabindex: 0, role: "button", "data-bend": place, "aria-label": words };
          element("circle", attributes, group);
        });
        if (active !== undefined && held < 0) this.focus(Number(active));
      },
    };
  });
});
