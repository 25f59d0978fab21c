// @ts-check
// A page that reads parts of itself by a timer stays where it is when the session ends, with what is being typed on it, and says so;
// after signing in elsewhere it goes on by itself.

/** What a cookie holds; empty where there is none. @param {string} name */
export const cookieOf = (name) => document.cookie.split("; ").find((one) => one.startsWith(`${name}=`))?.slice(name.length + 1) || "";

/** The token of the session as it is now: signing in again gives another one than stands on a page that stayed. */
export const tokenNow = () => cookieOf("csrftoken");

/** Gives a form on its way the token of now. @param {EventTarget | null} target */
export const asSignedIn = (target) => {
  const fields = /** @type {HTMLFormElement} */ (target).elements;
  const field = /** @type {HTMLInputElement | null} */ (fields.namedItem("csrfmiddlewaretoken"));
  if (field && tokenNow()) field.value = tokenNow();
};

export const watchSession = () => {
  const said = document.getElementById("signed-out");
  if (!said) return;
  document.body.addEventListener("signed-out", (event) => {
    const { to } = /** @type {CustomEvent<{to: string}>} */ (event).detail;
    /** @type {HTMLAnchorElement} */ (said.querySelector("a")).href = to;
    said.hidden = false;
  });
  document.body.addEventListener("htmx:config:request", (event) => {
    const { body } = /** @type {CustomEvent<{ctx: {request: {body: unknown}}}>} */ (event).detail.ctx.request;
    if (body instanceof FormData && body.has("csrfmiddlewaretoken") && tokenNow()) body.set("csrfmiddlewaretoken", tokenNow());
  });
  document.body.addEventListener("htmx:before:response", (event) => {
    if (/** @type {CustomEvent<{ctx: {response: {status: number}}}>} */ (event).detail.ctx.response.status === 200) said.hidden = true;
  });
};
