// @ts-check
// A form whose fields are kept in the browser while they are typed, until the server has them (sent.js).

/** @param {HTMLInputElement} field */
const written = (field) => (field.type === "checkbox" ? (field.checked ? "1" : "") : field.value);

/** @type {Component} */
export const keptForm = () => ({
  restored: false,
  get key() {
    return `apex-form-${this.$root.dataset.draft}`;
  },
  get fields() {
    return [...this.$root.querySelectorAll("input:not([type=hidden]), select, textarea")];
  },
  init() {
    this.$root.dataset.keeps = this.key;
    if (this.$root.dataset.cameBack) return;
    const kept = JSON.parse(localStorage.getItem(this.key) || "{}");
    for (const field of this.fields) {
      if (!(field.name in kept)) continue;
      if (field.type === "checkbox") field.checked = Boolean(kept[field.name]);
      else field.value = kept[field.name];
      this.restored = true;
    }
  },
  keep() {
    localStorage.setItem(this.key, JSON.stringify(Object.fromEntries(this.fields.map((field) => [field.name, written(field)]))));
  },
});
