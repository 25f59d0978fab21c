"""Charts that answer: the value under the cursor by mouse, touch and keys, against what the page's own tables say."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import BrowserContext, Page, expect

from .conftest import leave, watched_page

pytestmark = pytest.mark.xdist_group("charts")


@pytest.fixture(scope="module")
def shown(site: str, signed_in: BrowserContext) -> Iterator[Page]:
    wrong: list[str] = []
    page = watched_page(signed_in, site, wrong)
    yield page
    leave(page)
    assert not wrong, wrong


def readout(page: Page, chart: int = 0) -> str:
    return page.locator(".readout").nth(chart).inner_text().replace("\xa0", " ").strip()


def press(page: Page, *keys: str, chart: int = 0) -> str:
    page.locator("svg.reads").nth(chart).focus()
    for key in keys:
        page.keyboard.press(key)
    return readout(page, chart)


@pytest.mark.thorough_only
def test_a_stint_reads_what_its_table_says_lap_by_lap(shown: Page) -> None:
    shown.goto("/events/1/sheet/4/stint/")
    table = shown.locator("table tr").all_inner_texts()
    rows = {cells[0]: cells for cells in (re.split(r"\s+", row.strip()) for row in table) if cells[0].isdigit()}
    press(shown, "Home")
    for lap in range(2, 9):
        said = readout(shown)
        assert said.startswith(f"lap {lap}: lap time ")
        assert abs(float(said.split(":")[-1]) - float(rows[str(lap)][1].split(":")[-1])) < 0.012, (said, rows[str(lap)])
        press(shown, "ArrowRight")
    worn = press(shown, "End", chart=1)
    last = rows[max(rows, key=int)]
    ends = [float(value) for value in re.findall(r"([\d.]+) %", worn)]
    assert (
        "rear left" in worn
        and len(ends) == 4
        and all(any(abs(end - float(cell)) <= 0.6 for cell in last[3:] if cell.isdigit()) for end in ends)
    )
    press(shown, "Escape")
    assert readout(shown) == ""


@pytest.mark.thorough_only
def test_the_mouse_and_a_finger_read_the_nearest_lap(shown: Page) -> None:
    shown.goto("/events/1/runs/13/")
    spot = shown.locator("svg.reads circle.spot").nth(3)
    words = spot.locator("title").inner_html()
    box = spot.bounding_box()
    assert box is not None
    shown.mouse.move(box["x"] + box["width"] / 2 + 4, box["y"] + 12)
    expect(shown.locator(".readout").first).to_contain_text(words)
    shown.mouse.move(2, 2)
    shown.locator("svg.reads").first.dispatch_event(
        "pointerdown", {"pointerType": "touch", "clientX": box["x"] + 4, "clientY": box["y"] + 4, "bubbles": True}
    )
    expect(shown.locator(".readout").first).to_contain_text(words)


@pytest.mark.thorough_only
def test_runs_are_laid_over_one_another_and_read_together(shown: Page) -> None:
    shown.goto("/events/1/runs/13/")
    shown.get_by_text("Lay other runs over it").click()
    shown.get_by_label("R12, S4").check()
    shown.get_by_label("R11, S3").check()
    shown.get_by_role("button", name="Lay over").click()
    press(shown, "Home")
    said = press(shown, "ArrowRight", "ArrowRight")
    assert "R13 1:1" in said and "R12 1:1" in said and "R11 1:1" in said, said
    times = dict(re.findall(r"(R\d+) (\d:[\d.]+)", said))
    lap = re.search(r"lap of the run (\d+)", said)
    assert lap is not None
    shown.goto("/events/1/runs/12/")
    cell = shown.get_by_role("row", name=re.compile(rf"^{lap[1]} ")).get_by_role("cell").nth(1).inner_text()
    assert abs(float(cell.split(":")[-1]) - float(times["R12"].split(":")[-1])) < 0.02


@pytest.mark.thorough_only
def test_a_chart_zooms_along_its_axis_and_keeps_its_values(shown: Page) -> None:
    shown.goto("/events/1/sheet/4/stint/")
    before = press(shown, "Home", "ArrowRight", "ArrowRight", "ArrowRight")
    ticks = shown.locator("svg.reads").first.locator("text.tick.fig:not(.gone):not([data-tick=y])")
    few = ticks.all_inner_texts()
    press(shown, "+", "+", "+")
    assert readout(shown) == before and ticks.all_inner_texts() != few
    assert press(shown, "ArrowRight", "ArrowLeft") == before
    press(shown, "-", "-", "-")
    assert ticks.all_inner_texts() == few
    expect(shown.get_by_role("button", name="Zoom in")).to_have_count(0)
    shown.goto("/events/1/sheet/4/figures/")
    expect(shown.get_by_role("button", name="Zoom in").first).to_be_visible()
    gone = press(shown, "End")
    shown.get_by_role("button", name="Zoom in").first.click()
    assert readout(shown) == gone and "drag and rolling" in gone


@pytest.mark.parametrize(
    ("where", "words"),
    [
        ("/events/1/race/", r"laps on \w+"),
        ("/events/1/race/odds/", r"As laps? \d+.* ends: [a-z ]+, worth [\d.]+"),
        ("/events/1/lap/costs/", r"saved [\d.]+ l: costs [\d.]+ s a lap"),
        ("/garage/cars/5/", r"\d+ rpm: torque [\d.]+ Nm, power [\d.]+ kW"),
        ("/events/1/lap/?line=quickest", r"\d+ m: height −?[\d.]+ m"),
        ("/events/1/lap/trainer/", r"turn \d"),
        ("/events/1/verdicts/?a=1&b=2&margin=0.10", r"s a lap, between"),
    ],
)
@pytest.mark.thorough_only
def test_every_other_chart_answers_too(shown: Page, where: str, words: str) -> None:
    shown.goto(where)
    shown.wait_for_load_state("networkidle")
    assert re.search(words, press(shown, "Home", "ArrowRight")), readout(shown)
