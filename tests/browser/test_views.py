"""Every main view in both themes: nothing for axe to find, no sideways scroll, and a phone can read it."""

import json
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import BrowserContext, Page

from tests.amounts import many
from tests.browser.conftest import leave, watched_page

pytestmark = pytest.mark.xdist_group("views")  # a worker and a server of their own, beside the other browser tests

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()
VIEWS = {
    "events": "/events/", "garage": "/garage/", "brief": "", "lap": "lap/", "corner": "lap/corner/3/?try=b80-c20&try=g9", "costs": "lap/costs/", "book": "lap/book/?for=race", "trainer": "lap/trainer/", "ten lines": "lap/summary/", "corner card": "lap/corner/1/card/", "lap card": "lap/card/", "sheet": "sheet/", "difference": "sheet/difference/?a=1&b=4",
    "card": "sheet/4/card/", "runs": "runs/", "run": "runs/13/", "verdicts": "verdicts/?a=1&b=2&margin=0.10", "race": "race/", "plan": "race/1/",
    "carry": "sheet/1/carry/?air_c=12&track_c=16&humidity_pct=60&pressure_hpa=1005&rubber_pct=30&wet_pct=0",
    "figures": "sheet/4/figures/", "readings": "sheet/4/readings/", "check": "sheet/4/check/", "effects": "sheet/4/effects/", "search": "sheet/4/search/",
    "advice": "sheet/4/advice/?slides=rear&phase=entry&where=&how=clearly&tyres=warm", "stint": "sheet/4/stint/", "car": "/garage/cars/5/", "copy": "/garage/cars/5/copy/", "circuit page": "/garage/circuits/3/",
    "new circuit": "/garage/circuits/new/", "quick circuit": "/garage/circuits/quick/", "class limits": "class/", "ballast": "sheet/4/class/", "items": "items/",
    "live": "runs/live/", "two laps": "traces/?lap=30&reference=model", "run by corner": "traces/run/13/", "recording": "traces/recording/", "car by traces": "traces/run/13/car/", "driven circuit": "traces/run/13/circuit/", "gap live": "traces/live/", "verdict by corner": "verdicts/corners/?by=sheet&a=1&b=2&margin=0.10&trust=usual", "circuit of a file": "/garage/circuits/recording/", "plan a test": "verdicts/plan/?a=1&b=2&difference=0.2&minutes=200&stop=200&scatter=0.15&shift=0.08", "record": "verdicts/record/",
    "odds": "race/odds/", "spend": "race/spend/", "race mode": "race/live/", "visits": "verdicts/visits/", "qualifying": "race/qualifying/?beat=1:13.2", "run cleaned": "runs/12/?clean=1", "jobs": "/jobs/", "quick car": "/garage/cars/quick/", "units": "/account/units/", "glossary": "/glossary/", "bin": "/bin/", "next event": "next/", "drivers": "/garage/cars/5/drivers/",
}  # fmt: skip


#: One or two of each kind of page; `make thorough` opens all.
USUAL = ("sheet", "run", "race")


def address(view: str) -> str:
    return VIEWS[view] if VIEWS[view].startswith("/") else f"/events/1/{VIEWS[view]}"


def violations(page: Page, run: str) -> list[str]:
    """What axe finds; it is asked for nothing that is not read here, which halves its time."""
    found = page.evaluate(
        f"() => axe.run({{ runOnly: {run}, resultTypes: ['violations'], selectors: false }}).then((all) => all.violations)"
    )
    return [
        f"{violation['id']}: {violation['nodes'][0]['html'][:160]} {violation['nodes'][0]['failureSummary'][:200]}" for violation in found
    ]


@pytest.fixture(scope="module")
def tour(site: str, signed_in: BrowserContext) -> Iterator[tuple[Page, list[str]]]:
    """One page that goes from view to view, and what went wrong on it."""
    wrong: list[str] = []
    page = watched_page(signed_in, site, wrong)
    page.goto("/events/")
    yield page, wrong
    leave(page)


@pytest.mark.thorough
@pytest.mark.parametrize(
    "where",
    [
        *many(
            ("card",),
            (
                "plan",
                "corner card",
                "card",
                "lap card",
                "ten lines",
                "/events/2/sheet/5/card/",
                "/events/3/sheet/7/card/",
                "/events/5/sheet/9/card/",
            ),
        ),
    ],
)
def test_a_card_prints_on_one_page(tour: tuple[Page, list[str]], where: str) -> None:
    """A second page, or a blank one, is left behind in the garage."""
    page, _ = tour
    page.goto(address(where) if where in VIEWS else where)
    assert len(re.findall(rb"/Type\s*/Page\b", page.pdf(format="A4"))) == 1
    page.emulate_media(media="print")
    page.set_viewport_size({"width": 688, "height": 1017})  # A4 within its margins
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 688
    page.emulate_media(media="null")


@pytest.mark.parametrize(("where", "head", "last"), [("run", "Sector 1", "17"), ("effects", "One step", "Rear high-speed rebound to 5")])
@pytest.mark.thorough_only
def test_the_head_of_a_long_table_stays_in_sight(tour: tuple[Page, list[str]], where: str, head: str, last: str) -> None:
    """At the last row, in a table that fits its place and in one that is wider."""
    page, _ = tour
    page.set_viewport_size({"width": 1280, "height": 560})
    page.goto(address(where))
    if where == "effects":
        page.locator("body").press("t")  # its table lies behind one key
    row = page.get_by_role("row", name=re.compile(f"^{last} ")).last
    row.scroll_into_view_if_needed()
    box, at = page.get_by_role("columnheader", name=head, exact=True).bounding_box(), row.bounding_box()
    assert box is not None and at is not None and 0 <= box["y"] < at["y"] < 560


@pytest.mark.thorough
@pytest.mark.parametrize("view", many(USUAL, tuple(VIEWS)))
def test_a_view_is_accessible_in_both_themes_and_never_scrolls_sideways(tour: tuple[Page, list[str]], view: str) -> None:
    page, wrong = tour
    wrong.clear()
    page.set_viewport_size({"width": 1280, "height": 4200})  # tall, so that no value lies half under the bar at the bottom
    page.evaluate("() => localStorage.setItem('apex-theme', 'day')")
    page.goto(address(view))
    page.evaluate(AXE)
    assert violations(page, "['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']") == []
    page.locator("header").get_by_role("button", name="Night theme").click()
    assert page.evaluate("() => document.documentElement.dataset.theme") == "night"
    # themes differ in colours alone: the rules on colour are all that can come out differently
    assert violations(page, "{ type: 'rule', values: ['color-contrast', 'link-in-text-block'] }") == []
    for width in (1280, 820, 390):
        page.set_viewport_size({"width": width, "height": 800})
        assert page.evaluate("() => document.documentElement.scrollWidth") <= width
    assert not wrong, wrong


#: Every text of a page and every word that a reader is told by other means; not its lists to choose from, scripts and shortcuts.
SAID = """() => {
  const said = [];
  const skip = (node) => node.closest("script, style, dialog, select, code, kbd, [hidden], .brand");
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) if (!skip(walk.currentNode.parentElement)) said.push(walk.currentNode.textContent.trim());
  for (const node of document.body.querySelectorAll("*")) if (!skip(node))
    for (const name of ["title", "aria-label", "placeholder", "data-unit", "data-x-words", "data-y-words"])
      if (node.getAttribute(name)) said.push(node.getAttribute(name).trim());
  return said.filter(Boolean);
}"""
#: A metric unit by itself, or behind a number; a car's bars are none, and a car is told by its time to 100 km/h wherever it is sold.
METRIC = re.compile(r"(?<![\w/])(kPa|°C|km/h|kg|N/mm|Nm|kW|mm|l/s|m/s|PS)(?![\w/²³])|\d[\s\u00a0\u2009](l|m|K|bar)(?![\w/²³])|^(l|m|K)$")
#: Circuits are built in metres whatever one reads; words are explained in their own units.
IN_SI = ("circuit page", "new circuit", "glossary", "units")


@pytest.mark.thorough_only
def test_a_reader_of_us_units_meets_no_metric_one(tour: tuple[Page, list[str]]) -> None:
    page, wrong = tour
    wrong.clear()
    page.goto("/account/units/")
    page.get_by_role("button", name="US", exact=True).click()
    foreign = dict[str, list[str]]()
    try:
        for view in VIEWS:
            if view in IN_SI:
                continue
            page.goto(address(view))
            found = [said for said in page.evaluate(SAID) if METRIC.search(said) and said not in ("0 to 100 km/h", "l")]  # the latter a key
            # a gain per mm and what a wind carries off are entered so
            found = [said for said in found if not said.endswith(("without a floor", "W/K per m/s"))]
            if found:
                foreign[view] = found[:5]
    finally:
        page.goto("/account/units/")
        page.get_by_role("button", name="Metric", exact=True).click()
    assert not wrong and not foreign, json.dumps(foreign, indent=1, ensure_ascii=False)


@pytest.mark.thorough_only
def test_the_theme_is_switched_and_remembered(page: Page) -> None:
    page.goto("/events/")
    page.evaluate("() => localStorage.setItem('apex-theme', 'day')")
    page.goto("/events/")
    page.get_by_role("button", name="Night theme").click()
    page.reload()
    assert page.evaluate("() => document.documentElement.dataset.theme") == "night"
    page.get_by_role("button", name="Day theme").click()
    assert page.evaluate("() => document.documentElement.dataset.theme") == "day"


def test_the_card_prints_without_the_page_around_it(page: Page) -> None:
    page.goto(address("card"))
    page.emulate_media(media="print")
    assert not page.get_by_role("navigation", name="Benches").is_visible()
    assert page.get_by_role("heading", name="S4 for Brackendale Gannet").is_visible()


@pytest.mark.thorough_only
def test_a_race_with_other_cars_runs_by_itself_and_is_accessible(page: Page) -> None:
    """The simulated timing drives it: laps come without a key, cars stand around, and both pages can be read by everybody."""
    page.goto("/events/1/race/live/")
    page.get_by_role("button", name="Start race").click()
    page.get_by_role("link", name="Other cars").click()
    page.get_by_text("No other car is known yet").wait_for()
    page.get_by_label("Your car in the timing").fill("7")
    page.get_by_role("button", name="Start simulated timing").click()
    page.get_by_role("heading", name="Where you come out").wait_for(timeout=60_000)
    for where in ("rivals", "race mode"):
        if where == "race mode":
            page.get_by_role("link", name="Back to race mode").click()
            page.get_by_role("columnheader", name="Ahead if you stop first").wait_for()
        page.evaluate(AXE)
        assert violations(page, "['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']") == []
        for width in (1280, 390):
            page.set_viewport_size({"width": width, "height": 800})
            assert page.evaluate("() => document.documentElement.scrollWidth") <= width
    page.get_by_text(re.compile("lap [3-9]")).first.wait_for(timeout=60_000)
    page.get_by_role("button", name="End race").click()
    page.get_by_text("laps driven").first.wait_for()
