// @ts-check
// The print button of a card.

/** @type {Component} */
export const printer = () => ({
  print() {
    window.print();
  },
});
