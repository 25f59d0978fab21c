"""An afternoon with the logbook: a test planned, driven, read, judged and held against the model, ending at the known truth."""

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from apexcore.lap.stint import solve_stint
from apexcore.vehicle.sheet import Sheet, base_sheet
from apexcore.virtual.world import VirtualDriver, true_car
from tests.browser.test_story import begin_at, bench, save, send_out, send_out_at
from tests.conftest import demo_lap_case

pytestmark = pytest.mark.xdist_group("afternoon")

_COLD = {f"pressure_{wheel}": 180.0 for wheel in ("fl", "fr", "rl", "rr")}


def truth_s(laps: int) -> float:
    """What the higher pressures cost on the virtual car as it really is, over the timed laps of runs as long as these [s].

    Short runs end before the tyres are as hot as they would become: the truth is that of the laps driven.
    """
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    car = true_car(lap_case.car, 7)
    first = car.tyres.compounds[0]
    real = replace(lap_case, car=car, compounds=(first, first), driver=VirtualDriver().level)
    base = base_sheet(lap_case.car)
    cold = Sheet(base.car_key, {**base.values, **_COLD})
    as_was, as_cold = (
        np.mean([stint_lap.lap.time_s for stint_lap in solve_stint(real, sheet, 30.0, laps + 2)[1:-1]]) for sheet in (base, cold)
    )
    return float(as_cold - as_was)


@pytest.mark.thorough_only
def test_an_afternoon_ends_at_the_known_truth(page: Page) -> None:
    begin_at(page, "An afternoon")
    save(page, "As last time")
    for wheel in ("front left", "front right", "rear left", "rear right"):
        page.get_by_label(f"Cold pressure {wheel}, kPa", exact=True).fill("180")
    save(page, "Pressures as on a cold day")

    # the plan: how many runs, in which order?
    bench(page, "Verdicts")
    page.get_by_role("link", name="Plan a test").click()
    page.get_by_label("Sheet A").select_option(label="S1")
    page.get_by_label("against B").select_option(label="S2")
    page.get_by_label("Smallest gap worth finding").fill("0,35")
    page.get_by_label("Time left").fill("200")
    page.get_by_role("button", name="Plan test", exact=True).click()
    expect(page.locator(".verdict-line")).to_contain_text("would be settled with a chance of")
    order = page.locator("ol.order li").all_inner_texts()
    laps = int(re.search(r"(\d+) timed laps", page.locator(".verdict-line").inner_text()).group(1))  # type: ignore[union-attr]
    page.get_by_role("button", name="Save test plan").click()
    expect(page.locator(".verdict-line")).to_contain_text(f"Run 1 of {len(order)} is next: {order[0]}")
    plan = page.url

    # the runs, in that order
    event = plan[: plan.index("verdicts/")]
    for sheet in order[:-1]:
        send_out_at(page, event, sheet, laps + 2)
    send_out(page, order[-1], str(laps + 2))
    page.get_by_role("link", name="Readings of gauge and pyrometer").click()
    for wheel, hot, left in (("fl", "205", "97"), ("fr", "190", "98"), ("rl", "210", "96"), ("rr", "194", "97")):
        page.locator(f'[name="hot_{wheel}"]').fill(hot)
        page.locator(f'[name="left_{wheel}"]').fill(left)
    page.get_by_role("button", name="Save reading").click()
    expect(page.get_by_text("Share of total wear")).to_contain_text("Rear left sets the limit")

    # the verdict, and the truth
    page.goto(plan)
    expect(page.get_by_text("Every planned run is driven")).to_be_visible()
    page.get_by_role("link", name="The verdict").click()
    expect(page.locator("[data-verdict]")).to_contain_text("S1 is quicker than S2 by")
    interval = page.locator("dt:has-text('95 % interval') + dd").inner_text().replace("−", "-")
    low, high = (float(number) for number in re.findall(r"[+-]?\d+\.\d+", interval))
    assert low < truth_s(laps) < high
    page.get_by_role("button", name="Save verdict").click()

    # the model's own record
    bench(page, "Verdicts")
    page.get_by_role("link", name="Track record of the model").click()
    page.locator("body").press("t")  # the numbers behind the picture
    row = page.get_by_role("row", name=re.compile("S1 → S2"))
    expect(row).to_contain_text("yes: the intervals meet")
    page.get_by_role("button", name="Calibrate model to laps").click()
    expect(page.get_by_text("Left within the runs")).to_be_visible(timeout=120_000)
    expect(page.get_by_text("model calibrated to your laps")).to_have_count(0)
    page.get_by_role("button", name="Apply this calibration").click()
    expect(page.get_by_text("model calibrated to your laps", exact=True)).to_be_visible()
    page.get_by_role("button", name="Remove calibration").click()
    expect(page.get_by_text("model calibrated to your laps", exact=True)).to_have_count(0)


@pytest.mark.thorough_only
def test_a_live_lap_comes_on_the_page_by_itself(page: Page) -> None:
    begin_at(page, "Live")
    save(page, "The first")
    bench(page, "Runs")
    page.get_by_role("link", name="Live laps").click()
    expect(page.get_by_text("No logger has sent a lap yet")).to_be_visible()
    page.get_by_label("Name of the logger").fill("pit box")
    page.get_by_role("button", name="Create logger key").click()
    token = page.locator("code.num").inner_text()
    for number in (1, 2, 3):
        line = f'{{"type":"lap","run":"k","lap":{number},"time_s":{74 + number / 10}}}\n'
        headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/x-ndjson"}
        answer = page.request.post("/logger/", data=line, headers=headers)
        assert answer.ok and answer.json()["laps"] == 1
        expect(page.locator("#live")).to_contain_text(f"the last 1:14.{number}00")
        expect(page.locator("#live")).to_contain_text(f"{number} lap")
    page.get_by_role("button", name=re.compile("logger lost")).click()
    expect(page.locator("#live")).to_contain_text("is back in the pit")


@pytest.mark.thorough_only
def test_a_run_typed_between_two_runs_survives_a_closed_browser_and_is_kept_by_keyboard(page: Page, tmp_path: Path) -> None:
    begin_at(page, "One page")
    save(page, "The first")
    bench(page, "Runs")
    form = page.get_by_role("region", name="Add your run")
    form.get_by_label("Tags").fill("line=late; driver=Ann")
    form.get_by_label("Laps, one a line").fill("1:25.2 out\n1:13.9\n1:13,8\n73.7\n1:15.2 spoiled")
    page.reload()
    expect(form.get_by_text("Your unsaved entries were restored")).to_be_visible()
    expect(form.get_by_label("Tags")).to_have_value("line=late; driver=Ann")
    form.get_by_label("Entry").select_option("oversteer")
    form.get_by_label("Laps, one a line").press("Tab")
    page.keyboard.press("Tab")  # past the fold with the readings
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="R1", exact=True)).to_be_visible()
    expect(page.get_by_text("line: late")).to_be_visible()
    page.get_by_role("heading", name="R1", exact=True).click()
    page.keyboard.press("b")  # the second of the laps set aside is put back
    expect(page.get_by_role("region", name="Set aside").locator("li")).to_have_count(1)
    bench(page, "Runs")
    expect(form.get_by_label("Tags")).to_have_value("")

    path = tmp_path / "other.csv"
    path.write_text("when;seconds;no\n12:01;73,9;6\n12:02;73,8;7\n")
    page.get_by_role("link", name="R1", exact=True).first.click()
    page.get_by_label("CSV with the columns").set_input_files(path)
    page.get_by_role("button", name="Import laps").click()
    page.get_by_label("Lap time", exact=True).select_option(label="seconds")
    page.get_by_label("Lap number").select_option(label="no")
    page.get_by_role("button", name="Import laps").click()
    expect(page.get_by_role("status")).to_contain_text("2 laps imported; these columns are remembered")
