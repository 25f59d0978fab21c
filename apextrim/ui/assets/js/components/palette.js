// @ts-check
// The palette: a few letters find anything; arrows go through what was found, Enter opens it.

/** @type {Component} */
export const palette = () => ({
  waits: 0,
  asked: 0,
  init() {
    this.$root.addEventListener("opened", () => {
      this.$refs.box.value = "";
      this.$refs.box.focus();
      this.ask();
    });
  },
  typed() {
    clearTimeout(this.waits);
    this.waits = setTimeout(() => this.ask(), 120);
  },
  async ask() {
    const { find, event } = this.$root.dataset;
    const number = (this.asked += 1);
    const query = new URLSearchParams({ q: this.$refs.box.value, event });
    const answer = await fetch(`${find}?${query}`, { headers: { "X-Requested-With": "fetch" } });
    const text = answer.ok ? await answer.text() : "";
    if (number !== this.asked) return; // a later answer is on its way
    this.$refs.found.innerHTML = text;
    this.mark(0);
  },
  links() {
    return [...this.$refs.found.querySelectorAll("a")];
  },
  mark(place) {
    const links = this.links();
    links.forEach((link, k) => link.setAttribute("aria-current", k === place ? "true" : "false"));
    if (links[place]) links[place].scrollIntoView({ block: "nearest" });
  },
  keyed(event) {
    const links = this.links();
    const now = links.findIndex((link) => link.getAttribute("aria-current") === "true");
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step && links.length) {
      event.preventDefault();
      this.mark((now + step + links.length) % links.length);
    }
    if (event.key === "Enter" && links[now]) {
      event.preventDefault();
      const target = links[now].href;
      this.$root.close();
      window.location.assign(target);
    }
  },
  closed() {
    this.$refs.found.innerHTML = "";
  },
});
