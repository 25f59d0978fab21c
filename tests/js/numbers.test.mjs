// What is typed into a box, and what a box shows.
import assert from "node:assert/strict";
import { test } from "node:test";
import { script } from "./page.mjs";

const { parse, written } = await script("numbers.js");

test("numbers are read as people type them", () => {
  const read = [["1.5", 1.5], ["1,5", 1.5], [" -3 ", -3], ["−2,5", -2.5], ["–4", -4], ["0,125", 0.125], ["1/2", 0.5], ["2 3/8", 2.375], ["-1-1/4", -1.25], [".5", 0.5]];
  for (const [text, value] of read) assert.equal(parse(text), value, text);
});

test("what only the server can read is no number here", () => {
  for (const text of ["", "  ", "27.5psi", "1,000", "12,345,678", "abc", "1.2.3", "--1", "1/0x"]) assert.ok(Number.isNaN(parse(text)), text);
});

test("a value keeps its decimals, or becomes whole ones and a fraction in lowest terms", () => {
  const shown = [[1.25, { decimals: 1 }, "1.3"], [2, { decimals: 2 }, "2.00"], [2.375, { parts: "8" }, "2 3/8"], [0.5, { parts: "16" }, "1/2"], [-1.25, { parts: "4" }, "-1 1/4"], [3, { parts: "8" }, "3"], [0, { parts: "8" }, "0"], [-0.01, { parts: "8" }, "0"]];
  for (const [value, told, text] of shown) assert.equal(written(value, told), text);
});

test("what is written reads back, over ten thousand places", () => {
  for (let k = -5000; k < 5000; k += 1) {
    assert.equal(parse(written(k / 16, { parts: "16" })), k / 16);
    assert.ok(Math.abs(parse(written(k / 7, { decimals: 3 })) - k / 7) <= 0.0005001);
  }
});
