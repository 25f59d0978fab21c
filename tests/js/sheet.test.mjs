// The boxes of a sheet: steps, drafts, both wheels of an axle, back and forth.
import assert from "node:assert/strict";
import { test } from "node:test";
import { pageOf, script } from "./page.mjs";

const { item } = await script("components/item.js");
const { sheetBench } = await script("components/sheetBench.js");
const { stepsFold } = await script("components/stepsFold.js");

const box = (name, value, more = "") =>
  `<div class="item" data-saved="${value}" data-low="0" data-high="10" data-step="0.5" data-decimals="1" ${more}><input id="item-${name}" name="${name}" value="${value}"></div>`;

const bench = (html = box("wing", "2.0") + box("spring_fl", "4.0") + box("spring_fr", "4.0")) => {
  const page = pageOf(`<form data-draft="7">${html}<input x-ref="focused"><a href="/away/">away</a></form>`);
  const items = [...page.window.document.querySelectorAll(".item")].map((one) => page.component(item, one));
  const sheet = page.component(sheetBench, page.find("form"));
  page.find("form").addEventListener("input", (event) => {
    const box = event.target.closest(".item");
    if (box) Alpine.$data(box).compare();
    sheet.changedItem(event);
  });
  return { ...page, items, sheet, type: (name, text) => {
    page.find(`[name=${name}]`).value = text;
    page.find(`[name=${name}]`).dispatchEvent(new Event("input", { bubbles: true }));
  } };
};

test("a step goes by the item's own and stops at its ends", () => {
  const { items: [wing], find, key } = bench();
  wing.up();
  assert.equal(find("[name=wing]").value, "2.5");
  assert.ok(wing.changed);
  for (let k = 0; k < 40; k += 1) wing.keyed(key("PageUp", find("[name=wing]")));
  assert.equal(find("[name=wing]").value, "10.0");
  for (let k = 0; k < 60; k += 1) wing.down();
  assert.equal(find("[name=wing]").value, "0.0");
  wing.back();
  assert.equal(find("[name=wing]").value, "2.0");
  assert.ok(!wing.changed);
});

test("a step from a value off the grid, or from one with a unit, lands on the grid", () => {
  const { items: [wing], find, type } = bench();
  type("wing", "2,7");
  wing.up();
  assert.equal(find("[name=wing]").value, "3.0");
  type("wing", "3 clicks");
  wing.up();
  assert.equal(find("[name=wing]").value, "2.5"); // from the saved one
});

test("positions with names show theirs", () => {
  const { items: [bar] } = bench(box("bar", "0.5", 'data-names="soft|middle|stiff"'));
  assert.equal(bar.name, "middle");
  bar.up();
  assert.equal(bar.name, "stiff");
});

test("a draft is kept until it is saved, and comes back", () => {
  const { sheet, find, type } = bench();
  type("wing", "3.5");
  assert.equal(sheet.unsaved, 1);
  assert.equal(sheet.words, "1 unsaved change");
  assert.deepEqual(JSON.parse(localStorage.getItem("apex-draft-7")), { wing: "3.5" });
  type("wing", "2,0"); // the saved value, typed otherwise
  assert.equal(sheet.unsaved, 0);
  assert.equal(localStorage.getItem("apex-draft-7"), null);
  type("spring_fl", "5");
  const draft = localStorage.getItem("apex-draft-7");
  assert.equal(sheet.$root.dataset.keeps, "apex-draft-7"); // let go when the server has the form that it belongs to
  assert.ok(draft);
  find("[name=spring_fl]").value = "4.0"; // the page comes anew
  sheet.restore();
  assert.ok(sheet.restored);
  assert.equal(find("[name=spring_fl]").value, "5");
  find("[name=spring_fr]").value = "6"; // typed before the script began: newer than a draft
  localStorage.setItem("apex-draft-7", JSON.stringify({ spring_fr: "9" }));
  sheet.restore();
  assert.equal(find("[name=spring_fr]").value, "6");
});

test("undo and redo go through every state, and typing after an undo forgets the rest", () => {
  const { sheet, find, type, key } = bench();
  for (const text of ["2.5", "3.0", "3.5"]) type("wing", text);
  assert.ok(sheet.canUndo && !sheet.canRedo);
  sheet.undo();
  sheet.keyedAll(key("z", find("[name=wing]"), { ctrlKey: true }));
  assert.equal(find("[name=wing]").value, "2.5");
  sheet.redo();
  assert.equal(find("[name=wing]").value, "3.0");
  type("wing", "9.0");
  assert.ok(!sheet.canRedo);
  for (let k = 0; k < 9; k += 1) sheet.undo();
  assert.equal(find("[name=wing]").value, "2.0");
});

test("both wheels of an axle move together while asked for, and only with the same range", () => {
  const { sheet, find, type } = bench();
  assert.ok(sheet.paired);
  type("spring_fl", "6.0");
  assert.equal(find("[name=spring_fr]").value, "4.0");
  sheet.mirror = true;
  sheet.keepMirror();
  type("spring_fl", "7.0");
  assert.equal(find("[name=spring_fr]").value, "7.0");
  find("[name=spring_fr]").closest(".item").dataset.high = "5";
  type("spring_fl", "8.0");
  assert.equal(find("[name=spring_fr]").value, "7.0");
  assert.equal(localStorage.getItem("apex-mirror"), "on");
});

test("a link away carries what is not saved, as it was typed", () => {
  const { sheet, find, type } = bench();
  type("wing", " 27.5psi ");
  sheet.withUnsaved({ target: find("a") });
  assert.equal(new URL(find("a").href).searchParams.get("set"), "wing:27.5psi");
});

test("a proposed step goes into its box", () => {
  const page = pageOf(`<form>${box("wing", "2.0")}<details><i x-ref="steps"></i><button data-key="wing" data-value="4.5"></button></details></form>`);
  const fold = page.component(stepsFold, page.find("details"));
  let asked = 0;
  page.find("i").addEventListener("ask", () => (asked += 1));
  fold.ask();
  assert.equal(asked, 0); // shut
  page.find("details").open = true;
  fold.ask();
  assert.equal(asked, 1);
  fold.put({ target: page.find("button") });
  assert.equal(page.find("[name=wing]").value, "4.5");
});
