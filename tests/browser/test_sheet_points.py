"""What the sheet bench answers, each time beside the number that the core computes for the same question."""

import csv
import re
from dataclasses import replace
from functools import cache
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.quantities import format_lap, format_number, spread_decimals
from apexcore.trim.figures.bias import ideal_on_lap
from apexcore.trim.figures.corner_gears import corner_gears
from apexcore.trim.moves.aims import ranked
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.moves.placement import driver_cost_s
from apexcore.trim.reading.ride import ride_ends
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from tests.browser.test_story import begin_at, bench, save
from tests.conftest import demo_lap_case

pytestmark = pytest.mark.xdist_group("points")


@cache
def core() -> tuple[LapCase, Sheet, Lap]:
    """The new event of `begin` in the core: the maker's sheet, book weather, a solid midfielder."""
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap_case = replace(lap_case, driver=LEVELS["solid midfielder"])
    sheet = base_sheet(lap_case.car)
    return lap_case, sheet, solve_lap(lap_case, sheet)


def first_sheet(page: Page, name: str) -> None:
    begin_at(page, name)
    save(page, "The maker's")
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_every_step_is_in_the_table_and_in_the_file_as_the_core_has_it(page: Page, tmp_path: Path) -> None:
    first_sheet(page, "One step")
    lap_case, sheet, lap = core()
    spans = demo_lap_case("brackendale_gt", "sallowmere_fen")[1]
    effects = ranked(step_effects(lap_case, sheet, [item for item in lap_case.car.items if not item.locked], lap, spans), "lap")
    page.get_by_role("link", name="Effects", exact=True).click()
    page.locator("body").press("t")
    rows = page.locator("table.effects tbody tr")
    expect(rows).to_have_count(len(effects))
    expect(rows.first).to_contain_text(effects[0].item.name)
    expect(rows.first).to_contain_text(format_number(effects[0].lap_s, 3, signed=True))
    with page.expect_download() as caught:
        page.get_by_role("link", name="Export CSV").click()
    path = tmp_path / "effects.csv"
    caught.value.save_as(path)
    with path.open() as file:
        lines = list(csv.DictReader(file))
    wing = next(effect for effect in effects if effect.item.key == "wing" and effect.steps == 1)
    line = next(line for line in lines if line["item"] == "Rear wing" and line["step"] == "+1")
    assert float(line["lap_s"]) == pytest.approx(wing.lap_s, abs=2e-3)


@pytest.mark.thorough_only
def test_the_best_steps_stand_beside_the_car_and_one_is_put_on_it(page: Page) -> None:
    first_sheet(page, "Best steps")
    page.get_by_text("Best single steps from here").click()
    expect(page.get_by_text("No single step is clearly quicker from here.").or_(page.locator("ol.steps button").first)).to_be_visible()
    page.get_by_label("Rank by").select_option("top")
    best = page.locator("ol.steps button").first
    words = best.inner_text()
    key, value = best.get_attribute("data-key"), float(best.get_attribute("data-value") or "nan")
    best.click()
    expect(page.get_by_text("1 unsaved change")).to_be_visible()
    assert float(page.locator(f"#item-{key}").input_value()) == pytest.approx(value)
    expect(page.locator("ol.steps")).not_to_contain_text(words)
    page.get_by_label("Rank by").select_option("spare-fl")
    expect(page.locator("ol.steps li")).to_have_count(8)
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_gears_bias_and_weights_are_the_cores(page: Page) -> None:
    first_sheet(page, "Figures")
    lap_case, sheet, lap = core()
    page.get_by_role("link", name="Gears, brakes, weights").click()
    ideal, _ = ideal_on_lap(lap, adjusted(lap_case.car, sheet))
    expect(page.get_by_role("row", name=re.compile("^sheet fuel load, "))).to_contain_text(f"{100 * ideal:.1f} %")
    spans = demo_lap_case("brackendale_gt", "sallowmere_fen")[1]
    tollgate = next(corner for corner in corner_gears(lap_case, sheet, lap, spans) if corner.name == "Tollgate")
    held = tollgate.gears[1]
    row = page.get_by_role("region", name="Gears", exact=True).get_by_role("row", name=re.compile("Tollgate"))
    row = row.filter(has_text=f"{held.rpm:.0f} rpm")
    expect(row).to_contain_text(f"{format_number(held.cost_s, spread_decimals(held.spread_s), signed=True)} s")
    cost = driver_cost_s(lap_case, sheet, lap, 10.0)
    expect(page.get_by_text("A driver 10 kg heavier")).to_contain_text(format_number(cost, 3, signed=True))
    for label, kg in (("Front left kg", "340"), ("Front right kg", "335"), ("Rear left kg", "352"), ("Rear right kg", "348")):
        page.get_by_label(label).fill(kg)
    page.get_by_role("button", name="Calculate corner weights").click()
    cross = 100 * (335 + 352) / (340 + 335 + 352 + 348)
    expect(page.get_by_text("On the scales")).to_contain_text(f"{cross:.1f} %")
    row = page.get_by_role("row", name=re.compile("^race, last lap"))
    value = row.get_by_role("link").inner_text().split()[0]
    row.get_by_role("link").click()
    expect(page.get_by_label("Brake bias, %", exact=True)).to_have_value(value)
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_the_ride_is_told_beside_the_lap(page: Page) -> None:
    first_sheet(page, "Ride")
    lap_case, sheet, lap = core()
    expect(page.locator("[data-lap]")).to_have_text(format_lap(lap.time_s, 2))
    page.get_by_text("Ride modelled").click()
    front = ride_ends(adjusted(lap_case.car, sheet))[0]
    expect(page.locator("#answer details tr").nth(1)).to_contain_text(f"{front.ride_hz:.1f} Hz")
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_forks_carry_the_fuel_of_their_purpose(page: Page) -> None:
    first_sheet(page, "Forks")
    _, sheet, lap = core()
    page.get_by_label("for", exact=True).select_option("qualifying")
    page.get_by_role("button", name="Copy sheet and set its fuel").click()
    expect(page.get_by_role("status")).to_contain_text("S2 is saved")
    fuel = float(page.get_by_label("Fuel load, l", exact=True).input_value())
    assert 5 * lap.fuel_l * 1.03 <= fuel < 5 * lap.fuel_l * 1.03 + 1.0
    assert fuel != sheet.values["fuel"]
    page.evaluate("() => localStorage.clear()")


@pytest.mark.thorough_only
def test_rules_of_the_event_hold_an_item_on_the_bench(page: Page) -> None:
    first_sheet(page, "Held")
    bench(page, "Brief")
    page.get_by_role("link", name="Item limits").click()
    page.get_by_label("Rear wing, minimum").fill("3")
    page.get_by_label("Rear wing, maximum").fill("3")
    page.get_by_label("Front anti-roll bar, maximum").fill("4")
    page.get_by_role("button", name="Save item limits").click()
    expect(page.get_by_text("S1 is outside these rules")).to_be_visible()
    bench(page, "Sheet")
    wing = page.get_by_label("Rear wing", exact=True)
    expect(wing).to_have_value("3")
    expect(wing).to_have_attribute("readonly", "")
    expect(page.get_by_label("Front anti-roll bar", exact=True)).to_have_value("4")
    expect(page.get_by_text("2 unsaved changes")).to_be_visible()
    lap_case, sheet, _ = core()
    moved = solve_lap(lap_case, Sheet(sheet.car_key, {**sheet.values, "wing": 3, "bar_front": 4}))
    expect(page.locator("[data-lap]")).to_have_text(format_lap(moved.time_s, 2))
    save(page, "Within the rules")
    expect(page.get_by_text("is outside")).to_have_count(0)


@pytest.mark.thorough_only
def test_the_card_has_a_strip_of_shifts_and_is_read_on_a_phone(page: Page) -> None:
    first_sheet(page, "To print")
    page.get_by_role("link", name="Print card").first.click()
    expect(page.locator(".shift-strip li")).to_have_count(5)
    limit = core()[0].car.powertrain.limit_rpm
    expect(page.locator(".shift-strip li").first).to_contain_text(f"{limit:.0f}")
    page.set_viewport_size({"width": 390, "height": 800})
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 390


@pytest.mark.thorough_only
def test_advice_on_cold_tyres_is_solved_on_cold_tyres(page: Page) -> None:
    first_sheet(page, "Cold")
    page.get_by_role("link", name="Advice", exact=True).click()
    found = {}
    for tyres in ("warm", "cold"):
        page.get_by_label("Tyres", exact=True).select_option(tyres)
        page.get_by_role("button", name="Get advice").click()
        expect(page.get_by_text("at the sliding end").first).to_be_visible()
        found[tyres] = page.locator("main").inner_text()
    assert found["warm"] != found["cold"]


@pytest.mark.thorough_only
def test_a_file_from_the_car_is_held_against_the_sheet(page: Page, tmp_path: Path) -> None:
    first_sheet(page, "From the car")
    with page.expect_download() as caught:
        page.get_by_role("link", name="Export sheet").first.click()
    text = Path(caught.value.path()).read_text()
    path = tmp_path / "in-the-car.json"
    path.write_text(re.sub(r'"wing": [\d.]+', '"wing": 9', text))
    page.get_by_role("link", name="Check the car").click()
    page.get_by_label("Or a sheet file saved from the car").set_input_files(path)
    page.get_by_role("button", name="Compare the file").click()
    expect(page.get_by_text("1 value in the car differs from S1")).to_be_visible()
    path.write_text("{}")
    page.get_by_label("Or a sheet file saved from the car").set_input_files(path)
    page.get_by_role("button", name="Compare the file").click()
    expect(page.get_by_role("alert")).to_contain_text("Not readable")
