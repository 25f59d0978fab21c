// @ts-check
// A corner's page of the book: a click on a mark of the map puts it into the place that was in focus last.

/** @type {Component} */
export const bookPage = () => ({
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
  },
});
