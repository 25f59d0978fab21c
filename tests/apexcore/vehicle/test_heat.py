"""The heat of a tyre against a plain integration, and the spread across its tread."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from apexcore.circuit.conditions import Conditions
from apexcore.lap.assembly import rolling_share
from apexcore.lap.solver import LapCase, rippled, solve_lap
from apexcore.lap.stint import solve_stint
from apexcore.trim.reading.analysis import analyse
from apexcore.vehicle.car import Car
from apexcore.vehicle.heat import Flow, capacities, excess_camber_deg, flow, grip_c, tread_c
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.tyres import hot_pressure_kpa, temperature_grip
from tests.conftest import demo_lap_case

FLOW = Flow(
    skin_w=4200.0, tread_w=900.0, carcass_w=600.0, air=22.0, road=51.0, skin_tread=61.0, tread_carcass=65.0, wall=34.0, air_c=22.0,
    road_c=30.0,
)  # fmt: skip


def test_settled_temperatures_balance_heat_in_and_out() -> None:
    skin, _, carcass = FLOW.settled_c()
    out = FLOW.air * (skin - FLOW.air_c) + FLOW.road * (skin - FLOW.road_c) + FLOW.wall * (carcass - FLOW.air_c)
    assert out == pytest.approx(FLOW.skin_w + FLOW.tread_w + FLOW.carcass_w, rel=1e-12)


@given(grip=st.floats(20, 140))
def test_a_tyre_held_at_a_grip_temperature_is_at_rest_below_its_skin(grip: float) -> None:
    skin, tread, carcass = FLOW.beside_c(grip)
    assert grip_c(skin, tread) == pytest.approx(grip)
    up, down = FLOW.skin_tread * (skin - tread), FLOW.tread_carcass * (tread - carcass)
    assert FLOW.tread_w + up == pytest.approx(down) and FLOW.carcass_w + down == pytest.approx(FLOW.wall * (carcass - FLOW.air_c))


@given(start=st.tuples(*[st.floats(10, 120)] * 3), seconds=st.floats(1, 400))
def test_warming_up_is_what_a_plain_integration_gives(start: tuple[float, float, float], seconds: float) -> None:
    capacity = (700.0, 4050.0, 4200.0)

    def rate(_: float, now: np.ndarray) -> list[float]:
        up, down = FLOW.skin_tread * (now[0] - now[1]), FLOW.tread_carcass * (now[1] - now[2])
        cooled = FLOW.air * (now[0] - FLOW.air_c) + FLOW.road * (now[0] - FLOW.road_c)
        return [
            (FLOW.skin_w - cooled - up) / capacity[0],
            (FLOW.tread_w + up - down) / capacity[1],
            (FLOW.carcass_w + down - FLOW.wall * (now[2] - FLOW.air_c)) / capacity[2],
        ]

    plain = solve_ivp(rate, (0.0, seconds), list(start), rtol=1e-9, atol=1e-9).y[:, -1]
    assert FLOW.after_c(start, capacity, seconds) == pytest.approx(tuple(plain), abs=1e-4)


def test_the_heat_along_a_lap_is_what_a_plain_integration_repeats(lap_case: LapCase, sheet: Sheet) -> None:
    """Skin and tread against an adaptive integration of the same lap, until it repeats: less than a kelvin apart, everywhere."""
    lap_case = replace(lap_case, line=replace(lap_case.line, bumps=()))  # heat alone
    lap = solve_lap(lap_case, sheet)
    car, wheel = adjusted(lap_case.car, sheet), 2
    heat, compound = car.tyres.heat_of(wheel), lap_case.compounds[1]
    clock = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
    speed, slide = lap.column("speed"), lap.column("slide_rl")
    rolling = rolling_share(car, compound, wheel) * lap.column("load_rl") * speed
    skin_j, tread_j, _ = capacities(car.tyres, compound, wheel)
    carcass, conditions = lap.tyres.carcass_c[wheel], lap_case.conditions

    def rate(t: float, now: np.ndarray) -> list[float]:
        i = min(int(np.searchsorted(clock, t % clock[-1], side="right")) - 1, len(speed) - 1)
        up = heat.skin_tread_w_per_k * (now[0] - now[1])
        cooled = heat.air * speed[i] ** 0.8 * (now[0] - conditions.air_c) + heat.road * speed[i] ** 0.5 * (now[0] - conditions.track_c)
        return [
            (heat.slide_share * slide[i] + 0.15 * rolling[i] - cooled - up) / skin_j,
            (0.5 * rolling[i] + up - heat.tread_carcass_w_per_k * (now[1] - carcass)) / tread_j,
        ]

    laps = 5
    times = (laps - 1) * clock[-1] + 0.5 * (clock[1:] + clock[:-1])
    found = solve_ivp(rate, (0.0, laps * clock[-1]), list(lap.tyres.layers_c(wheel)[:2]), t_eval=times, max_step=0.2)
    grip = 0.5 * found.y[0] + 0.5 * found.y[1]
    warmer = grip - float((grip * lap.column("time")).sum()) / clock[-1]
    x = (lap.tyres.temperature_c[wheel] + warmer - compound.temperature_opt_c) / compound.temperature_width_c
    x = np.where(x > 0, x / 0.9, x)
    expected = 1 / (1 + compound.temperature_loss * x * x) / temperature_grip(compound, lap.tyres.temperature_c[wheel])
    ripple = rippled(lap_case, car, lap)
    assert ripple is not None and ripple[:, wheel] == pytest.approx(expected, abs=3e-3)
    assert float(ripple[:, wheel].max() - ripple[:, wheel].min()) > 0.01


def test_a_compound_that_warms_up_quickly_is_hot_sooner_and_ends_alike(car: Car) -> None:
    marl = car.tyres.compound("marl")
    one = flow(car.tyres, Conditions(), 0, 20_000.0, 1500.0, 45.0)
    found = []
    for pace in (0.6, 2.0):
        capacity = capacities(car.tyres, marl.model_copy(update={"warm_up": pace}), 0)
        found.append((one.after_c((40.0,) * 3, capacity, 8.0)[0], one.after_c((40.0,) * 3, capacity, 4000.0)[0]))
    assert found[1][0] > found[0][0] + 2.0
    assert found[1][1] == pytest.approx(found[0][1], abs=0.1) == pytest.approx(one.settled_c()[0], abs=0.1)


def test_the_surface_leads_and_the_carcass_makes_the_pressure(lap_case: LapCase, sheet: Sheet) -> None:
    stint = solve_stint(lap_case, sheet, 40.0, 8)
    for w in range(4):
        surface = [lap.lap.tyres.temperature_c[w] for lap in stint]
        carcass = [lap.lap.tyres.carcass_c[w] for lap in stint]
        assert surface[0] > carcass[0] and surface[1] > carcass[1]
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


@pytest.mark.parametrize(("car_key", "circuit_key"), [("brackendale_gt", "sallowmere_fen"), ("ferrow_lark", "quernlow")])
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


def test_carcasses_stay_below_their_treads(lap_case: LapCase, sheet: Sheet) -> None:
    lap = solve_lap(lap_case, sheet)
    for wheel in range(4):
        assert 2.0 < lap.tyres.temperature_c[wheel] - lap.tyres.carcass_c[wheel] < 20.0
