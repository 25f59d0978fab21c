// @ts-check
// The map of a circuit being edited: a click on the road fills the distance field that was in focus last.

/** @type {Component} */
export const mapPick = () => ({
  words: "",
  field: "",
  naming: false,
  corner: "",
  number: 0,
  focused(event) {
    if (/\.(at_m|from_m|to_m)$|^sectors_m\./.test(event.target.name || "")) this.field = event.target.name;
  },
  // the box of a corner's name; those of a surveyed road stand in one, parted by bars
  box() {
    const fields = this.$root.querySelector("[data-names]").dataset.names.split(",");
    const alone = fields.length === 1 && fields[0] === "corner_names";
    return { alone, box: this.$root.querySelector(`[name="${CSS.escape(alone ? fields[0] : fields[this.number - 1] || "")}"]`) };
  },
  named() {
    this.naming = false;
  },
  called() {
    const { alone, box } = this.box();
    const name = this.$refs.corner.value.replaceAll("|", " ");
    if (!box) return;
    if (alone) {
      const names = box.value.split("|").map((one) => one.trim());
      while (names.length < this.number) names.push("");
      names[this.number - 1] = name;
      box.value = names.join(" | ");
    } else box.value = name;
    const label = this.$root.querySelector(`[data-called="${this.number}"]`);
    if (label) label.textContent = name;
  },
  pick(event) {
    const map = event.target.closest("svg");
    if (!map) return;
    const badge = event.target.closest("[data-corner]");
    if (badge) {
      this.number = Number(badge.dataset.corner);
      const { alone, box } = this.box();
      if (!box) return;
      this.corner = `Corner ${this.number} is called`;
      this.naming = true;
      this.$refs.corner.value = (alone ? box.value.split("|")[this.number - 1] || "" : box.value).trim();
      this.$nextTick(() => this.$refs.corner.focus());
      return;
    }
    if (!map.dataset.picks) return;
    const box = map.getBoundingClientRect();
    const scale = map.viewBox.baseVal.width / box.width;
    const [x, y] = [(event.clientX - box.left) * scale, (event.clientY - box.top) * scale];
    const places = map.dataset.picks.split(";").map((one) => one.split(",").map(Number));
    const near = places.reduce((best, one) => (Math.hypot(one[0] - x, one[1] - y) < Math.hypot(best[0] - x, best[1] - y) ? one : best));
    const empty = [...this.$root.querySelectorAll('[name^="markers."][name$=".at_m"]')].find((one) => !one.value);
    const target = (this.field && this.$root.querySelector(`[name="${CSS.escape(this.field)}"]`)) || empty;
    const { perMetre, metres } = event.target.closest("[data-per-metre]").dataset;
    const at = Math.round(near[2] * Number(perMetre));
    if (target) target.value = String(at);
    this.words = `${at} ${metres}`;
  },
});
