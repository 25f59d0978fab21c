// The other components: palette, thread, trainer, forms that are kept, maps.
import assert from "node:assert/strict";
import { test } from "node:test";
import { pageOf, script } from "./page.mjs";

const part = async (name) => (await script(`components/${name}.js`))[name];

test("the palette shows the last question's answer, whichever comes last, and arrows go round it", async () => {
  const gates = [];
  const page = pageOf('<dialog data-find="/find/" data-event="3"><input x-ref="box"><ul x-ref="found"></ul></dialog>', (address) =>
    new Promise((done) => gates.push(() => done({ text: `<a href="#1">${new URL(address, "http://x").searchParams.get("q")}</a><a href="#2">b</a>` }))));
  const palette = page.component(await part("palette"), page.find("dialog"));
  page.find("input").value = "wi";
  const first = palette.ask();
  page.find("input").value = "wing";
  const second = palette.ask();
  gates[1]();
  await second;
  gates[0]();
  await first;
  assert.equal(page.find("a").textContent, "wing");
  const current = () => palette.links().findIndex((link) => link.getAttribute("aria-current") === "true");
  assert.equal(current(), 0);
  palette.keyed(page.key("ArrowUp", page.find("input")));
  assert.equal(current(), 1);
  palette.keyed(page.key("ArrowDown", page.find("input")));
  assert.equal(current(), 0);
  palette.closed();
  assert.equal(page.find("a"), null);
});

test("the thread is one stop of the Tab key, and arrows stay on it", async () => {
  const page = pageOf('<nav><a href="#a">a</a><a href="#b">b</a><a href="#c">c</a></nav>');
  const thread = page.component(await part("thread"), page.find("nav"));
  const stops = () => thread.knots.map((knot) => knot.getAttribute("tabindex")).join(" ");
  assert.equal(stops(), "-1 -1 0");
  thread.knots[2].focus();
  for (const name of ["ArrowRight", "ArrowLeft", "ArrowLeft", "ArrowLeft"]) thread.along(page.key(name, page.find("nav")));
  assert.equal(stops(), "0 -1 -1");
  thread.along(page.key("End", page.find("nav")));
  assert.equal(document.activeElement.textContent, "c");
});

test("the trainer goes from corner to corner, and to the form's button behind the last", async () => {
  const lesson = (n) => `<div data-lesson><input type="radio" name="c${n}" data-feeling="e" data-words="early"><input type="radio" name="c${n}" data-feeling="g" data-words="good"></div>`;
  const page = pageOf(`<div id="t"><form>${lesson(1)}${lesson(2)}<button class="main">Send</button></form></div>`);
  const trainer = page.component(await part("trainerKeys"), page.find("#t"));
  trainer.pressed(page.key("g", page.find("#t")));
  assert.equal(trainer.said, "good.");
  assert.equal(document.activeElement.name, "c2");
  trainer.pressed(page.key("e", document.activeElement));
  assert.equal(document.activeElement.textContent, "Send");
  trainer.pressed(page.key("x", page.find("#t")));
  assert.equal(page.window.document.querySelectorAll(":checked").length, 2);
});

test("a form is kept as typed, comes back after a lost page, and is let go when the server has it", async () => {
  const html = (more = "") => `<form data-draft="run" ${more}><input name="laps"><textarea name="note"></textarea><input type="hidden" name="token" value="x"><input type="hidden" name="once" value="first-key"><input type="hidden" name="shown" value='{"laps":["1"]}'></form>`;
  const page = pageOf(html('method="post" action="/runs/"'));
  const form = page.component(await part("keptForm"), page.find("form"));
  page.find("[name=laps]").value = "73,4\n73,9";
  form.keep();
  page.find("[name=laps]").value = "";
  const again = page.component(await part("keptForm"), page.find("form"));
  assert.ok(again.restored);
  assert.equal(page.find("[name=laps]").value, "73,473,9");
  assert.ok(!("token" in JSON.parse(localStorage.getItem("apex-form-run"))));
  page.find("form").dataset.cameBack = "1"; // the server sent it back with what was typed
  page.find("[name=laps]").value = "refused";
  page.component(await part("keptForm"), page.find("form"));
  assert.equal(page.find("[name=laps]").value, "refused");
  const { onItsWay, putBack, settle } = await import("../../apextrim/ui/assets/js/sent.js");
  document.body.dataset.user = "7";
  onItsWay(page.find("form"));
  settle(); // nobody has said yes
  assert.ok(localStorage.getItem("apex-form-run"));
  assert.equal(JSON.parse(localStorage.getItem("apex-sent")).length, 1);
  document.body.dataset.user = "8"; // another account in this browser
  page.find("form").removeAttribute("data-came-back");
  page.find("[name=note]").value = "";
  putBack();
  assert.equal(page.find("form p"), null);
  document.body.dataset.user = "7";
  page.find("[name=laps]").value = "";
  page.find("[name=shown]").value = '{"laps":["2"]}'; // somebody changed it meanwhile: it is held against what one saw as one typed
  putBack();
  assert.equal(page.find("[name=laps]").value, "refused");
  assert.equal(page.find("[name=shown]").value, '{"laps":["1"]}');
  assert.match(page.find("form p").textContent, /not saved yet/);
  assert.equal(JSON.parse(localStorage.getItem("apex-sent")).length, 0);
  const second = page.find("form").cloneNode(true); // another card at the same address
  second.querySelector("p").remove();
  second.querySelector("[name=once]").value = "second-key";
  second.insertAdjacentHTML("beforeend", '<input type="hidden" name="card" value="2">');
  page.find("form").after(second);
  second.querySelector("[name=laps]").value = "of the second";
  onItsWay(second);
  second.querySelector("[name=laps]").value = "";
  putBack();
  assert.equal(second.querySelector("[name=laps]").value, "of the second");
  assert.equal(page.find("[name=laps]").value, "refused");
  onItsWay(second);
  second.querySelector("[name=shown]").dataset.sent = ""; // the answer to it: it holds what was typed, and what others changed
  second.querySelector("[name=shown]").value = '{"laps":["3"]}';
  putBack();
  assert.equal(second.querySelector("[name=shown]").value, '{"laps":["3"]}');
  assert.equal(localStorage.getItem("apex-sent"), "[]");
  second.remove();
  onItsWay(page.find("form"));
  document.cookie = "apex-taken=other-key.first-key";
  settle();
  assert.equal(localStorage.getItem("apex-form-run"), null);
  assert.equal(localStorage.getItem("apex-sent"), "[]");
});

test("what a racer presses while signed out waits, and goes with the token of the new session", async () => {
  const html = '<div data-race="9" data-mark="/mark/" data-undo="/undo/" data-part="/part/"><input name="csrfmiddlewaretoken" value="old"></div>';
  let status = 403;
  const page = pageOf(html, () => (status === 200 ? { body: { problem: "" } } : { status, body: "signed out" }));
  const race = page.component(await part("raceKeys"), page.find("div"));
  race.$refs.board = null;
  race.take("lap", {});
  await new Promise((done) => setTimeout(done, 20));
  assert.equal(race.kept().length, 1);
  assert.match(race.problem, /signed out/);
  document.cookie = "csrftoken=new";
  const { asSignedIn } = await script("session.js");
  asSignedIn(document.createElement("form"));
  const form = document.createElement("form");
  form.append(page.find("input"));
  asSignedIn(form);
  assert.equal(form.elements.namedItem("csrfmiddlewaretoken").value, "new");
  race.destroy();
});

test("another kind of difference forgets the sides of the former", async () => {
  const page = pageOf('<form><select name="by"></select><input name="a" value="1"><input name="b" value="2"></form>');
  let sent = 0;
  page.find("form").requestSubmit = () => (sent += 1);
  const form = page.component(await part("autoSend"), page.find("form"));
  form.sendKind({ target: page.find("[name=a]") });
  assert.deepEqual([sent, page.find("[name=a]").value], [0, "1"]);
  form.sendKind({ target: page.find("[name=by]") });
  assert.deepEqual([sent, page.find("[name=a]").value, page.find("[name=b]").value], [1, "", ""]);
});

test("a corner's name goes into its own box, or into the bars of a surveyed road", async () => {
  const html = (names, value) => `<div><i data-names="${names}"></i><input name="${names}" value="${value}"><input x-ref="corner"><b data-called="3"></b></div>`;
  const page = pageOf(html("corner_names", "First"));
  const map = page.component(await part("mapPick"), page.find("div"));
  map.number = 3;
  map.$refs.corner.value = "Tower|end";
  map.called();
  assert.equal(page.find("[name=corner_names]").value, "First |  | Tower end");
  assert.equal(page.find("b").textContent, "Tower end");
});

test("folds stay as they were left", async () => {
  const page = pageOf('<details data-fold="x"></details>');
  const one = page.component(await part("fold"), page.find("details"));
  page.find("details").open = true;
  one.kept();
  page.find("details").open = false;
  page.component(await part("fold"), page.find("details"));
  assert.ok(page.find("details").open);
});

test("a map zooms in steps, no closer than twelve times, and never off its edge", async () => {
  const page = pageOf('<div><svg viewBox="0 0 240 120"></svg></div>');
  Object.defineProperty(page.find("svg"), "viewBox", { value: { baseVal: { x: 0, y: 0, width: 240, height: 120 } } });
  const map = page.component(await part("zoomMap"), page.find("div"));
  const box = () => page.find("svg").getAttribute("viewBox").split(" ").map(Number);
  map.nearer();
  assert.equal(box()[2], 160);
  for (let k = 0; k < 20; k += 1) map.nearer();
  assert.equal(box()[2], 20);
  for (let k = 0; k < 99; k += 1) map.keyed(page.key("ArrowRight", page.find("div")));
  assert.deepEqual(box().slice(0, 1), [220]);
  map.all();
  assert.deepEqual(box(), [0, 0, 240, 120]);
});

test("a click on a mark goes into the place that was in focus last", async () => {
  const page = pageOf('<div><input data-place="brake" name="one"><input data-place="turn" name="two"></div><svg class="corner-pic"><g data-mark="2nd board"></g></svg>');
  const book = page.component(await part("bookPage"), page.find("div"));
  book.focused({ target: page.find("[name=two]") });
  page.find("g").dispatchEvent(new Event("click", { bubbles: true }));
  assert.deepEqual([page.find("[name=one]").value, page.find("[name=two]").value], ["", "2nd board"]);
});
