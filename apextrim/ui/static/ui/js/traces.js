// Two laps side by side: charts on canvas over one axis of metres, one cursor over all of them and the map. The server compares; here
// is only what is looked at.

document.addEventListener("alpine:init", () => {
  const KEPT = "apex-channels";
  const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const FONT = '12px "Atkinson Hyperlegible Next", system-ui, sans-serif';
  const shown = (value) => (value === null || value === undefined ? "–" : String(value).replace("-", "−"));

  Alpine.data("traces", () => {
    let data, charts = [], whole, view, at = null, frame, dot, ghost, told, playing = 0;
    const fingers = new Map();

    // A place along the road in the reader's unit, and the steps of its axis there.
    const way = (metres) => `${Math.round(metres * data.way.size)} ${data.way.unit}`;
    const ROUND = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];

    // Corners as thin lines in every chart, with their numbers in the first.
    const cornerLines = (numbered) => ({
      hooks: {
        drawClear: (u) => {
          const { ctx, bbox } = u;
          ctx.save();
          ctx.strokeStyle = css("--rule");
          ctx.fillStyle = css("--soft");
          ctx.font = `${12 * devicePixelRatio}px ${FONT.slice(5)}`;
          ctx.textAlign = "center";
          for (const corner of data.corners) {
            const x = u.valToPos(corner.apex, "x", true);
            if (x < bbox.left || x > bbox.left + bbox.width) continue;
            ctx.beginPath();
            ctx.moveTo(x, bbox.top);
            ctx.lineTo(x, bbox.top + bbox.height);
            ctx.stroke();
            if (numbered) ctx.fillText(corner.number, x, bbox.top - 4 * devicePixelRatio);
          }
          ctx.restore();
        },
      },
    });

    const axis = (extra) => ({ stroke: () => css("--soft"), font: FONT, ticks: { stroke: () => css("--rule") }, grid: { stroke: () => css("--rule"), width: 0.5 }, ...extra });

    // A little room above and below, so that a line along the edge is seen.
    const roomy = (low, high) => {
      if (low === null || high === null) return [0, 1];
      const room = Math.max((high - low) * 0.07, 1e-4);
      return [low - room, high + room];
    };

    const options = (height, series, first, last) => ({
      width: 600, height, legend: { show: false },
      scales: { x: { time: false }, y: { range: (_, low, high) => roomy(low, high) } },
      axes: [axis({ show: last, size: 26, incrs: ROUND.map((one) => one / data.way.size), values: (_, ticks) => ticks.map(way) }), axis({ size: 52 })],
      cursor: { y: false, points: { show: false }, drag: { x: true, y: false, setScale: false } },
      series: [{}, ...series],
      padding: [first ? 18 : 6, 26, 0, 0],
      plugins: [cornerLines(first)],
      hooks: {
        setCursor: [(u) => u.cursor.event && u.cursor.idx !== null && move(u.cursor.idx)],
        setSelect: [
          (u) => {
            if (u.select.width < 6) return;
            show(u.posToVal(u.select.left, "x"), u.posToVal(u.select.left + u.select.width, "x"));
            u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
          },
        ],
      },
    });

    const line = (colour, dash, extra) => ({ stroke: () => css(colour), width: 1.6, dash, points: { show: false }, spanGaps: false, pxAlign: 0, ...extra });

    const draw = () => {
      for (const chart of charts) chart.destroy();
      charts = [];
      const place = document.getElementById("charts");
      place.replaceChildren();
      const panel = (title, height, series, columns, first, last) => {
        const box = document.createElement("figure");
        const caption = document.createElement("figcaption");
        caption.textContent = title;
        caption.className = "said";
        box.append(caption);
        place.append(box);
        const chart = new uPlot(options(height, series, first, last), columns, box);
        chart.over.addEventListener("wheel", wheeled, { passive: false });
        for (const [name, act] of [["pointerdown", pressed], ["pointermove", dragged], ["pointerup", lifted], ["pointercancel", lifted]]) chart.over.addEventListener(name, act);
        charts.push(chart);
      };
      const lost = data.gap.map((value) => Math.max(value, 0));
      const won = data.gap.map((value) => Math.min(value, 0));
      const bare = { stroke: () => "transparent", width: 0, points: { show: false } };
      panel(
        `Gap to ${data.reference}, s: above the line ${data.lap} has lost, below it gained`, 130,
        [{ ...bare, fill: () => `${css("--loss")}55`, fillTo: 0 }, { ...bare, fill: () => `${css("--gain")}55`, fillTo: 0 }, line("--ink")],
        [data.place, lost, won, data.gap], true, !data.channels.length,
      );
      data.channels.forEach((one, k) => {
        const paths = one.step ? uPlot.paths.stepped({ align: 1 }) : undefined;
        const empty = data.place.map(() => null);
        panel(
          one.name, one.step ? 90 : 130, [line("--soft", [6, 4], { paths }), line("--accent", undefined, { paths })],
          [data.place, one.reference || empty, one.lap || empty], false, k === data.channels.length - 1,
        );
      });
      size();
      show(...(view || whole));
    };

    const size = () => {
      const width = document.getElementById("charts").clientWidth;
      for (const chart of charts) chart.setSize({ width, height: chart.height });
    };

    const show = (low, high) => {
      const span = Math.min(Math.max(high - low, 40), whole[1] - whole[0]);
      const from = Math.min(Math.max(low, whole[0]), whole[1] - span);
      view = [from, from + span];
      frame ||= requestAnimationFrame(() => {
        frame = 0;
        for (const chart of charts) chart.setScale("x", { min: view[0], max: view[1] });
        point();
      });
    };

    const zoom = (factor, about = data.place[at]) => show(about - (about - view[0]) * factor, about + (view[1] - about) * factor);

    const move = (index) => {
      at = Math.min(Math.max(index, 0), data.place.length - 1);
      const where = data.place[at];
      if (where < view[0] || where > view[1]) show(where - (view[1] - view[0]) / 2, where + (view[1] - view[0]) / 2);
      point();
    };

    const put = (spot, index) => {
      spot.setAttribute("cx", data.map.x[index]);
      spot.setAttribute("cy", data.map.y[index]);
    };

    // Where a lap is after so many seconds; that of the reference is its own time, the lap's less the gap.
    const after = (seconds, timeAt) => {
      let [low, high] = [0, data.place.length - 1];
      while (high - low > 1) {
        const middle = (low + high) >> 1;
        if (timeAt(middle) <= seconds) low = middle;
        else high = middle;
      }
      return timeAt(high) <= seconds ? high : low;
    };
    const mineAt = (index) => data.time[index];
    const theirsAt = (index) => data.time[index] - data.gap[index];

    // Where most was lost, else where most was won: what the first look is for.
    const worth = () => {
      const lost = data.corners.filter((one) => one.lost > 0);
      const one = lost.length
        ? lost.reduce((worst, next) => (next.lost > worst.lost ? next : worst))
        : data.corners.reduce((most, next) => (!most || next.lost < most.lost ? next : most), null);
      return one ? nearest(one.apex) : 0;
    };

    // The cursor of every chart, the dot on the map, the values in the list.
    const point = () => {
      const where = data.place[at];
      for (const chart of charts) chart.setCursor({ left: chart.valToPos(where, "x"), top: 10 }, false);
      if (dot) put(dot, at);
      const corner = data.corners.find((one) => where >= one.from && where < one.to) || data.corners.find((one) => where + whole[1] < one.to);
      const rows = [
        ["Place", `${way(where)}${corner ? `, ${corner.name}` : ""}`, ""],
        ["Gap, s", `${data.gap[at] > 0 ? "+" : ""}${shown(data.gap[at].toFixed(3))}`, ""],
        ...data.channels.map((one) => [one.name, shown(one.lap?.[at]), shown(one.reference?.[at])]),
      ];
      told.replaceChildren(
        ...rows.map(([name, mine, theirs]) => {
          const row = document.createElement("tr");
          const head = document.createElement("th");
          head.scope = "row";
          head.textContent = name;
          row.append(head);
          const cells = theirs === "" ? [[mine, 2]] : [[mine, 1], [theirs, 1]];
          for (const [text, span] of cells) {
            const cell = document.createElement("td");
            cell.className = span === 2 ? "num" : "n";
            cell.colSpan = span;
            cell.textContent = text;
            row.append(cell);
          }
          return row;
        }),
      );
    };

    const nearest = (metres) => {
      let [low, high] = [0, data.place.length - 1];
      while (high - low > 1) {
        const middle = (low + high) >> 1;
        if (data.place[middle] < metres) low = middle;
        else high = middle;
      }
      return metres - data.place[low] < data.place[high] - metres ? low : high;
    };

    const corner = (step) => {
      if (!data.corners.length) return;
      const apexes = data.corners.map((one) => one.apex);
      const here = data.place[at];
      const next = step > 0 ? apexes.findIndex((apex) => apex > here + 1) : apexes.findLastIndex((apex) => apex < here - 1);
      const k = next < 0 ? (step > 0 ? 0 : apexes.length - 1) : next;
      at = nearest(apexes[k]);
      show(data.corners[k].from - 20, Math.max(data.corners[k].to, apexes[k] + 60));
      point();
    };

    const wheeled = (event) => {
      if (event.deltaX && Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        event.preventDefault();
        const by = (event.deltaX / 600) * (view[1] - view[0]);
        return show(view[0] + by, view[1] + by);
      }
      event.preventDefault();
      const left = event.clientX - event.currentTarget.getBoundingClientRect().left;
      zoom(Math.exp(event.deltaY / 400), charts[0].posToVal(left, "x"));
    };

    // Two fingers move and stretch the axis; one finger moves the cursor.
    const across = (event) => charts[0].posToVal(event.clientX - event.currentTarget.getBoundingClientRect().left, "x");
    const pressed = (event) => {
      if (event.pointerType === "touch") fingers.set(event.pointerId, across(event));
    };
    const dragged = (event) => {
      if (!fingers.has(event.pointerId)) return;
      if (fingers.size === 1) return move(nearest(across(event)));
      const other = [...fingers.entries()].find(([id]) => id !== event.pointerId)[1];
      const [before, now] = [fingers.get(event.pointerId), across(event)];
      if (Math.abs(now - other) < 1) return;
      zoom(Math.abs(before - other) / Math.abs(now - other), other);
    };
    const lifted = (event) => fingers.delete(event.pointerId);

    return {
      problem: "",
      runs: false,
      get playWord() {
        return this.runs ? "Stop" : "Drive both laps";
      },
      // Both laps on the map at once, from the cursor on, as quickly as is asked for.
      play() {
        if (!data || !dot) return;
        this.runs = !this.runs;
        if (!this.runs) return this.stop();
        const pace = Number(this.$refs.pace.value);
        const from = at >= data.place.length - 2 ? 0 : mineAt(at);
        const end = Math.max(mineAt(data.place.length - 1), theirsAt(data.place.length - 1));
        let begun = null;
        ghost.setAttribute("visibility", "visible");
        const turn = (now) => {
          begun ??= now;
          const seconds = from + ((now - begun) / 1000) * pace;
          put(ghost, after(seconds, theirsAt));
          move(after(seconds, mineAt));
          if (seconds > end || !this.runs) return this.stop();
          playing = requestAnimationFrame(turn);
        };
        playing = requestAnimationFrame(turn);
      },
      stop() {
        cancelAnimationFrame(playing);
        ghost.setAttribute("visibility", "hidden");
        this.runs = false;
      },
      async init() {
        told = this.$root.querySelector("#cursor-values");
        const map = this.$root.querySelector("svg[data-picks]");
        if (map) {
          dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
          dot.setAttribute("r", "7");
          dot.setAttribute("class", "cursor-dot");
          ghost = document.createElementNS("http://www.w3.org/2000/svg", "circle");
          ghost.setAttribute("r", "7");
          ghost.setAttribute("class", "ghost-dot");
          ghost.setAttribute("visibility", "hidden");
          map.append(ghost, dot);
        }
        this.restore();
        await this.load();
        new ResizeObserver(() => requestAnimationFrame(size)).observe(document.getElementById("charts"));
        new MutationObserver(() => charts.forEach((chart) => chart.redraw(false))).observe(document.documentElement, { attributeFilter: ["data-theme"] });
      },
      get boxes() {
        return [...this.$root.querySelectorAll("[data-channel]")];
      },
      // Channels and their order are kept in this browser; an address that names them goes first.
      restore() {
        const kept = JSON.parse(localStorage.getItem(KEPT) || "null");
        if (!Array.isArray(kept) || new URLSearchParams(location.search).has("channels")) return;
        const list = this.$root.querySelector("#channel-list");
        for (const box of this.boxes) box.checked = kept.includes(box.dataset.channel);
        for (const key of [...kept].reverse()) {
          const box = this.boxes.find((one) => one.dataset.channel === key);
          if (box) list.prepend(box.closest("li"));
        }
      },
      chosen() {
        return this.boxes.filter((box) => box.checked).map((box) => box.dataset.channel);
      },
      async load() {
        const asked = new URLSearchParams({ lap: this.$root.dataset.lap, reference: this.$root.dataset.reference });
        asked.set("channels", this.chosen().join("|") || "-");
        try {
          const answer = await fetch(`${this.$root.dataset.url}?${asked}`);
          data = await answer.json();
          if (!answer.ok) throw new Error((data.problems || ["The charts could not be loaded."]).join(" "));
        } catch (error) {
          this.problem = error.message;
          return;
        }
        this.problem = "";
        whole = [data.place[0], data.place[data.place.length - 1]];
        at = at === null ? worth() : Math.min(at, data.place.length - 1);
        draw();
        this.$root.dataset.drawn = String(charts.length);
      },
      changed() {
        localStorage.setItem(KEPT, JSON.stringify(this.chosen()));
        this.load();
      },
      raised(event) {
        const item = event.target.closest("li");
        if (!event.target.closest("[data-up]") || !item?.previousElementSibling) return;
        item.previousElementSibling.before(item);
        event.target.closest("[data-up]").focus();
        this.changed();
      },
      toCorner(event) {
        const link = event.target.closest("[data-to]");
        if (!link || !data) return;
        event.preventDefault();
        const one = data.corners.find((row) => row.number === Number(link.dataset.to));
        if (!one) return;
        at = nearest(one.apex);
        show(one.from - 20, one.to);
        document.getElementById("charts").focus();
      },
      nearer() {
        zoom(0.6);
      },
      farther() {
        zoom(1 / 0.6);
      },
      all() {
        show(...whole);
      },
      before() {
        corner(-1);
      },
      next() {
        corner(1);
      },
      keyed(event) {
        if (!data || event.ctrlKey || event.metaKey || event.altKey) return;
        const step = Math.max(1, Math.round((view[1] - view[0]) / 200));
        const acts = {
          ArrowLeft: () => move(at - step), ArrowRight: () => move(at + step), Home: () => move(0), End: () => move(data.place.length - 1),
          PageUp: () => show(view[0] - (view[1] - view[0]) / 2, view[1] - (view[1] - view[0]) / 2),
          PageDown: () => show(view[0] + (view[1] - view[0]) / 2, view[1] + (view[1] - view[0]) / 2),
          "+": () => zoom(0.6), "=": () => zoom(0.6), "-": () => zoom(1 / 0.6), 0: () => show(...whole), "[": () => corner(-1), "]": () => corner(1),
        };
        const act = acts[event.key];
        if (!act) return;
        event.preventDefault();
        event.stopPropagation();
        act();
      },
    };
  });
});
