"""The race as a racer lives it: an evening in which it is planned, and a race of twenty laps with a safety car and a plan that changes."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.browser.conftest import new_context, watched_page
from tests.browser.test_story import begin_at
from tests.browser.test_views import AXE, violations

pytestmark = pytest.mark.xdist_group("race")


def entered(page: Page, rules: dict[str, str], ticks: tuple[str, ...]) -> None:
    """Types race rules in the Brief and saves them."""
    for label, text in rules.items():
        page.get_by_label(label, exact=True).fill(text)
    for label in ticks:
        page.get_by_label(label, exact=True).first.check()
    page.get_by_role("button", name="Save rules").click()
    expect(page.get_by_role("status").first).to_contain_text("Race rules saved")


@pytest.mark.thorough_only
def test_an_evening_in_which_two_stops_meet_three(page: Page) -> None:
    begin_at(page, "Short laps", "")
    page.get_by_text("More rules").click()
    rules = {
        "Race length": "26", "Time lost in the pit lane s": "7", "Stationary time for tyres s": "4", "Minimum stops": "1", "Maximum stops": "5",
        "Tyre wear, times that of your laps": "10", "Fuel use, times that of your laps": "2",
    }  # fmt: skip
    entered(page, rules, ("Front and rear tyres may differ", "S Slate", "Refuelling allowed"))
    page.get_by_role("link", name="Race", exact=True).first.click()
    titles = page.locator(".plan b")
    expect(titles.first).to_contain_text("stop")
    said = titles.all_inner_texts()
    assert len(said) >= 3 and all("stop" in title for title in said)
    assert any(title.startswith(("2", "3", "4", "5")) for title in said[:2])
    # why, along the race, what would turn it, what a rule costs, and pairs
    expect(page.get_by_text("Gap:").first).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Race time behind the best plan"))).to_be_visible()
    expect(page.get_by_role("heading", name=re.compile("What would turn"))).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("Unlike tyres front and rear forbidden"))).to_be_visible()
    expect(page.get_by_role("heading", name="Pairs of tyres, front and rear")).to_be_visible()
    page.get_by_role("link", name="Ten thousand races").click()
    expect(page.locator(".verdict-line")).to_contain_text("quickest most often")
    page.get_by_label("Safety cars a race", exact=True).fill("2")
    page.get_by_role("button", name="Save field").click()
    expect(page.get_by_role("status").first).to_contain_text("Field and safety cars saved")
    page.get_by_role("link", name="Back to the race").click()
    page.get_by_role("button", name="Save plan").first.click()
    expect(page.get_by_role("heading", name="Targets and fuel checks")).to_be_visible()
    page.emulate_media(media="print")
    assert not page.get_by_role("button", name="Print card").is_visible()


@pytest.fixture
def unsteady(browser: Browser, site: str, signed_in: BrowserContext) -> Iterator[Page]:
    """A page whose clock is set forward and whose server is away for a while; what both make the browser say is no fault of ours."""
    wrong: list[str] = []
    page = watched_page(new_context(browser, site, signed_in.storage_state()), site, wrong)
    yield page
    page.context.close()
    assert [text for text in wrong if "ERR_FAILED" not in text and "timeout" not in text] == []


@pytest.mark.thorough_only
def test_a_race_of_twenty_laps_with_a_safety_car_a_lost_server_and_a_change_of_plan(unsteady: Page) -> None:
    page = unsteady
    begin_at(page, "Twenty laps", "")
    entered(page, {"Race length": "20", "Time lost in the pit lane s": "15", "Minimum stops": "1"}, ("Refuelling allowed",))
    address = page.url.split("#")[0]
    # the virtual driver's laps are the race's
    page.goto(f"{address}sheet/")
    page.get_by_label("Why this change").fill("to begin with")
    page.get_by_role("button", name="Save as a new sheet").click()
    expect(page.get_by_role("status")).to_contain_text("is saved")
    page.goto(f"{address}race/live/")
    page.clock.install()
    page.get_by_role("button", name="Start race").click()
    lap, command = page.locator(".race-lap"), page.locator(".race-command")
    expect(lap).to_have_text("lap 0 of 20")
    page.evaluate(AXE)
    assert violations(page, "['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']") == []
    done = 0

    def drive(laps: int) -> None:
        nonlocal done
        for _ in range(laps):
            page.clock.fast_forward(76_000)
            page.locator("body").press("l")
            done += 1
            expect(lap).to_have_text(f"lap {done} of 20")

    drive(4)
    page.locator("body").press("l")  # by mistake, at once
    expect(page.get_by_role("alert").first).to_contain_text("not counted")
    expect(lap).to_have_text("lap 4 of 20")
    # the server is away: two laps are kept in the browser, and sent when it is back
    page.route("**/mark/", lambda route: route.abort())
    for _ in range(2):
        page.clock.fast_forward(76_000)
        page.locator("body").press("l")
    expect(page.get_by_text("2 entries kept here")).to_be_visible()
    page.unroute("**/mark/")
    page.clock.fast_forward(4_000)
    done = 6
    expect(lap).to_have_text("lap 6 of 20")
    # a closed browser: the race stands where it stood
    page.goto(address)
    page.goto(f"{address}race/live/")
    expect(lap).to_have_text("lap 6 of 20")
    page.locator("body").press("c")
    expect(page.get_by_text(re.compile("^Safety car: (stop|stay)"))).to_be_visible()
    page.locator("body").press("c")
    expect(page.get_by_text(re.compile("^Safety car: (stop|stay)"))).to_have_count(0)
    # a wrong key is taken back
    page.locator("body").press("p")
    expect(page.get_by_text("Last entry: pit stop")).to_be_visible()
    page.locator("body").press("z")
    expect(page.get_by_text("Last entry: pit stop")).to_have_count(0)
    # far less fuel than there should be: the plan changes, in one sentence
    page.locator("body").press("f")
    page.keyboard.type("9")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Plan changed.")).to_contain_text("After lap 6")
    expect(command).to_contain_text(re.compile("Pit|Stop"))
    drive(1)
    page.locator("body").press("p")
    expect(page.get_by_text("Last entry: pit stop")).to_be_visible()
    drive(13)
    expect(command).to_have_text("Race over")
    page.get_by_role("link", name="What came of it").click()
    expect(page.locator(".verdict-line")).to_contain_text("20 of 20 laps driven")
    page.get_by_role("button", name="Put the laps into the logbook").click()
    expect(page.get_by_text("Its laps are in the logbook")).to_be_visible()


@pytest.mark.thorough_only
def test_ninety_minutes_by_keyboard_with_everything_that_goes_wrong(unsteady: Page) -> None:
    """A missed lap, a wrong press, a safety car, rain, a flat tyre and a race that is cut short."""
    page = unsteady
    begin_at(page, "Ninety minutes", "")
    rules = {"Race length": "90 min", "Time lost in the pit lane s": "25", "Minimum stops": "1"}
    entered(page, rules, ("Refuelling allowed",))
    address = page.url.split("#")[0]
    page.goto(f"{address}sheet/")
    page.get_by_label("Why this change").fill("to begin with")
    page.get_by_role("button", name="Save as a new sheet").click()
    expect(page.get_by_role("status")).to_contain_text("is saved")
    page.goto(f"{address}race/live/")
    page.clock.install()
    page.get_by_role("button", name="Start race").click()
    lap, command, body = page.locator(".race-lap"), page.locator(".race-command"), page.locator("body")
    done = 0

    def drive(laps: int, seconds: float = 76.0) -> None:
        nonlocal done
        for _ in range(laps):
            page.clock.fast_forward(int(1000 * seconds))
            body.press("l")
            done += 1
            expect(lap).to_contain_text(f"lap {done} of")

    def laps_told() -> int:
        return int(lap.inner_text().split()[-1])

    drive(6)
    full = laps_told()
    assert 60 < full < 80
    # pressed early by mistake: asked, and left out
    page.clock.fast_forward(40_000)
    body.press("l")
    expect(page.get_by_text("Has a lap ended?")).to_be_visible()
    expect(page.get_by_role("button", name="Not a lap")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Has a lap ended?")).to_be_hidden()
    drive(1, 36.0)
    # a lap that nobody counted: asked, and two are counted
    page.clock.fast_forward(152_000)
    body.press("l")
    expect(page.get_by_text("Was one missed?")).to_be_visible()
    expect(page.get_by_role("button", name="Not a lap")).to_be_focused()
    page.keyboard.press("Tab")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    done += 2
    expect(lap).to_contain_text(f"lap {done} of")
    assert abs(laps_told() - full) <= 1
    # three laps behind the safety car cost two or three laps of the race, not thirty
    body.press("c")
    drive(3, 120.0)
    body.press("c")
    drive(3)
    assert full - 4 <= laps_told() <= full - 1
    body.press("w")
    expect(page.get_by_role("alert").first).to_contain_text("Wet")
    drive(2, 84.0)
    body.press("w")
    # a flat tyre: home at the end of this lap, whatever was planned
    body.press("x")
    expect(command).to_have_text("Pit this lap")
    expect(page.get_by_text("Flat tyre").first).to_be_visible()
    drive(1, 115.0)
    body.press("p")
    expect(page.get_by_text("Last entry: pit stop")).to_be_visible()
    drive(3)
    # the race is cut short: typed by keyboard
    page.get_by_text("Other entries").press("Enter")
    page.get_by_label("Race now min").fill("45")
    page.get_by_label("Race now min").press("Enter")
    expect(lap).to_have_text(re.compile(r"of 3\d"))
    short = laps_told()
    while done < short:
        drive(1)
        short = laps_told()
    expect(command).to_have_text("Race over")
    # afterwards a lap is corrected, and the race is what it was
    page.goto(f"{page.url}marks/")
    expect(page.get_by_role("heading", name="Entries of the race")).to_be_visible()
    page.locator("li", has_text="Lap 3").first.get_by_label("Lap time").fill("1:15.4")
    page.locator("li", has_text="Lap 3").first.get_by_role("button", name="Correct").click()
    expect(page.get_by_role("status").first).to_contain_text("is corrected")
