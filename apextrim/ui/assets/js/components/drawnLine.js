// @ts-check
// A line drawn by hand: places on the map are dragged, or typed in the form below; the server drives it and says what it comes to.
import { parse } from "../numbers.js";

/** @type {Component} */
export const drawnLine = () => {
  let held, waits, turn = 0;
  const places = (root) => [...root.querySelectorAll("[data-handle]")];
  const box = (place) => document.getElementById(`d${place.dataset.handle}`);
  const put = (place, metres) => {
    const { x, y, leftX, leftY } = Object.fromEntries(Object.entries(place.dataset).map(([key, value]) => [key, Number(value)]));
    place.setAttribute("cx", x + metres * leftX);
    place.setAttribute("cy", y + metres * leftY);
  };
  return {
    init() {
      for (const place of places(this.$root)) if (Number.isFinite(parse(box(place).value))) put(place, parse(box(place).value));
      document.getElementById("draw").addEventListener("input", () => this.typed());
    },
    grabbed(event) {
      held = event.target.closest("[data-handle]");
      if (held) held.setPointerCapture(event.pointerId);
    },
    dragged(event) {
      if (!held) return;
      const { x, y, leftX, leftY, low, high } = Object.fromEntries(Object.entries(held.dataset).map(([key, value]) => [key, Number(value)]));
      const spot = new DOMPoint(event.clientX, event.clientY).matrixTransform(held.ownerSVGElement.getScreenCTM().inverse());
      const metres = ((spot.x - x) * leftX + (spot.y - y) * leftY) / (leftX ** 2 + leftY ** 2);
      const kept = Math.min(Math.max(metres, low), high);
      put(held, kept);
      box(held).value = kept.toFixed(2);
      this.ask();
    },
    dropped() {
      held = null;
    },
    typed() {
      for (const place of places(this.$root)) put(place, Number.isFinite(parse(box(place).value)) ? parse(box(place).value) : 0);
      this.ask();
    },
    ask() {
      clearTimeout(waits);
      waits = setTimeout(() => this.answer(), 120);
    },
    async answer() {
      const mine = ++turn;
      /** @type {any} */
    const form = document.getElementById("draw");
      const asked = new URLSearchParams([...new FormData(form)].map(([key, value]) => [key, String(value)]));
      const answer = await fetch(`${form.dataset.answer}?${asked}`);
      const text = await answer.text();
      if (mine !== turn || !answer.ok) return;
      const told = document.getElementById("drawn-answer");
      told.innerHTML = text;
      this.$root.querySelector("#drawn-path").setAttribute("d", told.firstElementChild?.dataset.path || "");
    },
  };
};
