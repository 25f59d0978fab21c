// Marks of a picture that keys walk, and the voice of race mode.
import assert from "node:assert/strict";
import test from "node:test";
import { pageOf, script } from "./page.mjs";

const { spots } = await script("components/spots.js");
const { speaker } = await script("components/speaker.js");

/** Marks at these places, each told by its name. */
const marks = (places) => {
  const links = Object.keys(places).map((name) => `<a href="#${name}" data-words="${name} is told" id="${name}"${name === "b" ? " data-first" : ""}></a>`);
  const page = pageOf(`<figure>${links.join("")}<p x-ref="told"></p></figure>`);
  for (const [name, [x, y]] of Object.entries(places)) {
    page.find(`#${name}`).getBoundingClientRect = () => ({ left: x - 5, top: y - 5, width: 10, height: 10 });
  }
  const one = page.component(spots, page.find("figure"));
  const press = (key) => {
    const event = page.key(key, document.activeElement);
    one.along(event);
    return event.stopped;
  };
  return { ...page, one, press, here: () => document.activeElement.id, stops: () => Object.keys(places).filter((name) => page.find(`#${name}`).getAttribute("tabindex") === "0") };
};

test("one mark takes the Tab key, arrows go to the next one that way, and its words are told", () => {
  const page = marks({ a: [0, 0], b: [100, 0], c: [100, 100], d: [220, 40] });
  assert.deepEqual(page.stops(), ["b"]);
  page.find("#b").focus();
  page.one.tell({ target: page.find("#b") });
  assert.equal(page.find("p").textContent, "b is told");
  assert.equal(page.press("ArrowDown"), true);
  assert.equal(page.here(), "c");
  page.one.tell({ target: page.find("#c") });
  assert.deepEqual(page.stops(), ["c"]);
  page.press("ArrowRight");
  assert.equal(page.here(), "d");
  page.press("ArrowLeft");
  page.press("ArrowLeft");
  assert.equal(page.here(), "a");
  page.press("ArrowLeft"); // nothing lies there
  assert.equal(page.here(), "a");
  assert.equal(page.press("Enter"), false); // a link follows it by itself
});

test("every mark is reached from every other, whichever way it lies", () => {
  const places = {};
  for (let n = 0; n < 40; n++) places[`m${n}`] = [((n * 73) % 97) * 7, ((n * 41) % 89) * 4];
  places.b = [3, 3];
  const page = marks(places);
  const reached = new Set(["b"]);
  const open = ["b"];
  while (open.length) {
    const from = open.pop();
    for (const key of ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"]) {
      page.find(`#${from}`).focus();
      page.press(key);
      if (reached.has(page.here())) continue;
      reached.add(page.here());
      open.push(page.here());
    }
  }
  assert.equal(reached.size, 41);
});

test("a finger reads a mark first and follows it with the next touch", () => {
  const page = marks({ a: [0, 0], b: [100, 0] });
  const touch = (name, kind = "touch") => {
    let held = false;
    page.one.touched({ target: page.find(`#${name}`), pointerType: kind, preventDefault: () => (held = true) });
    return held;
  };
  assert.equal(touch("a"), true);
  assert.equal(page.here(), "a");
  assert.equal(touch("a"), false);
  assert.equal(touch("b"), true);
  assert.equal(touch("a"), true);
  assert.equal(touch("b", "mouse"), false);
});

/** A race whose call can change, with a voice that writes down what it says. */
const race = () => {
  const page = pageOf(
    `<div><div id="race-now"><p data-spoken>Stay out</p><p>lap 3</p><p data-spoken></p></div><p id="voice"></p></div>`,
  );
  const said = [];
  Object.assign(page.window, {
    speechSynthesis: { speak: (one) => said.push(one.text), cancel: () => said.push("(quiet)") },
    SpeechSynthesisUtterance: class {
      constructor(text) {
        this.text = text;
      }
    },
  });
  Object.assign(globalThis, {
    MutationObserver: page.window.MutationObserver, speechSynthesis: page.window.speechSynthesis, SpeechSynthesisUtterance: page.window.SpeechSynthesisUtterance,
  });
  const one = page.component(speaker, page.find("#voice"));
  const call = async (command, detail = "") => {
    const fresh = document.createElement("div");
    fresh.id = "race-now";
    fresh.innerHTML = `<p data-spoken>${command}</p><p>lap 4</p><p data-spoken>${detail}</p>`;
    page.find("#race-now").replaceWith(fresh);
    await page.settled();
  };
  return { ...page, one, said, call };
};

test("race mode is silent until it is asked to speak", async () => {
  const { one, said, call } = race();
  await call("Pit this lap");
  assert.deepEqual(said, []);
  one.toggle();
  assert.deepEqual(said, ["(quiet)", "Pit this lap"]);
  one.destroy();
});

test("a call is said once, a newer one silences it, and signs are words", async () => {
  const { one, said, call } = race();
  one.toggle();
  said.length = 0;
  await call("Stay out"); // the same, drawn anew
  assert.deepEqual(said, []);
  await call("Pit this lap", "Marl, 12 l, −0.4 s ± 0.2");
  assert.deepEqual(said, ["(quiet)", "Pit this lap. Marl, 12 l, minus 0.4 s plus or minus 0.2"]);
  one.toggle();
  await call("Race over");
  assert.deepEqual(said.slice(2), ["(quiet)"]);
  one.destroy();
});

test("the choice is kept on this device, and a browser without a voice says so by not offering it", () => {
  const first = race();
  first.one.toggle();
  assert.equal(localStorage.getItem("apex-speaks"), "on");
  first.one.destroy();
  const second = race();
  localStorage.setItem("apex-speaks", "on");
  second.one.init();
  assert.equal(second.one.on, true);
  delete second.window.speechSynthesis;
  assert.equal(second.one.able, false);
  second.one.destroy();
});
