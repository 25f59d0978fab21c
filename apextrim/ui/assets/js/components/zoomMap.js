// @ts-check
// A map that is zoomed and moved: keys, buttons, wheel with Ctrl, two fingers, or a click on a corner's number. Only the view box changes.

/** @type {Component} */
export const zoomMap = () => {
  const fingers = new Map();
  let svg, whole, box, frame, spread, at;
  const paint = () => {
    frame ||= requestAnimationFrame(() => {
      frame = 0;
      svg.setAttribute("viewBox", box.map((value) => value.toFixed(2)).join(" "));
      svg.style.setProperty("--zoom", whole[2] / box[2]);
    });
  };
  /** @returns {[number, number]} */
  const spot = (event) => {
    const { left, top, width } = svg.getBoundingClientRect();
    const scale = box[2] / width;
    return [box[0] + (event.clientX - left) * scale, box[1] + (event.clientY - top) * scale];
  };
  const show = (x, y, width) => {
    const wide = Math.min(Math.max(width, whole[2] / 12), whole[2]);
    const high = (wide * whole[3]) / whole[2];
    const inside = (value, low, size, part) => Math.min(Math.max(value, low), low + size - part);
    box = [inside(x, whole[0], whole[2], wide), inside(y, whole[1], whole[3], high), wide, high];
    paint();
  };
  const zoom = (factor, [x, y] = [box[0] + box[2] / 2, box[1] + box[3] / 2]) => {
    const wide = Math.min(Math.max(box[2] / factor, whole[2] / 12), whole[2]);
    show(x - ((x - box[0]) * wide) / box[2], y - ((y - box[1]) * wide) / box[2], wide);
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
      if (badges.length) corner(badges[(at = (at + 1) % badges.length)]);
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
    },
  };
};
