// @ts-check
// What is usual of a kind of car, filled in where nobody has typed anything else.

/** @type {Component} */
export const quickCar = () => ({
  typed: /** @type {Record<string, boolean>} */ ({}),
  /** @param {Event} event */
  changed(event) {
    const box = /** @type {HTMLInputElement} */ (event.target);
    if (box.name !== "kind") {
      this.typed[box.name] = true;
      return;
    }
    const usual = JSON.parse(this.$root.dataset.usual || "{}")[box.value] || {};
    for (const [name, value] of Object.entries(usual)) {
      const field = this.$root.querySelector(`[name=${name}]`);
      if (field && !this.typed[name]) field.value = value;
    }
  },
});
