"""Bumps and kerbs: risks against draws by hand, crossings against their laps, kerbs against cars that would and would not take them."""

import math
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.features import Marker
from apexcore.circuit.line import racing_line
from apexcore.lap.driver import LEVELS, Driver
from apexcore.lap.solver import solve_lap
from apexcore.trim.book.proposal import BookDesk
from apexcore.trim.corner import CornerDesk
from apexcore.trim.obstacles import NO_GAIN_MM, SAFE_LAPS, Obstacles
from apexcore.vehicle.bumps import load_swing_n
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from tests.amounts import many
from tests.conftest import demo_circuit, demo_lap_case

GT, KART, OVAL = ("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow"), ("drummock_stallard", "hollin_bowl")


def there(
    place: tuple[str, str], number: int, *markers: Marker, driver: Driver = LEVELS["solid midfielder"], sheet: Sheet | None = None
) -> Obstacles:
    """A corner's obstacles with these markers instead of the circuit's own."""
    circuit = demo_circuit(place[1]).model_copy(update={"markers": markers})
    case, spans = demo_lap_case(*place)
    case = replace(case, line=racing_line(circuit, car_width_m=case.car.width_m), driver=driver)
    sheet = sheet or base_sheet(case.car)
    return Obstacles(BookDesk(circuit, CornerDesk(case, sheet, solve_lap(case, sheet), spans, number, 0.5 * circuit.width_m)))


def apex_m(place: tuple[str, str], number: int) -> float:
    """Where a corner is slowest, along the middle of the road [m]."""
    desk = there(place, number)
    return round(desk.desk.apex * desk.book.ds, 1)


def test_a_risk_is_the_share_of_draws_in_which_the_grip_is_too_little() -> None:
    """Drivers and heights drawn one by one, the axles by hand from the lap's columns."""
    rng = np.random.default_rng(11)
    for height in (8.0, 18.0, 26.0):
        found = there(OVAL, 1, Marker(kind="bump", at_m=330, height_mm=height))
        lap, desk = found.desk.lap, found.desk
        station = round(330 / found.book.ds)
        v = float(lap.column("speed")[station])
        stations = [k for k in range(station, station + 200) if (k - station) * found.book.ds < 10.0 + 0.1 * v + found.book.ds]
        worst, draws = 0.0, 200_000
        for axle, wheels in (("front", ("fl", "fr")), ("rear", ("rl", "rr"))):
            loads = [float(lap.column(f"load_{wheel}")[station]) for wheel in wheels]
            index = [("fl", "fr", "rl", "rr").index(wheel) for wheel in wheels]
            swings = [min(load_swing_n(desk.ready.car, k, height, v, load) / load, 1.0) for k, load in zip(index, loads, strict=True)]
            square = float(np.average(np.square(swings), weights=loads))
            use = float(lap.column(f"{axle}_utilisation")[stations].max()) * (1.0 - 0.3 * square)
            kept = 1.0 - desk.lap_case.driver.ability
            needs = use * (1.0 + rng.normal(size=draws) * max(kept / 3.0, 0.004))
            leaves = 1.0 - 0.3 * square * (1.0 + 2.0 * 0.15 * rng.normal(size=draws))
            worst = max(worst, float((needs > leaves).mean()))
        assert found.risk(lap, Marker(kind="bump", at_m=330, height_mm=height)) == pytest.approx(worst, rel=0.08, abs=2e-4)


def test_higher_bumps_bolder_drivers_and_worn_tyres_throw_the_car_sooner() -> None:
    at = apex_m(GT, 3)
    low, middle, high = (there(GT, 3, Marker(kind="bump", at_m=at, height_mm=height)).bumps()[0] for height in (6.0, 15.0, 25.0))
    assert low.once_in >= middle.once_in >= high.once_in and low.swing < middle.swing < high.swing
    often = [there(OVAL, 1, Marker(kind="bump", at_m=330, height_mm=18), driver=LEVELS[level]).bumps()[0].once_in for level in LEVELS]
    assert often[0] > often[1] > often[2]
    for bump in (low, middle, high):
        assert bump.worn_once_in <= bump.once_in and bump.lock_deg > 5.0
    straight = there(GT, 1, Marker(kind="bump", at_m=250, height_mm=15)).bumps()
    assert all(bump.lock_deg < 2.0 for bump in straight)


def test_an_easier_crossing_is_rare_enough_and_costs_what_its_lap_does() -> None:
    found = there(OVAL, 1, Marker(kind="bump", at_m=330, height_mm=20), driver=LEVELS["front runner"])
    (bump,) = found.bumps()
    assert bump.once_in < SAFE_LAPS and bump.eased is not None
    assert bump.eased.once_in >= SAFE_LAPS and bump.eased.cost_s > 0.0
    assert bump.eased.lock_deg <= bump.lock_deg and bump.eased.slower_ms > 0.0 and bump.eased.opening <= 0.5
    # on the brakes it is braked softer
    braking = there(GT, 1, Marker(kind="bump", at_m=470, height_mm=20), driver=LEVELS["front runner"]).bumps()[0]
    assert braking.braked and braking.eased is not None and braking.eased.braking < 1.0 and braking.eased.cost_s > 0.0


def test_a_kerb_is_taken_by_the_car_that_has_travel_and_room_for_it() -> None:
    at = apex_m(GT, 1)
    for height in (15.0, 25.0, 35.0, 45.0):
        marker = Marker(kind="kerb", at_m=at, side="left", height_mm=height)
        (kerb,) = there(GT, 1, marker).kerbs()
        assert (not kerb.problem) == (kerb.swing < 1.0 and (kerb.left_mm is None or kerb.left_mm >= 0.0))
        case, _ = demo_lap_case(*GT)
        for mend in kerb.mends:  # what it names lets it, one step less does not
            for steps, takes in ((mend.steps, True), (mend.steps - int(math.copysign(1, mend.steps)), False)):
                moved = base_sheet(case.car).stepped(mend.item, steps)
                assert moved is not None
                on_base = there(GT, 1, marker)
                swing, _, left = on_base._asked(adjusted(case.car, moved), marker)
                assert (swing < 1.0 and (left is None or left >= 0.0)) == takes, (height, mend)
    (tall,) = there(GT, 1, Marker(kind="kerb", at_m=at, side="left", height_mm=NO_GAIN_MM)).kerbs()
    assert "gives nothing" in tall.problem and not tall.mends
    stiff = there(("ferrow_lark", "sallowmere_fen"), 1, Marker(kind="kerb", at_m=at, side="left", height_mm=25)).kerbs()[0]
    assert stiff.problem and any("spring" in mend.item.sets for mend in stiff.mends)


@pytest.mark.thorough
def test_random_bumps_everywhere_have_finite_answers() -> None:
    rng = np.random.default_rng(5)
    for _ in range(many(6, 80)):
        place = (GT, KART, OVAL)[int(rng.integers(3))]
        corners = {GT: 9, KART: 8, OVAL: 2}[place]
        number, length = int(rng.integers(1, corners + 1)), {GT: 3200, KART: 850, OVAL: 750}[place]
        kinds = [
            Marker(kind=kind, at_m=float(rng.uniform(0, length)), side=side, height_mm=float(rng.uniform(1, 90)))
            for kind, side in (("bump", "across"), ("bump", "left"), ("kerb", "left"), ("kerb", "right"))
        ]  # fmt: skip
        found = there(place, number, *kinds, driver=LEVELS[list(LEVELS)[int(rng.integers(3))]])
        for bump in found.bumps():
            assert bump.once_in >= 1.0 and bump.worn_once_in <= bump.once_in * (1 + 1e-9) and 0.0 <= bump.swing <= 1.0
            assert bump.eased is None or (bump.eased.once_in >= SAFE_LAPS > bump.once_in)
        for kerb in found.kerbs():
            assert math.isfinite(kerb.swing) and (not kerb.mends or kerb.problem)
