// A page for one component: its elements in a DOM of their own, and what the framework adds to a component.
import { JSDOM } from "jsdom";

const SCRIPTS = new URL("../../apextrim/ui/assets/js/", import.meta.url);

/** A module of the pages' scripts. */
export const script = (name) => import(new URL(name, SCRIPTS).href);

/** Makes the page; `answers` is what the server says, request by request: a function of the address and what was sent. */
export const pageOf = (html, answers = () => ({})) => {
  const dom = new JSDOM(`<body>${html}</body>`, { url: "http://localhost/" });
  const { window } = dom;
  window.CSS = { escape: (text) => text.replace(/[^\w-]/g, (one) => `\\${one}`) };
  window.HTMLElement.prototype.scrollIntoView = () => {};
  const asked = [];
  const fetch = async (address, options = {}) => {
    const sent = Object.fromEntries(options.body || []);
    asked.push({ address: String(address), sent });
    const answer = await answers(String(address), sent, asked.length);
    if (answer instanceof Error) throw answer;
    const { status = 200, json = {}, text = "" } = answer;
    return { status, ok: status < 300, json: async () => json, text: async () => text };
  };
  const made = new Map();
  Object.assign(globalThis, {
    window, fetch, document: window.document, localStorage: window.localStorage, CSS: window.CSS, Event: window.Event, FormData: window.FormData,
    htmx: { process() {} }, Alpine: { $data: (element) => made.get(element) }, requestAnimationFrame: (paint) => paint(),
  });
  const component = (make, root) => {
    const refs = Object.fromEntries([...root.querySelectorAll("[x-ref]")].map((one) => [one.getAttribute("x-ref"), one]));
    const one = Object.defineProperties(make(), Object.getOwnPropertyDescriptors({ $root: root, $el: root, $refs: refs, $nextTick: (act) => act() }));
    made.set(root, one);
    one.init?.();
    return one;
  };
  const key = (name, target, more = {}) => ({
    key: name, target, ctrlKey: false, metaKey: false, altKey: false, repeat: false, stopped: false, ...more,
    preventDefault() { this.stopped = true; }, stopPropagation() {},
  });
  const find = (selector) => window.document.querySelector(selector);
  return { window, find, component, key, asked, settled: () => new Promise((done) => setTimeout(done, 5)) };
};
