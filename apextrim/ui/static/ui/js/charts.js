"use strict";

// Every chart tells the value under the cursor: by mouse, by touch, and by the arrow keys once it has the focus. Long ones zoom along
// their axis with + and −, Ctrl and the wheel, or their buttons. What it needs stands in the picture: the axes' ends, series by name,
// and spots with titles. Nothing is measured anew here: a value is read back from where it was drawn.
(() => {
  const NS = "http://www.w3.org/2000/svg";
  const [LONG, CLOSEST, NEAR] = [40, 24, 14];
  const UNITS = /^(rpm|km\/h|mph|Nm|lbft|kW|hp|PS|m|ft)$/;
  const numbers = (text) => (text || "").trim().split(/[\s,]+/).map(Number);
  let count = 0;

  // An axis as low, high and where both stand; it takes a place back to its value.
  const axis = (text, words, kind) => {
    const [low, high, start, end] = numbers(text);
    if (![low, high, start, end].every(Number.isFinite) || start === end || low === high) return null;
    const [name, unit] = UNITS.test(words) ? ["", words] : words.includes(", ") ? [words.slice(0, words.lastIndexOf(", ")), words.slice(words.lastIndexOf(", ") + 2)] : [words, ""];
    return { low, high, start, end, name, unit, kind, value: (at) => low + ((at - start) * (high - low)) / (end - start) };
  };

  const decimalsOf = (texts) => Math.max(0, ...texts.map((text) => (text.split(/[.,]/)[1] || "").length));
  const lapTime = (seconds, decimals) => {
    const minutes = Math.floor(seconds / 60);
    const rest = (seconds - 60 * minutes).toFixed(decimals);
    return minutes ? `${minutes}:${rest.padStart(decimals ? decimals + 3 : 2, "0")}` : rest;
  };
  const said = (value, decimals, kind) => (kind === "lap" ? lapTime(value, decimals) : value.toFixed(decimals).replace(/^-(?=0*\.?0*$)/, "").replace("-", "−"));
  const named = (name, text, unit) => `${name ? `${name} ` : ""}${text}${unit ? `\u00a0${unit}` : ""}`;

  // Where a spot stands: circles, squares that are moved there, triangles, bars.
  const placeOf = (one) => {
    if (one.tagName === "circle") return [Number(one.getAttribute("cx")), Number(one.getAttribute("cy"))];
    const moved = /translate\(([^)]+)\)/.exec(one.getAttribute("transform") || "");
    if (moved) return numbers(moved[1]);
    if (one.tagName === "path") return numbers(/M\s*([-\d.]+[ ,][-\d.]+)/.exec(one.getAttribute("d") || "")?.[1]);
    const box = ["x", "y", "width", "height"].map((name) => Number(one.getAttribute(name)) || 0);
    return [box[0] + box[2] / 2, box[1] + box[3] / 2];
  };
  const move = (one, x, [, y]) => {
    if (one.tagName === "circle") one.setAttribute("cx", x);
    else if (one.hasAttribute("transform")) one.setAttribute("transform", `translate(${x} ${y})`);
    else if (one.tagName === "path") one.setAttribute("d", one.getAttribute("d").replace(/M\s*[-\d.]+[ ,][-\d.]+/, `M${x} ${y}`));
  };

  const begin = (svg) => {
    if (svg.dataset.read || svg.closest("[aria-hidden=true], .map-box, .board")) return;
    const holder = svg.querySelector("[data-axis-x], [data-axis-y]") || svg;
    const x = holder.dataset.axisX ? axis(holder.dataset.axisX, holder.dataset.xWords || "", "") : null;
    const y = holder.dataset.axisY ? axis(holder.dataset.axisY, holder.dataset.yWords || "", holder.dataset.yKind || "") : null;
    const spots = [...svg.querySelectorAll("title")].map((title) => ({ one: title.parentNode, words: title.textContent.trim(), at: placeOf(title.parentNode), mute: false }));
    const series = [...svg.querySelectorAll("[data-series]")].map((path) => {
      const all = numbers((path.getAttribute("d") || "").replace(/[MLZ]/gi, " "));
      const points = [];
      for (let n = 0; n + 1 < all.length; n += 2) points.push([all[n], all[n + 1]]);
      const own = path.dataset.axis ? axis(path.dataset.axis, path.dataset.unit || "", "") : y;
      return { path, points, name: path.dataset.series, axis: own, unit: path.dataset.unit ?? own?.unit ?? "" };
    });
    const stands = [...new Set([...spots.map((spot) => spot.at[0]), ...series.flatMap((one) => one.points.map(([at]) => at))])].filter(Number.isFinite).sort((a, b) => a - b);
    if (!stands.length || (!spots.length && !(x && series.length))) return;
    svg.dataset.read = "1";

    const ticks = (which) => decimalsOf([...svg.querySelectorAll(`text[data-tick=${which}]`)].map((one) => one.textContent));
    const fine = { x: Number(holder.dataset.xDecimals ?? ticks("x")), y: Number(holder.dataset.yDecimals ?? ticks("y") + 1) };
    const readout = document.createElement("p");
    readout.className = "readout said";
    readout.setAttribute("aria-live", "polite");
    const bar = document.createElement("div");
    bar.className = `readout-row no-print${x ? "" : " slim"}`;
    const tell = (text) => {
      readout.textContent = text || "\u00a0";
      readout.classList.toggle("blank", !text);
    };
    tell("");
    bar.append(readout);
    const box = document.createElement("div");
    svg.replaceWith(box);
    box.append(svg, bar);
    svg.setAttribute("tabindex", "0");
    svg.classList.add("reads");
    const mark = document.createElementNS(NS, "g");
    mark.setAttribute("class", "cursor");
    svg.append(mark);
    let [from, to] = x ? [x.start, x.end] : [0, 1];
    let at = -1;
    const shown = (place) => (x && (from !== x.start || to !== x.end) ? x.start + ((place - from) * (x.end - x.start)) / (to - from) : place);
    const inside = (place) => !x || (place >= from - 0.01 && place <= to + 0.01);

    const valueOf = (one, place) => {
      const next = one.points.findIndex(([there]) => there >= place - 1e-6);
      if (next < 0 || place < one.points[0][0] - 0.5) return null;
      const [b, a] = [one.points[next], one.points[Math.max(next - 1, 0)]];
      return b[0] - a[0] > 1e-6 ? a[1] + ((place - a[0]) / (b[0] - a[0])) * (b[1] - a[1]) : b[1];
    };

    const put = (place, height) => {
      mark.replaceChildren();
      const draw = (name, attributes) => {
        const one = document.createElementNS(NS, name);
        for (const [key, value] of Object.entries(attributes)) one.setAttribute(key, value);
        mark.append(one);
      };
      const here = spots.filter((spot) => !spot.mute && Math.abs(spot.at[0] - place) < 0.06);
      const spot = here.reduce((best, one) => (!best || Math.abs(one.at[1] - height) < Math.abs(best.at[1] - height) ? one : best), null);
      const parts = [];
      if (y && x) draw("line", { class: "hair", x1: shown(place), x2: shown(place), y1: Math.min(y.start, y.end), y2: Math.max(y.start, y.end) });
      if (spot) {
        draw("circle", { class: "ring", cx: shown(spot.at[0]), cy: spot.at[1], r: 8 });
        parts.push(spot.words);
      }
      if (x && series.length) {
        const values = series.map((one) => [one, valueOf(one, place)]).filter(([one, value]) => value !== null && one.axis);
        for (const [, value] of values) draw("circle", { class: "dot", cx: shown(place), cy: value, r: 3.5 });
        const told = values.map(([one, value]) => named(one.name || y.name, said(one.axis.value(value), fine.y, one.axis.kind), one.unit));
        if (!spot || told.length > 1) parts.push(`${named(x.name, said(x.value(place), fine.x, x.kind), x.unit)}: ${told.join(", ")}`);
      }
      tell(parts.join(" · "));
    };

    const clear = () => {
      at = -1;
      mark.replaceChildren();
      tell("");
    };
    const go = (next) => {
      const seen = stands.map((place, n) => [place, n]).filter(([place]) => inside(place));
      if (!seen.length) return;
      at = Math.min(Math.max(next, seen[0][1]), seen[seen.length - 1][1]);
      put(stands[at], y ? (y.start + y.end) / 2 : 0);
    };
    const follow = (event) => {
      const spot = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const place = x ? from + ((spot.x - x.start) * (to - from)) / (x.end - x.start) : spot.x;
      const near = stands.reduce((best, one, n) => (Math.abs(one - place) < Math.abs(stands[best] - place) ? n : best), 0);
      if (!series.length && !x && Math.abs(stands[near] - place) > 4 * NEAR) return clear();
      at = near;
      put(stands[near], spot.y);
    };
    svg.addEventListener("pointermove", follow);
    svg.addEventListener("pointerdown", follow);
    svg.addEventListener("pointerleave", (event) => event.pointerType === "mouse" && document.activeElement !== svg && clear());

    // zoom: what lies along the axis is drawn again, cut off at the frame
    let plot = null;
    const content = () => {
      if (plot) return;
      const id = `frame-${++count}`;
      const clip = document.createElementNS(NS, "clipPath");
      clip.setAttribute("id", id);
      const frame = document.createElementNS(NS, "rect");
      const [top, bottom] = y ? [Math.min(y.start, y.end), Math.max(y.start, y.end)] : [0, svg.viewBox.baseVal.height];
      for (const [key, value] of Object.entries({ x: x.start - 8, y: top - 12, width: x.end - x.start + 16, height: bottom - top + 20 })) frame.setAttribute(key, String(value));
      clip.append(frame);
      plot = document.createElementNS(NS, "g");
      plot.setAttribute("clip-path", `url(#${id})`);
      svg.insertBefore(clip, svg.firstChild);
      svg.insertBefore(plot, mark);
      for (const one of svg.querySelectorAll("[data-series]")) plot.append(one);
      for (const spot of spots) plot.append(spot.one);
      for (const one of svg.querySelectorAll("circle.spot")) {
        if (plot.contains(one)) continue;
        spots.push({ one, words: "", at: placeOf(one), mute: true });
        plot.append(one);
      }
    };
    const ticked = document.createElementNS(NS, "g");
    const zoom = (factor, around) => {
      const whole = x.end - x.start;
      const width = Math.min(Math.max((to - from) / factor, whole / CLOSEST), whole);
      const share = (around - from) / (to - from || 1);
      from = Math.min(Math.max(around - share * width, x.start), x.end - width);
      to = from + width;
      content();
      for (const one of series) one.path.setAttribute("d", `M${one.points.map(([px, py]) => `${shown(px).toFixed(1)},${py}`).join(" ")}`);
      for (const spot of spots) move(spot.one, shown(spot.at[0]).toFixed(1), spot.at);
      const zoomed = width < whole - 0.01;
      for (const one of svg.querySelectorAll("[data-tick=x]")) one.classList.toggle("gone", zoomed);
      ticked.replaceChildren();
      if (zoomed) {
        svg.insertBefore(ticked, plot);
        const [low, high] = [x.value(from), x.value(to)];
        const raw = (high - low) / 8;
        const ten = 10 ** Math.floor(Math.log10(raw));
        const step = Math.max([1, 2, 5, 10].map((one) => one * ten).find((one) => one >= raw * 0.999), fine.x ? 0 : 1);
        const below = svg.querySelector("text[data-tick=x]");
        const [bottom, dy] = [below?.getAttribute("y") || Math.max(y.start, y.end), below?.getAttribute("dy") || 0];
        for (let value = Math.ceil(low / step - 1e-9) * step; value <= high + 1e-9; value += step) {
          const label = document.createElementNS(NS, "text");
          const place = x.start + ((value - x.low) * (x.end - x.start)) / (x.high - x.low);
          for (const [key, to_] of Object.entries({ class: "tick fig", x: shown(place).toFixed(1), y: bottom, dy, "text-anchor": "middle" })) label.setAttribute(key, to_);
          label.textContent = said(value, Math.max(0, -Math.floor(Math.log10(step) + 1e-9)), x.kind);
          ticked.append(label);
        }
      }
      if (at >= 0) put(stands[at], (y.start + y.end) / 2);
    };
    const zooms = x && y && stands.length > 3;
    if (zooms && stands.length > LONG && !svg.classList.contains("profile")) {  // under the map, whose own keys stand there
      for (const [text, words, factor] of [
        ["+", "Zoom in", 1.6],
        ["−", "Zoom out", 1 / 1.6],
      ]) {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "press quiet";
        button.textContent = String(text);
        button.setAttribute("aria-label", String(words));
        button.addEventListener("click", () => zoom(factor, at >= 0 ? stands[at] : (from + to) / 2));
        bar.append(button);
      }
    }
    if (zooms) {
      svg.addEventListener(
        "wheel",
        (event) => {
          if (!event.ctrlKey) return;
          event.preventDefault();
          const spot = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
          zoom(event.deltaY < 0 ? 1.25 : 0.8, from + ((spot.x - x.start) * (to - from)) / (x.end - x.start));
        },
        { passive: false },
      );
    }
    svg.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const step = event.shiftKey ? 10 : 1;
      const acts = {
        ArrowRight: () => go(at < 0 ? 0 : at + step),
        ArrowLeft: () => go(at < 0 ? stands.length - 1 : at - step),
        Home: () => go(0),
        End: () => go(stands.length - 1),
        Escape: clear,
      };
      if (zooms) {
        acts["+"] = acts["="] = () => zoom(1.6, at >= 0 ? stands[at] : (from + to) / 2);
        acts["-"] = acts["−"] = () => zoom(1 / 1.6, at >= 0 ? stands[at] : (from + to) / 2);
      }
      const act = acts[event.key];
      if (!act) return;
      event.preventDefault();
      event.stopPropagation();
      act();
      // what the cursor is on stays in sight
      if (zooms && at >= 0 && !inside(stands[at])) zoom(1, stands[at]);
    });
  };

  const all = (root) => {
    for (const svg of root.querySelectorAll?.("svg.pic, svg.places") || []) begin(svg);
  };
  document.addEventListener("DOMContentLoaded", () => all(document));
  document.addEventListener("htmx:after:process", (event) => event.target instanceof Element && all(event.target.parentNode || event.target));
})();
