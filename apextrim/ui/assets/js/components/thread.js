// @ts-check
// The thread opens at its newest end.
// One stop for the Tab key: the arrows go along it.

/** @type {Component} */
export const thread = () => ({
  get knots() {
    return [...this.$root.querySelectorAll("a")];
  },
  stop(place) {
    this.knots.forEach((knot, n) => knot.setAttribute("tabindex", n === place ? 0 : -1));
  },
  along(event) {
    const here = this.knots.indexOf(document.activeElement);
    const next = { ArrowLeft: here - 1, ArrowRight: here + 1, Home: 0, End: this.knots.length - 1 }[event.key];
    if (here < 0 || next === undefined) return;
    event.preventDefault();
    const place = Math.min(Math.max(next, 0), this.knots.length - 1);
    this.stop(place);
    this.knots[place].focus();
  },
  init() {
    this.stop(this.knots.length - 1);
    this.$el.scrollLeft = this.$el.scrollWidth;
  },
});
