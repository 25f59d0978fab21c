"""What happens around the story: drafts, undo, files that are refused, phones, printing."""

import re
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_story import begin_at, bench, save

pytestmark = pytest.mark.xdist_group("details")


@pytest.mark.thorough_only
def test_a_draft_is_kept_per_sheet_and_can_be_taken_back(page: Page) -> None:
    begin_at(page, "Drafts")
    save(page, "The first")
    wing = page.get_by_label("Rear wing", exact=True)
    wing.fill("9")
    expect(page.get_by_text("1 unsaved change")).to_be_visible()
    expect(page.locator(".item", has=wing).get_by_text("was 6", exact=True)).to_be_visible()
    bench(page, "Runs")
    bench(page, "Sheet")
    expect(wing).to_have_value("9")
    expect(page.get_by_text("Your unsaved entries were restored")).to_be_visible()
    page.get_by_role("button", name="Discard changes").click()
    expect(wing).to_have_value("6")
    page.reload()
    expect(wing).to_have_value("6")


@pytest.mark.thorough_only
def test_units_are_typed_inline_and_answered(page: Page) -> None:
    begin_at(page, "Units")
    page.get_by_label("Cold pressure front left, kPa", exact=True).fill("25psi")
    expect(page.locator("[data-change]")).to_contain_text(re.compile("quicker|slower|no difference seen"))
    save(page, "In psi")
    expect(page.get_by_label("Cold pressure front left, kPa", exact=True)).to_have_value("172")


def test_buttons_step_and_stop_at_the_end_of_the_range(page: Page) -> None:
    begin_at(page, "Steps")
    bar = page.get_by_label("Front anti-roll bar", exact=True)
    for _ in range(6):
        page.get_by_role("button", name="Front anti-roll bar, one step up").click()
    expect(bar).to_have_value("9")
    bar.focus()
    expect(page.locator("#effect")).to_contain_text("already at the maximum")


@pytest.mark.thorough_only
def test_a_refused_file_says_where_and_leaves_the_run_alone(page: Page, tmp_path: Path) -> None:
    begin_at(page, "Files")
    save(page, "The first")
    bench(page, "Runs")
    page.get_by_role("button", name="Add run").click()
    path = tmp_path / "laps.csv"
    path.write_bytes(b"lap,lap_time\n1,1:14.2\n2,quick\n2,1:13.9\n")
    page.get_by_label("CSV with the columns").set_input_files(path)
    page.get_by_role("button", name="Import laps").click()
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("Nothing was saved")
    expect(alert).to_contain_text("Line 3, column lap_time: “quick” is not valid")
    expect(page.get_by_text("No lap yet")).to_be_visible()


@pytest.mark.thorough_only
def test_an_event_is_deleted_after_asking_and_comes_back(page: Page) -> None:
    begin_at(page, "To be deleted", "")
    page.get_by_role("link", name="Delete this event").click()
    expect(page.get_by_text("Delete event To be deleted with its sheets")).to_be_visible()
    page.get_by_role("link", name="Cancel").click()
    page.get_by_role("link", name="Delete this event").click()
    page.get_by_role("button", name="Delete").click()
    expect(page.get_by_role("link", name="To be deleted")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("To be deleted")


@pytest.mark.thorough_only
def test_a_real_car_shows_the_cautions_beside_the_task(page: Page) -> None:
    begin_at(page, "For real", "")
    expect(page.get_by_role("complementary", name="Cautions")).to_have_count(0)
    page.get_by_label("Simulator or real car").select_option(label="real car")
    page.get_by_role("button", name="Save session and driver").click()
    expect(page.get_by_role("complementary", name="Cautions")).to_contain_text("scrutineers")
    bench(page, "Lap")
    expect(page.get_by_text("an estimate, not an instruction")).to_be_visible()


@pytest.mark.thorough_only
def test_rules_that_collide_lead_back_to_the_brief(page: Page) -> None:
    begin_at(page, "Colliding", "")
    for name in ("M Marl", "S Slate"):
        page.get_by_label(name).check()
    page.get_by_label("Maximum stops").fill("0")
    page.get_by_role("button", name="Save rules").click()
    bench(page, "Race")
    expect(page.get_by_role("alert")).to_contain_text("at most 0 stops; compulsory marl and slate cannot hold together")
    page.get_by_role("link", name="Change the rules in the Brief").click()
    expect(page.get_by_role("heading", name=re.compile("Race length and rules"))).to_be_in_viewport()


@pytest.mark.thorough_only
def test_on_a_phone_the_answer_stays_in_sight(page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto("/events/1/sheet/")
    page.get_by_label("Rear wing", exact=True).scroll_into_view_if_needed()
    page.get_by_label("Rear wing", exact=True).press("ArrowUp")
    expect(page.locator("[data-change]")).to_be_in_viewport()
    expect(page.locator("[data-change]")).to_contain_text(re.compile("quicker|slower|no difference seen"))
    page.get_by_role("button", name="Discard changes").click()


def test_the_thread_opens_at_its_newest_end(page: Page) -> None:
    page.set_viewport_size({"width": 820, "height": 1100})
    page.goto("/events/1/")
    page.wait_for_function(
        "() => { const t = document.querySelector('.thread'); return t.scrollLeft + t.clientWidth >= t.scrollWidth - 2; }"
    )
    expect(page.locator(".thread b").last).to_be_in_viewport()


@pytest.mark.thorough_only
def test_a_click_on_the_map_places_a_mark_and_the_circuit_keeps_it(page: Page) -> None:
    page.goto("/garage/circuits/4/")
    marks = page.locator('[name$=".at_m"]')
    count = marks.count()
    page.evaluate("() => document.querySelector('#growing').setAttribute('data-before', '')")
    page.locator('[name="markers.8.name"]').fill("new board")
    page.locator('[name="markers.8.at_m"]').focus()
    page.locator("#growing:not([data-before])").wait_for()  # the map is drawn anew with what was typed
    page.locator("svg[data-picks]").scroll_into_view_if_needed()
    box = page.locator("svg[data-picks]").bounding_box()
    assert box is not None
    at = page.evaluate("() => document.querySelector('svg[data-picks]').dataset.picks.split(';')[40].split(',').map(Number)")
    page.mouse.click(box["x"] + at[0] / 760 * box["width"], box["y"] + at[1] / 400 * box["height"])
    put = float(page.locator('[name="markers.8.at_m"]').input_value())
    assert abs(put - at[2]) < 40
    page.get_by_role("button", name="Save circuit").click()
    expect(page.get_by_text("is saved; every modelled number now uses it")).to_be_visible()
    page.goto("/events/1/lap/")
    expect(page.locator("li", has_text=f"board at {put:.0f} m: new board")).to_be_visible()
    page.goto("/garage/circuits/4/")
    assert page.locator('[name$=".at_m"]').count() == count + 1
    page.locator('[name="markers.8.at_m"]').fill("")
    page.locator('[name="markers.8.name"]').fill("")
    page.locator('[name="markers.8.height_mm"]').fill("")
    page.get_by_role("button", name="Save circuit").click()
    expect(page.get_by_text("is saved")).to_be_visible()


def test_a_fold_of_the_answer_stays_open_while_values_are_stepped(page: Page) -> None:
    page.goto("/events/1/sheet/")
    page.get_by_text("Ride", exact=False).locator("xpath=ancestor-or-self::summary").first.click()
    expect(page.get_by_text("Damping ratio: 1.00 is critical")).to_be_visible()
    page.get_by_text("Dampers").first.click()
    bump = page.get_by_label("Front low-speed bump", exact=True)
    before = page.locator("#answer details table td.n").nth(2).inner_text()
    bump.focus()
    page.keyboard.press("PageUp")
    expect(page.locator("#answer details table td.n").nth(2)).not_to_have_text(before)
    expect(page.get_by_text("Damping ratio: 1.00 is critical")).to_be_visible()
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_from_a_feeling_to_a_search_and_back_to_the_sheet(page: Page) -> None:
    page.goto("/events/1/sheet/?sheet=4")
    page.get_by_role("link", name="Advice").click()
    page.get_by_label("What it does").select_option("front")
    page.get_by_label("How much").select_option("clearly")
    page.get_by_role("button", name="Get advice").click()
    expect(page.get_by_text("adds grip at the sliding end").first).to_be_visible()
    page.keyboard.press("a")
    expect(page.get_by_text("unsaved change")).to_be_visible()
    expect(page.locator("[data-change]")).to_contain_text(re.compile("quicker|slower|no difference"))
    page.goto("/events/1/sheet/4/search/")
    for box in page.locator('input[name="items"]').all():
        box.uncheck()
    for name in ("Front anti-roll bar", "Rear anti-roll bar", "Rear wing"):
        page.get_by_label(name, exact=True).check()
    page.get_by_role("button", name="Start search").click()
    expect(page.get_by_text("sheets solved")).to_be_visible(timeout=120_000)
    expect(page.get_by_text("s a lap quicker")).to_be_visible()
    page.get_by_role("link", name="Put on the sheet").last.click()
    expect(page.get_by_text("unsaved change")).to_be_visible()
    page.evaluate("() => localStorage.clear()")


def test_steps_are_undone_and_done_again(page: Page) -> None:
    page.goto("/events/1/sheet/?sheet=4")
    page.evaluate("() => localStorage.clear()")
    page.reload()
    bar, wing = page.get_by_label("Front anti-roll bar", exact=True), page.get_by_label("Rear wing", exact=True)
    saved = bar.input_value(), wing.input_value()
    bar.focus()
    page.keyboard.press("ArrowUp")
    wing.focus()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_text("2 unsaved changes")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(wing).to_have_value(saved[1])
    page.get_by_role("button", name="Undo step").click()
    expect(bar).to_have_value(saved[0])
    expect(page.get_by_text("unsaved change")).not_to_be_visible()
    page.get_by_role("button", name="Redo step").click()
    expect(bar).not_to_have_value(saved[0])
    bar.focus()
    page.keyboard.press("Control+y")
    expect(page.get_by_text("2 unsaved changes")).to_be_visible()
    expect(page.locator("[data-change]")).to_contain_text("er")
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_left_and_right_move_together_until_released(page: Page) -> None:
    page.goto("/events/1/sheet/?sheet=4")
    page.evaluate("() => localStorage.clear()")
    page.reload()
    left, right = page.get_by_label("Camber front left, °", exact=True), page.get_by_label("Camber front right, °", exact=True)
    page.get_by_label("Change left and right together").check()
    left.focus()
    page.keyboard.press("ArrowUp")
    expect(right).to_have_value(left.input_value())
    expect(page.get_by_text("2 unsaved changes")).to_be_visible()
    page.get_by_label("Change left and right together").uncheck()
    left.focus()
    page.keyboard.press("ArrowUp")
    expect(right).not_to_have_value(left.input_value())
    page.get_by_role("link", name="Effects", exact=True).click()
    expect(page.get_by_text("Includes unsaved changes")).to_contain_text("Camber front left")
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_a_stop_with_gauge_and_pyrometer_leads_to_pressures_on_the_sheet(page: Page) -> None:
    page.goto("/events/1/sheet/4/readings/")
    expect(page.get_by_text("model only").first).to_be_visible()
    for wheel, hot in (("fl", "200"), ("fr", "29psi"), ("rl", "206"), ("rr", "190")):
        page.locator(f'[name="hot_{wheel}"]').fill(hot)
    page.get_by_role("button", name="Save reading").click()
    expect(page.get_by_text("Reading saved")).to_be_visible()
    expect(page.get_by_text("your readings").first).to_be_visible()
    cold = page.locator("section td.n b").first.inner_text()
    page.get_by_role("link", name="Put these pressures on the sheet").click()
    expect(page.get_by_label("Cold pressure front left, kPa", exact=True)).to_have_value(cold)
    expect(page.get_by_text("unsaved change")).to_be_visible()
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_the_wrong_value_in_the_car_is_found_before_the_session(page: Page) -> None:
    page.goto("/events/1/sheet/?sheet=4")
    meant = page.get_by_label("Brake bias, %", exact=True).input_value()
    page.get_by_role("link", name="Check the car").click()
    page.get_by_label("Brake bias").fill("66")
    page.get_by_label("Front anti-roll bar").fill("5")
    page.get_by_role("button", name=re.compile("Compare with S")).click()
    expect(page.get_by_text("1 value in the car differs from S4")).to_be_visible()
    expect(page.locator("li .big")).to_contain_text(f"{meant} %")


@pytest.mark.thorough_only
def test_other_weather_and_other_gears_are_put_on_the_sheet(page: Page) -> None:
    page.goto("/events/1/sheet/?sheet=1")
    page.get_by_role("link", name="Adapt to today").click()
    page.get_by_label("Air that day").fill("9")
    page.get_by_label("Track that day").fill("12")
    page.get_by_role("button", name="Adapt sheet").click()
    expect(page.get_by_text("the same hot pressure as then").first).to_be_visible()
    page.get_by_role("link", name="Put all on the sheet").click()
    expect(page.get_by_text("unsaved change")).to_be_visible()
    page.evaluate("() => localStorage.clear()")
    page.goto("/events/1/sheet/4/figures/")
    quickest = page.locator("tr", has_text="quickest").locator("a")
    value = quickest.inner_text().split()[0]
    quickest.click()
    expect(page.get_by_label("Final drive, :1", exact=True)).to_have_value(value)
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_a_corner_is_looked_at_by_keyboard_alone(page: Page) -> None:
    """From the lap to a corner, something tried, taken away again, the next corner, and a note kept."""
    page.goto("/events/1/lap/")
    page.get_by_role("link", name="3 Heron Hook").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Corner 3, Heron Hook")).to_be_visible()
    page.get_by_label("Hold gear").focus()
    page.keyboard.type("4")
    page.keyboard.press("Enter")
    row = page.get_by_role("row", name="hold gear 4").first
    expect(row).to_contain_text("slower")
    page.get_by_role("link", name="Take away: hold gear 4").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="Take away: hold gear 4")).to_have_count(0)
    page.locator("body").press("]")
    expect(page.get_by_role("heading", name="Corner 4, Long Acre")).to_be_visible()
    page.locator("body").press("[")
    expect(page.get_by_role("heading", name="Corner 3, Heron Hook")).to_be_visible()
    page.get_by_label("For the race").focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("roll ten metres")
    page.keyboard.press("Enter")
    expect(page.get_by_label("For the race")).to_have_value("roll ten metres")
    page.get_by_role("link", name="All corners ranked, and where to save").click()
    expect(page.locator(".verdict-line")).to_contain_text("The dearest miss is")
    page.get_by_label("By, of what a lap takes").fill("5")
    page.keyboard.press("Enter")
    expect(page.get_by_text("of fuel a lap")).to_be_visible()


@pytest.mark.thorough_only
def test_steps_go_in_fractions_of_an_inch(page: Page) -> None:
    """A step is a millimetre still, whatever the 32nd that it is told as."""
    begin_at(page, "Fractions")
    save(page, "The first")
    back = page.url
    try:
        page.goto("/account/units/")
        page.get_by_label("Ride height, track and other lengths").select_option("in, fractions")
        page.get_by_role("button", name="Save units").click()
        page.goto(back)
        box = page.get_by_role("textbox", name="Front ride height, in")
        low = float(box.locator("xpath=ancestor::*[@data-low]").get_attribute("data-low") or 0)
        seen = [box.input_value()]
        for _ in range(3):
            box.press("ArrowUp")
            seen.append(box.input_value())
        steps = [round((float(sum(map(Fraction, text.split()))) - low) * 25.4) for text in seen]
        assert [b - a for a, b in pairwise(steps)] == [1, 1, 1] and all("/" in text for text in seen)
        expect(page.get_by_text("1 unsaved change")).to_be_visible()
        box.fill(seen[0].replace(" ", "-"))
        expect(page.get_by_text("1 unsaved change")).to_be_hidden()
    finally:
        page.goto("/account/units/")
        page.get_by_role("button", name="Metric", exact=True).click()


@pytest.mark.thorough_only
def test_a_run_is_logged_from_any_bench_in_under_fifty_keys(page: Page) -> None:
    begin_at(page, "Keys")
    save(page, "The first")
    page.get_by_role("link", name="Brief").first.click()
    expect(page.get_by_role("heading", name="Car and circuit")).to_be_visible()
    page.locator("body").click(position={"x": 1, "y": 1})
    keys = ["n"]
    page.keyboard.press("n")
    expect(page.get_by_label("Laps, one a line")).to_be_focused()
    for key in "73.405\n73.12\n73.31":
        page.keyboard.press("Enter" if key == "\n" else key)
        keys.append(key)
    page.keyboard.press("Control+Enter")
    keys.append("send")
    expect(page.get_by_role("heading", name="R1", exact=True)).to_be_visible()
    expect(page.get_by_role("cell", name="1:13.120").first).to_be_visible()
    assert len(keys) < 50


@pytest.mark.thorough_only
def test_the_thread_is_one_stop_of_the_tab_key(page: Page) -> None:
    begin_at(page, "Thread")
    save(page, "The first")
    stops = page.locator(".thread a")
    expect(stops.first).to_have_attribute("tabindex", "-1")
    expect(stops.last).to_have_attribute("tabindex", "0")
    stops.last.focus()
    page.keyboard.press("Home")
    expect(stops.first).to_be_focused()
    page.keyboard.press("ArrowRight")
    expect(stops.nth(1)).to_be_focused()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowLeft")
    expect(stops.first).to_be_focused()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/events/\d+/"))
