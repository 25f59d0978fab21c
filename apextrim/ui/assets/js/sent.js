// @ts-check
// What was typed into a form and sent is kept in the browser until the server has said that it has it: an expired session, a form out of
// date or a server that is down loses nothing. Each form carries a key of its own; the server names those that it took in a cookie.

import { cookieOf } from "./session.js";

const STORE = "apex-sent";
const COOKIE = "apex-taken";
const MOST = 20;
const WEEK_MS = 7 * 24 * 3600 * 1000;

/** @typedef {{once: string, user: string, action: string, kind: string, fields: string[][], drafts: string[], at: number}} Sent */

/** @returns {Sent[]} */
const waiting = () => JSON.parse(localStorage.getItem(STORE) || "[]");

/** @param {Sent[]} list */
const keep = (list) => localStorage.setItem(STORE, JSON.stringify(list.slice(-MOST)));

const user = () => document.body.dataset.user || "";

/** @param {HTMLFormElement} form @returns {HTMLInputElement[]} */
const typed = (form) =>
  /** @type {HTMLInputElement[]} */ ([...form.elements]).filter(
    (field) =>
      field.name &&
      field.tagName !== "BUTTON" &&
      // what a form showed as it was typed into goes along: others may have changed it meanwhile
      (field.name === "shown" || !["hidden", "file", "password", "submit", "button", "reset"].includes(field.type)),
  );

/** @param {HTMLInputElement} field */
const written = (field) => (["checkbox", "radio"].includes(field.type) ? (field.checked ? "1" : "") : field.value);

/** What tells forms of one address apart: their boxes, and what they say unseen, such as whose card it is. @param {HTMLFormElement} form */
const kindOf = (form) =>
  /** @type {HTMLInputElement[]} */ ([...form.elements])
    .filter((field) => field.name && field.tagName !== "BUTTON" && !["csrfmiddlewaretoken", "once", "shown"].includes(field.name))
    .map((field) => (field.type === "hidden" ? `${field.name}=${field.value}` : field.name))
    .join(" ");

/** Takes note of a form on its way. @param {EventTarget | null} target */
export const onItsWay = (target) => {
  const form = /** @type {HTMLFormElement} */ (target);
  const once = /** @type {HTMLInputElement | null} */ (form.elements.namedItem("once"))?.value;
  if (!once || !user() || form.querySelector("[type=password]")) return;
  const fields = typed(form).map((field) => [`${field.name}\n${field.type === "radio" ? field.value : ""}`, written(field)]);
  if (!fields.length) return;
  const drafts = form.dataset.keeps ? [form.dataset.keeps] : [];
  keep([...waiting().filter((one) => one.once !== once), { once, user: user(), action: form.action, kind: kindOf(form), fields, drafts, at: Date.now() }]);
};

/** Lets go what the server has. */
export const settle = () => {
  const taken = new Set(cookieOf(COOKIE).split("."));
  const list = waiting();
  for (const one of list.filter((each) => taken.has(each.once))) one.drafts.forEach((key) => ["", "-why"].forEach((part) => localStorage.removeItem(key + part)));
  keep(list.filter((one) => !taken.has(one.once) && Date.now() - one.at < WEEK_MS));
};

/** Puts back what was sent and not taken into the form that it was typed into. */
export const putBack = () => {
  for (const one of waiting().filter((each) => each.user === user())) {
    const forms = /** @type {HTMLFormElement[]} */ ([...document.querySelectorAll("form[method=post]")]);
    const there = forms.filter((each) => each.action === one.action);
    const form = there.find((each) => kindOf(each) === one.kind) || (there.length === 1 ? there[0] : undefined);
    if (!form || form.dataset.cameBack) continue;
    const shown = /** @type {HTMLInputElement | null} */ (form.elements.namedItem("shown"));
    if (shown?.dataset.sent !== undefined) {
      // it is the answer to this very form: what was typed stands in it, and why it was not taken
      keep(waiting().filter((each) => each.once !== one.once));
      continue;
    }
    /** @type {Record<string, string>} */
    const kept = Object.fromEntries(one.fields);
    for (const field of typed(form)) {
      const value = kept[`${field.name}\n${field.type === "radio" ? field.value : ""}`];
      if (value === undefined || field.closest(".item")) continue; // the sheet's own draft holds its items
      if (["checkbox", "radio"].includes(field.type)) field.checked = Boolean(value);
      else field.value = value;
    }
    const said = document.createElement("p");
    said.className = "notes";
    said.setAttribute("role", "status");
    said.textContent = "This was not saved yet. What you typed is back: send it once more.";
    form.prepend(said);
    keep(waiting().filter((each) => each.once !== one.once));
    break;
  }
};
