// Race mode's keys: nothing pressed is lost, nothing counts twice, and the order stays.
import assert from "node:assert/strict";
import { test } from "node:test";
import { pageOf, script } from "./page.mjs";

const { raceKeys } = await script("components/raceKeys.js");

const PAGE = `<div data-race="4" data-mark="/mark/" data-undo="/undo/" data-part="/part/">
  <input name="csrfmiddlewaretoken" value="t"><input x-ref="board"><input x-ref="litres"><input x-ref="tyres"><button x-ref="none"></button>
  <div id="race-now" data-tyres="marl" data-litres="20"></div>
  <form data-kind="fuel"><input name="litres" value="31"></form></div>`;
const PART = '<div id="race-now" data-tyres="slate" data-litres="9"></div>';

const race = (answers) => {
  const page = pageOf(PAGE, (address, sent, count) => (address === "/part/" ? { text: PART } : answers(address, sent, count)));
  const keys = page.component(raceKeys, page.find("[data-race]"));
  keys.destroy(); // its own clock; the test asks by itself
  const marks = () => page.asked.filter(({ address }) => address !== "/part/");
  return { ...page, keys, marks, press: (name, more) => keys.pressed(page.key(name, page.find("#race-now"), more)) };
};

test("each key is one mark with its own number and time", async () => {
  const { press, marks, keys, settled } = race(() => ({ json: { problem: "" } }));
  press("l");
  await settled();
  press("p");
  await settled();
  press("z");
  await settled();
  assert.deepEqual(marks().map(({ address, sent }) => [address, sent.kind]), [["/mark/", "lap"], ["/mark/", "pit"], ["/undo/", "undo"]]);
  assert.deepEqual([marks()[1].sent.compound, marks()[1].sent.litres], ["slate", "9"]); // as the page said last
  assert.equal(new Set(marks().map(({ sent }) => sent.key)).size, 3);
  assert.ok(marks().every(({ sent }) => Number(sent.at) > 1e12));
  assert.equal(keys.waiting, 0);
});

test("keys pressed while the server is away are kept, in order, and sent once", async () => {
  let away = true;
  const { press, marks, keys, settled } = race(() => (away ? new Error("offline") : { json: { problem: "" } }));
  for (const name of ["l", "l", "c"]) press(name);
  await settled();
  assert.equal(keys.waiting, 3);
  assert.match(keys.waitingWords, /^3 entries kept here/);
  away = false;
  await keys.flush();
  await settled();
  const sent = marks().map((one) => one.sent);
  assert.deepEqual(sent.slice(-3).map(({ kind }) => kind), ["lap", "lap", "safety"]);
  assert.equal(new Set(sent.slice(-3).map(({ key }) => key)).size, 3);
  assert.equal(keys.waiting, 0);
  await keys.flush();
  assert.equal(marks().length, sent.length);
});

test("a busy server is asked again, a refusal is told and not sent again", async () => {
  let status = 503;
  const { press, marks, keys, settled } = race(() => ({ status, json: { problem: "The flag has fallen." } }));
  press("l");
  await settled();
  assert.equal(keys.waiting, 1);
  status = 422;
  await keys.flush();
  assert.equal(keys.problem, "The flag has fallen.");
  assert.equal(keys.waiting, 0);
  assert.equal(marks()[0].sent.key, marks()[1].sent.key); // the same mark: the server counts it once
});

test("a held key, a key with Ctrl and a key in a box are no marks", async () => {
  const { press, marks, keys, key, find, settled } = race(() => ({}));
  press("l", { repeat: true });
  press("p", { ctrlKey: true });
  keys.pressed(key("l", find("form input")));
  press("q");
  await settled();
  assert.equal(marks().length, 0);
});

test("fuel typed by hand is sent and the box emptied for the next one", async () => {
  const { keys, marks, find, settled } = race(() => ({ json: { problem: "" } }));
  find("form input").value = "28,5";
  keys.sent({ target: find("form"), preventDefault() {} });
  await settled();
  assert.equal(marks()[0].sent.litres, "28,5");
  assert.equal(find("form input").value, "31");
});

test("an odd lap waits for an answer, and nothing pressed after it overtakes it", async () => {
  const asks = (sent) => (sent.kind === "lap" && !sent.sure ? { asked: "39.0 s since the last lap. Has a lap ended?", two: false } : { problem: "" });
  const { press, marks, keys, settled } = race((address, sent) => ({ json: asks(sent) }));
  press("l");
  await settled();
  press("c");
  await settled();
  assert.match(keys.asked, /Has a lap ended/);
  assert.deepEqual(marks().map(({ sent }) => sent.kind), ["lap"]);
  keys.answer("one");
  await settled();
  assert.deepEqual(marks().slice(1).map(({ sent }) => [sent.kind, sent.sure || ""]), [["lap", "one"], ["safety", ""]]);
  assert.equal(marks()[0].sent.key, marks()[1].sent.key);
  press("l");
  await settled();
  keys.answer("");
  await settled();
  assert.equal(keys.waiting, 0);
  assert.equal(marks().filter(({ sent }) => sent.sure === "one").length, 1);
});
