// @ts-check
// Marks of a picture that can be walked: arrows go to the next mark that way, Enter follows it; what it says stands below.

/** How much more a way across counts than a way along, where arrows look for the next mark. */
const ACROSS = 2.2;

/** @param {Element} mark */
const middle = (mark) => {
  const box = mark.getBoundingClientRect();
  return [box.left + box.width / 2, box.top + box.height / 2];
};

/** @type {Component} */
export const spots = () => ({
  get marks() {
    return [...this.$root.querySelectorAll("[data-words]")];
  },
  init() {
    const first = this.$root.querySelector("[data-first]") || this.marks[0];
    this.marks.forEach((mark) => mark.setAttribute("tabindex", mark === first ? 0 : -1));
  },
  tell(event) {
    const mark = event.target.closest("[data-words]");
    if (!mark) return;
    this.$refs.told.textContent = mark.dataset.words;
    this.marks.forEach((other) => {
      other.classList.toggle("shown", other === mark);
      other.setAttribute("tabindex", other === mark ? 0 : -1);
    });
  },
  along(event) {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    const here = document.activeElement;
    if (!way || !here || !this.marks.includes(here)) return;
    event.preventDefault();
    const [x, y] = middle(here);
    let best = null;
    let least = Infinity;
    for (const mark of this.marks) {
      const [a, b] = middle(mark);
      const ahead = (a - x) * way[0] + (b - y) * way[1];
      const aside = Math.abs((a - x) * way[1]) + Math.abs((b - y) * way[0]);
      const far = ahead + ACROSS * aside;
      if (mark !== here && ahead > 0.01 && far < least) [best, least] = [mark, far];
    }
    if (best) best.focus();
  },
  touched(event) {
    // A finger reads a mark first, and follows it with the next touch.
    const mark = event.target.closest("[data-words]");
    if (!mark || event.pointerType !== "touch" || mark.classList.contains("read")) return;
    event.preventDefault();
    this.marks.forEach((other) => other.classList.toggle("read", other === mark));
    mark.focus();
  },
});
