"""The heat of a tyre against a plain integration, and the spread across its tread."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from apexcore.circuit.conditions import Conditions
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.lap.stint import solve_stint
from apexcore.trim.reading.analysis import analyse
from apexcore.vehicle.car import Car
from apexcore.vehicle.heat import Flow, capacities, excess_camber_deg, flow, tread_c
from apexcore.vehicle.sheet import Sheet, base_sheet
from apexcore.vehicle.tyres import hot_pressure_kpa
from tests.conftest import demo_lap_case

FLOW = Flow(surface_w=4200.0, carcass_w=600.0, cooling=55.0, conduction=110.0, loss=4.0, ambient_c=26.0, air_c=22.0)


def test_settled_temperatures_balance_heat_in_and_out() -> None:
    surface, carcass = FLOW.settled_c()
    out = FLOW.cooling * (surface - FLOW.ambient_c) + FLOW.loss * (carcass - FLOW.air_c)
    assert out == pytest.approx(FLOW.surface_w + FLOW.carcass_w, rel=1e-12)
    assert FLOW.carcass_w + FLOW.conduction * (surface - carcass) == pytest.approx(FLOW.loss * (carcass - FLOW.air_c), rel=1e-9)
    assert FLOW.carcass_c(surface) == pytest.approx(carcass)


@pytest.mark.slow
@given(surface=st.floats(10, 120), carcass=st.floats(10, 120), seconds=st.floats(1, 400))
def test_warming_up_is_what_a_plain_integration_gives(surface: float, carcass: float, seconds: float) -> None:
    capacity = (2200.0, 8800.0)

    def rate(_: float, now: np.ndarray) -> list[float]:
        through = FLOW.conduction * (now[0] - now[1])
        return [
            (FLOW.surface_w - FLOW.cooling * (now[0] - FLOW.ambient_c) - through) / capacity[0],
            (FLOW.carcass_w + through - FLOW.loss * (now[1] - FLOW.air_c)) / capacity[1],
        ]

    plain = solve_ivp(rate, (0.0, seconds), [surface, carcass], rtol=1e-9, atol=1e-9).y[:, -1]
    assert FLOW.after_c((surface, carcass), capacity, seconds) == pytest.approx(tuple(plain), abs=1e-4)


def test_a_compound_that_warms_up_quickly_is_hot_sooner_and_ends_alike(car: Car) -> None:
    marl = car.tyres.compound("marl")
    one = flow(car.tyres, Conditions(), 20_000.0, 1500.0, 45.0)
    found = []
    for pace in (0.6, 2.0):
        capacity = capacities(car.tyres, marl.model_copy(update={"warm_up": pace}))
        found.append((one.after_c((40.0, 40.0), capacity, 8.0)[0], one.after_c((40.0, 40.0), capacity, 4000.0)[0]))
    assert found[1][0] > found[0][0] + 2.0
    assert found[1][1] == pytest.approx(found[0][1], abs=0.1) == pytest.approx(one.settled_c()[0], abs=0.1)


def test_the_surface_leads_and_the_carcass_makes_the_pressure(lap_case: LapCase, sheet: Sheet) -> None:
    stint = solve_stint(lap_case, sheet, 40.0, 8)
    for w in range(4):
        surface = [lap.lap.tyres.temperature_c[w] for lap in stint]
        carcass = [lap.lap.tyres.carcass_c[w] for lap in stint]
        assert surface[0] == carcass[0] and surface[1] > carcass[1]
        assert abs(carcass[-1] - carcass[-2]) < 0.25 * abs(carcass[2] - carcass[1])
        filled = sheet.values[f"pressure_{('fl', 'fr', 'rl', 'rr')[w]}"]
        assert stint[5].lap.hot_kpa[w] == pytest.approx(hot_pressure_kpa(filled, lap_case.car.tyres.cold_at_c, carcass[5]), rel=1e-9)


@given(surface=st.floats(40, 120), camber=st.floats(-4, 4), error=st.floats(-0.3, 0.3))
def test_the_thirds_of_a_tread_have_its_mean(surface: float, camber: float, error: float) -> None:
    thirds = tread_c(surface, 25.0, camber, error)
    assert sum(thirds) / 3 == pytest.approx(surface, rel=1e-12)
    rounding = 1e-12 * surface  # a lean or an error of next to nothing moves a third by less than its last digit
    assert (thirds[0] - thirds[2]) * np.sign(camber) >= -rounding
    assert (thirds[1] - 0.5 * (thirds[0] + thirds[2])) * np.sign(error) >= -rounding


@pytest.mark.parametrize("left", [True, False])
def test_the_outer_wheel_that_leans_in_too_much_works_its_inner_shoulder(left: bool) -> None:
    """A right-hand corner for a left wheel, and the other way round: this wheel is the outer one."""
    lateral = np.full(10, -9.0 if left else 9.0)
    inwards = -3.0 if left else 3.0  # lean to the left that is top inwards
    heat = np.ones(10)
    assert excess_camber_deg(lateral, heat, inwards, 0.0, 2.0, left) == pytest.approx(1.0)
    assert excess_camber_deg(lateral, heat, inwards, 0.2, 2.0, left) == pytest.approx(1.0 - 0.2 * 9.0)
    assert excess_camber_deg(-lateral, heat, inwards, 0.0, 2.0, left) == pytest.approx(3.0 + 2.0)  # inner wheel: it wants to lean out
    assert excess_camber_deg(np.zeros(10), heat, inwards, 0.2, 2.0, left) == pytest.approx(3.0)


@pytest.mark.parametrize(("car_key", "circuit_key"), [("brackendale_gt", "sallowmere_fen"), ("ferrow_lark", "thistledown")])
def test_camber_and_pressure_show_in_the_readings_of_their_wheel(car_key: str, circuit_key: str) -> None:
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    base = base_sheet(lap_case.car)

    def readings(**values: float) -> dict[str, tuple[float, float, float]]:
        moved = Sheet(base.car_key, {**base.values, **values})
        return {tyre.wheel: tyre.tread_c for tyre in analyse(lap_case, spans, moved).tyres}

    usual, upright, full = readings(), readings(camber_fl=-1.0), readings(pressure_fl=base.values["pressure_fl"] + 20)
    assert upright["fl"][0] - upright["fl"][2] < usual["fl"][0] - usual["fl"][2] - 3.0
    assert full["fl"][1] - full["fl"][0] > usual["fl"][1] - usual["fl"][0]
    assert upright["rr"] == pytest.approx(usual["rr"], abs=2.0)


def test_hot_laps_of_a_flow_are_those_of_the_lap(lap_case: LapCase, sheet: Sheet) -> None:
    lap = solve_lap(lap_case, sheet)
    for wheel in range(4):
        assert lap.tyres.carcass_c[wheel] - lap.tyres.temperature_c[wheel] == pytest.approx(3.0, abs=4.0)
