"""One weekend as a racer walks it, from brief to race plan."""

import re
from collections.abc import Mapping
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.apexcore.formats.test_formats import EXAMPLES

pytestmark = pytest.mark.xdist_group("story")


def bench(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Benches").get_by_role("link", name=name).click()


def begin(page: Page, name: str) -> None:
    """A new event of the racer's own, through the form."""
    page.goto("/events/")
    page.get_by_role("textbox", name="Event").fill(name)
    page.get_by_label("Car", exact=True).select_option(label="Brackendale Gannet")
    page.get_by_label("Circuit", exact=True).select_option(label="Sallowmere, Fen circuit")
    page.get_by_role("button", name="Create event").click()
    expect(page.get_by_role("heading", level=1)).to_have_text(name)


def begin_at(page: Page, name: str, bench: str = "sheet/") -> None:
    """A new event as `begin` makes it, sent without drawing a page; then one of its benches."""
    chosen = {"car": "Brackendale Gannet", "circuit": "Sallowmere, Fen circuit"}
    address = sent(page, "/events/", "/events/", chosen, {"name": name, "real_car": "no"})
    page.goto(address + bench)


def sent(page: Page, shown_at: str, address: str, chosen: Mapping[str, str], typed: Mapping[str, str]) -> str:
    """Sends a form without drawing its page, with options chosen by their words; returns where the product leads on to."""
    shown = page.request.get(shown_at).text()
    form: dict[str, str | float | bool] = dict(typed)
    for name, pattern in {
        "csrfmiddlewaretoken": r'name="csrfmiddlewaretoken" value="([^"]+)"',
        **{name: rf'<option value="([^"]+)"[^>]*>{re.escape(words)}[^<]*<' for name, words in chosen.items()},
    }.items():
        found = re.search(pattern, shown)
        assert found, (name, pattern)
        form[name] = found.group(1)
    answer = page.request.post(address, form=form)
    assert answer.ok and answer.url != page.url, answer.url
    return answer.url


def lap_s(text: str) -> float:
    minutes, seconds = text.split(":")
    return 60 * int(minutes) + float(seconds)


def save(page: Page, reason: str) -> None:
    page.get_by_label("Why this change").fill(reason)
    page.get_by_role("button", name="Save as a new sheet").click()
    expect(page.get_by_role("status")).to_contain_text("is saved")


def send_out(page: Page, sheet: str, laps: str, compound: str = "M Marl", fuel: str = "30") -> None:
    bench(page, "Runs")
    form = page.get_by_role("region", name="Send the virtual driver out")
    form.get_by_label("Sheet").select_option(label=sheet)
    form.get_by_label("Front tyres").select_option(label=compound)
    form.get_by_label("Rear tyres").select_option(label=compound)
    form.get_by_label("Fuel at the start").fill(fuel)
    form.get_by_label("Laps, out and in included").fill(laps)
    form.get_by_role("button", name="Start virtual run").click()
    expect(page.get_by_role("status")).to_contain_text("the virtual driver is back")


def send_out_at(page: Page, event: str, sheet: str, laps: int) -> str:
    """Sends the virtual driver out as `send_out` does, without drawing a page; returns the run's address."""
    chosen = {"sheet": sheet, "session": "Practice", "front": "M Marl", "rear": "M Marl"}
    return sent(page, f"{event}runs/", f"{event}runs/virtual/", chosen, {"laps": str(laps), "fuel_l": "30", "tyre_age": "0"})


@pytest.mark.thorough_only
def test_a_weekend_from_brief_to_race_plan(page: Page, tmp_path: Path) -> None:
    begin(page, "A weekend of my own")

    # the brief: what is a good lap here, and how hot is it?
    expected = page.get_by_role("region", name="Lap times to expect today")
    before = expected.inner_text()
    assert before.index("newcomer") < before.index("front-runner")
    page.get_by_label("Air temperature °C").fill("24")
    page.get_by_label("Track temperature °C").fill("33,5")
    page.get_by_role("button", name="Save conditions").click()
    expect(page.get_by_role("status")).to_contain_text("Conditions saved")
    assert expected.inner_text() != before
    page.get_by_role("textbox", name="Race length").fill("36")
    page.get_by_label("Time lost in the pit lane").fill("24")
    page.get_by_label("M Marl").check()
    page.get_by_label("S Slate").check()
    page.get_by_label("Refuelling allowed").check()
    page.get_by_role("button", name="Save rules").click()
    expect(page.get_by_role("status")).to_contain_text("Race rules saved")

    # the circuit: every corner, and a note
    bench(page, "Lap")
    expect(page.get_by_role("img", name="Map of the circuit with 9 numbered corners")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("Heron Hook"))).to_contain_text("left")
    page.get_by_label("Corner 3, qualifying").fill("late, use the exit kerb")
    page.get_by_role("button", name="Save notes").click()
    expect(page.get_by_label("Corner 3, qualifying")).to_have_value("late, use the exit kerb")

    # the sheet: the first, then a change by keys, answered at once
    bench(page, "Sheet")
    save(page, "Base sheet")
    drive = page.get_by_label("Final drive, :1", exact=True)
    drive.focus()
    expect(page.get_by_text("One step of final drive from here")).to_be_visible()
    for _ in range(12):
        page.keyboard.press("ArrowUp")
    expect(drive).to_have_value("4.50")
    expect(page.locator("[data-change]")).to_contain_text("slower")
    expect(page.get_by_text("1 unsaved change")).to_be_visible()
    page.reload()  # nothing typed is lost
    expect(drive).to_have_value("4.50")
    save(page, "A short final drive, to see what it does")
    page.get_by_role("button", name="Compare sheets").click()
    expect(page.locator(".verdict-line")).to_contain_text("S2 differs from S1 in 1 item")
    page.get_by_role("link", name="Go back to S1").click()
    expect(drive).to_have_value("3.90")

    # a sheet out and in again as a file
    with page.expect_download() as download:
        page.get_by_role("row", name=re.compile("^S2")).get_by_role("link", name="Export sheet").click()
    path = tmp_path / "s2.json"
    download.value.save_as(path)
    page.get_by_label("Sheet file, JSON").set_input_files(path)
    page.get_by_role("button", name="Import sheet").click()
    expect(page.get_by_role("status")).to_contain_text("there already as S2")

    # runs: one typed, one imported, some driven
    bench(page, "Runs")
    page.get_by_role("button", name="Add run").click()
    page.get_by_label("One lap per line").fill("1:26.0\n1:13.9\n1:13.8\n73,7\n1:13.75\n1:13.82\n1:19.0")
    page.get_by_role("button", name="Add these laps").click()
    expect(page.get_by_role("img", name=re.compile("Lap times of R1"))).to_be_visible()
    expect(page.get_by_label("Lap 1 counts as")).to_have_value("out")
    expect(page.get_by_label("Lap 7 counts as")).to_have_value("spoiled")
    page.get_by_label("Lap 7 counts as").select_option("in")
    expect(page.get_by_label("Lap 7 counts as")).to_have_value("in")
    page.get_by_role("link", name="Delete this run").click()
    page.get_by_role("button", name="Delete").click()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("status")).to_contain_text("R1 is back")
    bench(page, "Runs")
    page.get_by_role("button", name="Add run").click()
    page.get_by_label("CSV with the columns").set_input_files(EXAMPLES / "laps_semicolon.csv")
    page.get_by_role("button", name="Import laps").click()
    expect(page.get_by_role("status")).to_contain_text("8 laps imported")
    for sheet in ("S1", "S2", "S1", "S2"):
        send_out(page, sheet, "8")

    # the verdict: the sentence first
    bench(page, "Verdicts")
    expect(page.locator("[data-verdict]")).to_contain_text("S1")
    page.get_by_role("button", name="Save verdict").click()
    expect(page.get_by_role("status")).to_contain_text("saved to the thread")

    # the race: from the runs, with its margin
    send_out(page, "S1", "14", "S Slate", "45")
    bench(page, "Race")
    plan = page.locator("[data-plan]").inner_text()
    assert re.search(r"1 stop is quickest.*Start with \d+\.\d\sl", plan), plan
    expect(page.get_by_role("img", name=re.compile("laps on Marl"))).not_to_have_count(0)
    page.get_by_role("button", name="Save plan").first.click()
    expect(page.get_by_role("heading", level=1).last).to_contain_text("Race plan")

    # the thread ties it together in time order
    labels = page.locator(".thread b").all_inner_texts()
    assert labels == ["Brief", "Weather", "Rules", "S1", "S2", "R1", "R2", "R3", "R4", "R5", "R6", "S1 : S2", "R7", "Plan"]
    page.locator(".thread a").filter(has_text="S2").first.click()
    expect(drive).to_have_value("4.50")


@pytest.mark.thorough_only
def test_a_step_answers_within_a_tenth_of_a_second(page: Page) -> None:
    """Not a timed test: it prints the times (see them with -s) and checks that every step is answered."""
    page.goto("/events/")
    page.get_by_role("link", name="The Sallowmere Trophy, round 2", exact=True).click()
    bench(page, "Sheet")
    page.locator("#answer").wait_for()  # the page before it is gone
    page.evaluate(
        """() => { window.took = []; let start = 0;
        addEventListener("keydown", () => { start = performance.now(); }, true);
        new MutationObserver(() => { if (start) { took.push(performance.now() - start); start = 0; } })
          .observe(document.querySelector("#answer"), { childList: true }); }"""
    )
    page.get_by_label("Front anti-roll bar", exact=True).focus()
    page.locator("[data-effect]").first.wait_for()
    for count, key in enumerate(["ArrowUp", "ArrowUp", "ArrowDown", "ArrowDown", "ArrowDown", "ArrowUp"], start=1):
        page.keyboard.press(key)
        page.wait_for_function("(count) => window.took.length >= count", arg=count)
    print("one step in the browser, ms:", [round(ms) for ms in page.evaluate("() => window.took")])
    expect(page.get_by_label("Front anti-roll bar", exact=True)).to_have_value("5")


def test_wrong_values_are_named_where_they_are_typed(page: Page) -> None:
    begin_at(page, "Awkward input")
    page.get_by_label("Rear wing", exact=True).fill("99")
    expect(page.locator("#answer")).to_contain_text("Rear wing: “99” is not valid; expected 1 to 12 in steps of 1")
    page.get_by_label("Why this change").fill("too much")
    page.get_by_role("button", name="Save as a new sheet").click()
    expect(page.get_by_role("alert").first).to_contain_text("Nothing was saved")
    expect(page.get_by_label("Rear wing", exact=True)).to_have_value("99")
    expect(page.get_by_label("Why this change")).to_have_value("too much")
    page.get_by_label("Rear wing", exact=True).fill("8")
    page.get_by_role("button", name="Save as a new sheet").click()
    expect(page.get_by_role("status")).to_contain_text("S1 is saved")


@pytest.mark.thorough_only
def test_everything_goes_by_keyboard(page: Page) -> None:
    page.goto("/events/")
    page.get_by_role("link", name="The Sallowmere Trophy, round 2", exact=True).press("Enter")
    expect(page.get_by_role("region", name="Lap times to expect today")).to_be_visible()
    page.keyboard.press("3")
    expect(page.get_by_role("group", name="The car from above")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("(Night|Day) theme"))).to_be_visible()  # the scripts have begun
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()
    first = page.get_by_label("Cold pressure front left, kPa", exact=True)
    first.focus()
    page.keyboard.press("Tab")
    expect(page.get_by_label("Camber front left, °", exact=True)).to_be_focused()
    page.keyboard.press("PageDown")
    expect(page.get_by_label("Camber front left, °", exact=True)).to_have_value("-3.7")
    page.get_by_role("button", name="Discard changes").press("Enter")
    expect(page.get_by_label("Camber front left, °", exact=True)).to_have_value(re.compile("[−-]3.2"))
    page.get_by_role("link", name="To the content").focus()
    expect(page.get_by_role("link", name="To the content")).to_be_visible()
