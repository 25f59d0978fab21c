// @ts-check
// A select that sends its form as soon as it changes (marking laps, choosing sheets).

/** @type {Component} */
export const autoSend = () => ({
  send() {
    this.$root.requestSubmit();
  },
  // Another kind of difference has other sides: those chosen before mean nothing there.
  sendKind(event) {
    if (event.target.name !== "by") return;
    for (const name of ["a", "b"]) this.$root.elements[name].value = "";
    this.$root.requestSubmit();
  },
});
