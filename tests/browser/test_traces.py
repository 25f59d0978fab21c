"""A team-mate's file from the pit wall to the sentence: imported, overlaid, followed by keys, and the planted difference found."""

import re

import pytest
from playwright.sync_api import Page, expect

from apexcore.lap.misses import _Tried
from apexcore.lap.solver import solve_lap
from apexcore.vehicle.sheet import base_sheet
from tests.apextrim.traces.files import HEADER, drive, foreign_csv
from tests.browser.test_story import begin_at, bench, save
from tests.conftest import demo_circuit, demo_lap_case

pytestmark = pytest.mark.xdist_group("traces")

#: The corner in which the second lap of the file brakes early, and by how much [m].
CORNER, EARLY_M = 3, 12.0


def recording() -> tuple[bytes, float, str]:
    """A file of two laps, the second of which brakes early in one corner; what that costs, and the corner's name."""
    case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(case.car)
    tried = _Tried(demo_circuit("sallowmere_fen"), case, sheet, solve_lap(case, sheet))
    usual = tried._run(case.line)
    apex = tried._slowest(spans[CORNER - 1])
    begin = tried._braking(apex)[0]
    assert begin is not None
    early = tried._early(begin, apex, EARLY_M)
    whole = drive(case.line, [usual, usual, early, usual], place_m=0.3)
    return foreign_csv({key: column[125:-125] for key, column in whole.items()}), early.time_s - usual.time_s, spans[CORNER - 1].name


@pytest.mark.thorough_only
def test_a_foreign_file_is_imported_and_its_planted_difference_read(page: Page) -> None:
    data, cost, name = recording()
    begin_at(page, "Traces")
    save(page, "The first")
    bench(page, "Runs")
    page.get_by_role("link", name="Import a recording").click()
    page.get_by_role("button", name="Import recording").click()
    expect(page.get_by_role("alert").first).to_contain_text("No file chosen")
    page.get_by_label("Recording").set_input_files({"name": "box.csv", "mimeType": "text/csv", "buffer": data})
    page.get_by_role("button", name="Import recording").click()
    expect(page.get_by_role("heading", name=re.compile("Choose the channels"))).to_be_visible()
    page.get_by_label(f"Channel of {HEADER[2]}").select_option(label="Throttle, %")
    page.get_by_label(f"Unit of {HEADER[2]}").fill("ratio")
    page.get_by_role("button", name="Import recording").click()
    expect(page.get_by_text("2 laps added to R1").first).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="2", exact=True).click()
    reference = page.get_by_label("Reference")
    reference.select_option(reference.locator("option", has_text="R1 lap 1").first.get_attribute("value"))
    page.get_by_role("button", name="Compare laps").click()
    sentence = page.locator(".verdict-line")
    expect(sentence).to_contain_text(f"slower than R1 lap 1; most of it in {name} ({CORNER}): braked")
    gap = re.search(r"R1 lap 2: (0\.\d+) s slower", sentence.inner_text())
    assert gap and abs(float(gap[1]) - cost) < 0.03  # both laps begin and end where positions cross the line
    metres = re.search(r"braked (\d+) m early, (0\.\d+) s", sentence.inner_text())
    assert metres and abs(int(metres[1]) - EARLY_M) <= 3 and abs(float(metres[2]) - cost) < 0.02, sentence.inner_text()
    _follow(page, name)


def _follow(page: Page, name: str) -> None:
    """The cursor by keys, the same everywhere; channels chosen and remembered; the table."""
    charts = page.get_by_role("group", name=re.compile("Charts of both laps"))
    expect(charts.locator("canvas")).to_have_count(3)  # the gap, speed and throttle: its brake is a pressure
    values = page.locator("#cursor-values")
    charts.focus()
    page.keyboard.press("Home")  # the page opens at the largest loss
    for _ in range(CORNER):
        page.keyboard.press("]")
    expect(values).to_contain_text(name)
    before = values.inner_text()
    page.keyboard.press("ArrowRight")
    expect(values).not_to_have_text(before)
    dot = page.locator(".cursor-dot")
    place = dot.get_attribute("cx")
    page.keyboard.press("0")
    page.keyboard.press("Home")
    expect(values).to_contain_text("0 m")
    assert dot.get_attribute("cx") != place
    page.keyboard.press("End")
    gap = page.locator("#cursor-values tr").nth(1).inner_text()
    assert "+0." in gap
    page.get_by_text("Channels", exact=True).click()
    page.get_by_role("checkbox", name="Brake pressure, bar").check()
    expect(charts.locator("canvas")).to_have_count(4)
    page.reload()
    expect(charts.locator("canvas")).to_have_count(4)
    page.get_by_text("The charts as a table").click()
    expect(page.get_by_role("columnheader", name="Gap, s")).to_be_visible()
