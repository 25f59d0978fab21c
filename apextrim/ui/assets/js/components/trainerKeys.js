// @ts-check
// The trainer: e, g or l says how a corner felt and goes on to the next; without a corner in focus, to the first that is not told.

/** @type {Component} */
export const trainerKeys = () => ({
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
  },
});
