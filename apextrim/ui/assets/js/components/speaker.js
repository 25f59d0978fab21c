// @ts-check
// Says the call of race mode aloud, in the browser's own voice: off until it is asked for, and only what has changed.

const KEPT = "apex-speaks";

/** @type {Component} */
export const speaker = () => ({
  on: false,
  said: "",
  get able() {
    return "speechSynthesis" in window && "SpeechSynthesisUtterance" in window;
  },
  get word() {
    return this.on ? "Stop speaking calls" : "Speak calls";
  },
  init() {
    this.on = this.able && localStorage.getItem(KEPT) === "on";
    this.said = this.call(); // what stands there as the page opens was seen
    this.watch = new MutationObserver(() => this.tell());
    this.watch.observe(document.getElementById("race-now").parentElement, { childList: true, subtree: true });
  },
  destroy() {
    this.watch.disconnect();
  },
  call() {
    const now = document.getElementById("race-now");
    const parts = now ? [...now.querySelectorAll("[data-spoken]")].map((part) => part.textContent.replace(/\s+/g, " ").trim()) : [];
    return parts.filter(Boolean).join(". ");
  },
  toggle() {
    this.on = !this.on;
    localStorage.setItem(KEPT, this.on ? "on" : "off");
    if (this.on) this.speak(this.call());
    else if (this.able) speechSynthesis.cancel();
  },
  tell() {
    const call = this.call();
    if (call === this.said) return;
    this.said = call;
    if (this.on) this.speak(call);
  },
  speak(words) {
    this.said = words;
    if (!words) return;
    speechSynthesis.cancel(); // a newer call is worth more than the rest of an older one
    const utterance = new SpeechSynthesisUtterance(words.replaceAll("−", "minus ").replaceAll("±", "plus or minus"));
    utterance.lang = "en-GB";
    speechSynthesis.speak(utterance);
  },
});
