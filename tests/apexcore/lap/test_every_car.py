"""The direction checks and the standing properties, on every car and circuit of the demo to which they apply."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import GRAVITY
from apexcore.circuit.line import racing_line
from apexcore.circuit.track import Circuit
from apexcore.errors import InputError
from apexcore.lap import kernel
from apexcore.lap.assembly import roll_stiffness
from apexcore.lap.solver import LapCase, rippled, settled, solve_adjusted_lap_at, solve_lap, spending_as, with_layers
from apexcore.trim.figures.gearing import limit_speed_ms
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.reading.analysis import SheetAnalysis, analyse
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.tyres import four
from apexcore.vehicle.weights import weights
from tests.amounts import many
from tests.apexcore.lap.test_proof import place, record
from tests.conftest import DEMO, demo_car, demo_files, demo_lap_case

pytestmark = pytest.mark.slow

CARS, CIRCUITS = demo_files("cars"), demo_files("circuits")
EVERYWHERE = [(car, circuit) for car in CARS for circuit in CIRCUITS]
#: Circuits that close: on a standing mile a full tank over the driven wheels may even help.
LAPS = [key for key in CIRCUITS if key != "longreach"]
ROADS = ["sallowmere_fen", "quernlow"]
#: Cars with a front anti-roll bar, and cars with a rear wing to move.
BARRED = ["brackendale_gt", "ferrow_lark", "pentlow_hare", "drummock_stallard"]
WINGED = ["brackendale_gt", "ferrow_lark", "pentlow_hare"]


def moved(car_key: str, circuit_key: str, **values: float) -> SheetAnalysis:
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    base = base_sheet(lap_case.car)
    return analyse(lap_case, spans, Sheet(base.car_key, {**base.values, **values}))


def mid(result: SheetAnalysis) -> float:
    """Mean balance in mid-corner over the corner speeds that there are [%]."""
    return float(np.mean([value for (_, phase), value in result.grid.items() if phase == "mid" and value is not None]))


def ends(car_key: str, item_key: str) -> tuple[float, float]:
    item = demo_car(car_key).item(item_key)
    return item.low, item.high


def test_the_demo_has_every_kind_of_car_and_circuit() -> None:
    kinds = {demo_car(key).kind for key in CARS}
    assert len(CARS) == len(kinds) == 6 and len(CIRCUITS) == 4
    assert any(demo_car(key).front.rigid for key in CARS)
    assert any(len(demo_car(key).powertrain.gears) == 1 for key in CARS)
    assert any(0 < demo_car(key).powertrain.front_drive_share < 1 for key in CARS)
    assert any(item.locked for key in CARS for item in demo_car(key).items)
    assert any(item.names for key in CARS for item in demo_car(key).items)


@pytest.mark.parametrize(("car_key", "circuit_key"), EVERYWHERE)
def test_every_car_laps_every_circuit_within_its_envelope(car_key: str, circuit_key: str) -> None:
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    lap = solve_lap(lap_case, base_sheet(lap_case.car))
    use = np.maximum(lap.column("front_utilisation"), lap.column("rear_utilisation"))
    assert np.isfinite(lap.data).all()
    # on anti-lock brakes both axles are at their limits at once, where loads and speeds of a station are met to a few thousandths
    assert use.max() < (1.01 if adjusted(lap_case.car, base_sheet(lap_case.car)).controls.antilock_share else 1.002)
    dt = lap.column("time")
    spent = sum(float((lap.column(name) * dt).sum()) for name in ("drag_w", "rolling_w", "brake_w", "closed_w")) + sum(lap.slip_energy_j)
    speed, line = lap.column("speed"), lap_case.line
    kept = (
        0.0 if line.closed else 0.5 * weights(adjusted(lap_case.car, base_sheet(lap_case.car))).mass_kg * (speed[-1] ** 2 - speed[0] ** 2)
    )
    assert float(((lap.column("engine_w") + lap.column("boost_w")) * dt).sum()) == pytest.approx(spent + kept, rel=5e-3)
    assert len(analyse(lap_case, spans, base_sheet(lap_case.car)).corners) == len(spans)


def converged(lap_case: LapCase, sheet: Sheet) -> float:
    """Lap time with the heat of the tyres iterated on full laps until it stands [s]."""
    fuel = adjusted(lap_case.car, sheet).fuel_l
    car = adjusted(lap_case.car, sheet)
    begin = solve_lap(lap_case, sheet)
    tyres, ripple = begin.tyres, begin.ripple
    lap = begin
    for _ in range(12):  # half the way each time, so that no tyre swings
        lap = solve_adjusted_lap_at(lap_case, car.model_copy(update={"fuel_l": fuel}), tyres, fuel, ripple)
        there, swung = settled(lap_case, car, lap), rippled(lap_case, car, lap)
        layers = [[0.5 * (a + b) for a, b in zip(tyres.layers_c(w), there.layers_c(w), strict=True)] for w in range(4)]
        tyres = with_layers(tyres, [(a, b, c) for a, b, c in layers])
        ripple = None if swung is None or ripple is None else 0.5 * (swung + ripple)
    return lap.time_s


@pytest.mark.parametrize(
    ("car_key", "circuit_key"), [*[(car, "sallowmere_fen") for car in many(CARS[:2], CARS)], ("drummock_stallard", "hollin_bowl")]
)
@pytest.mark.thorough_only
def test_the_heat_is_settled_in_laps_and_in_their_differences(car_key: str, circuit_key: str) -> None:
    """A lap within 0.05 %, as far as stations matter; a step's effect within a millisecond and a half or three per cent of it."""
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    base = base_sheet(lap_case.car)
    lap_case = spending_as(lap_case, solve_lap(lap_case, base))  # an energy store as it is: the heat is looked at
    lap, reference = solve_lap(lap_case, base), converged(lap_case, base)
    assert lap.time_s == pytest.approx(reference, rel=5e-4)
    for effect in step_effects(lap_case, base, lap_case.car.items[::4], lap):
        if effect.value is not None:
            stepped = Sheet(base.car_key, {**base.values, effect.item.key: effect.value})
            known = converged(lap_case, stepped) - reference
            assert effect.lap_s == pytest.approx(known, rel=0.03, abs=1.5e-3), effect.item.name


@pytest.mark.parametrize("car_key", CARS)
def test_every_item_moves_something(car_key: str) -> None:
    """One step either way changes the car; no item is without effect on its physical value, none moves another's."""
    car, base = demo_car(car_key), base_sheet(demo_car(car_key))
    for item in car.items:
        if item.locked:
            assert base.stepped(item, 1) is None
            continue
        step = base.stepped(item, 1) or base.stepped(item, -1)
        assert step is not None, item.name
        before, after = adjusted(car, base).model_dump(), adjusted(car, step).model_dump()
        assert [key for key in before if before[key] != after[key]] == [item.sets.split(".")[0]], item.name


@pytest.mark.parametrize("circuit_key", ROADS)
@pytest.mark.parametrize("car_key", BARRED)
def test_a_stiffer_front_bar_washes_wider(car_key: str, circuit_key: str) -> None:
    low, high = ends(car_key, "bar_front")
    assert mid(moved(car_key, circuit_key, bar_front=high)) > mid(moved(car_key, circuit_key, bar_front=low))


@pytest.mark.parametrize("lateral", [8.0, 12.0, 16.0])
def test_a_stiffer_kart_axle_takes_grip_from_the_rear_and_gives_it_to_the_front(lateral: float) -> None:
    """At the axles themselves: on a lap a lifted inner wheel also frees the rigid axle, which may win."""
    ratios = []
    for step in (1, 4):
        c = record(with_values(demo_car("wisp_125"), axle_rear=step))
        grip, _ = kernel.axle_grip(c, kernel.wheel_loads(c, 15.0, 0.0, lateral, GRAVITY, 0.05), lateral, place(0.05), 0.0)
        ratios.append((grip[2] + grip[3]) / (grip[0] + grip[1]))
    assert ratios[1] < ratios[0]


@pytest.mark.parametrize("circuit_key", ["sallowmere_fen", "hollin_bowl"])
@pytest.mark.parametrize("car_key", WINGED)
def test_more_rear_wing_calms_the_rear_and_costs_top_speed(car_key: str, circuit_key: str) -> None:
    low, high = (moved(car_key, circuit_key, wing=value) for value in ends(car_key, "wing"))
    for speed in ("medium", "fast"):
        before, after = low.grid[speed, "mid"], high.grid[speed, "mid"]
        if before is not None and after is not None:
            assert after > before
    assert high.lap.top_speed_ms < low.lap.top_speed_ms


@pytest.mark.parametrize("circuit_key", ["sallowmere_fen", "hollin_bowl"])
def test_more_front_wing_frees_the_front(circuit_key: str) -> None:
    assert mid(moved("ferrow_lark", circuit_key, wing_front=18)) < mid(moved("ferrow_lark", circuit_key, wing_front=2))


#: Where the oval saloon in its lowest gears is glad of a tank over its driven wheels.
_TRACTION = ("drummock_stallard", "quernlow")


@pytest.mark.parametrize(("car_key", "circuit_key"), [(car, circuit) for car in CARS for circuit in LAPS if (car, circuit) != _TRACTION])
def test_more_fuel_is_slower(car_key: str, circuit_key: str) -> None:
    low, high = ends(car_key, "fuel")
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    base = base_sheet(lap_case.car)
    held = replace(lap_case, held_c=four(lap_case.compounds[w // 2].temperature_opt_c for w in range(4)))  # weight alone, not its heat
    light, heavy = (solve_lap(held, base, fuel_l=value).time_s for value in (low, high))
    assert heavy > light


@pytest.mark.parametrize(("car_key", "circuit_key"), [(car, circuit) for car in CARS for circuit in ROADS])
def test_hotter_air_is_less_power(car_key: str, circuit_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    base = base_sheet(lap_case.car)
    hot = replace(lap_case, conditions=lap_case.conditions.model_copy(update={"air_c": 38.0}))
    assert solve_lap(hot, base).column("engine_w").max() < solve_lap(lap_case, base).column("engine_w").max()


@pytest.mark.parametrize("circuit_key", ROADS)
@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "pentlow_hare", "drummock_stallard"])
def test_forward_bias_uses_up_the_front_under_brakes(car_key: str, circuit_key: str) -> None:
    back, forward = (moved(car_key, circuit_key, brake_bias=value) for value in ends(car_key, "brake_bias"))

    def braking(result: SheetAnalysis) -> float:
        lap = result.lap
        hard = lap.column("brake") > 0.5 * lap.column("brake").max()
        return float(lap.column("balance")[hard].mean())

    assert braking(forward) > braking(back)


@pytest.mark.parametrize("circuit_key", LAPS)
@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "wisp_125"])
def test_a_wider_road_is_faster_at_the_apex(car_key: str, circuit_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    circuit = Circuit.model_validate_json((DEMO / "circuits" / f"{circuit_key}.json").read_text())
    narrow = replace(lap_case, line=racing_line(circuit.model_copy(update={"width_m": 0.7 * circuit.width_m})))
    base = base_sheet(lap_case.car)
    assert solve_lap(narrow, base).column("speed").min() < solve_lap(lap_case, base).column("speed").min()


@pytest.mark.parametrize(("car_key", "item_key"), [*[(key, "final_drive") for key in BARRED], ("wisp_125", "sprocket")])
def test_a_longer_final_drive_is_faster_at_the_limiter(car_key: str, item_key: str) -> None:
    car, base = demo_car(car_key), base_sheet(demo_car(car_key))
    longer, shorter = base.stepped(car.item(item_key), -2), base.stepped(car.item(item_key), 2)
    assert longer and shorter
    last = len(car.powertrain.gears)
    assert limit_speed_ms(adjusted(car, longer), last) > limit_speed_ms(adjusted(car, shorter), last)


def with_values(car: Car, **values: float) -> Car:
    base = base_sheet(car)
    return adjusted(car, Sheet(car.key, {**base.values, **values}))


def test_cross_weight_moves_load_across_and_nothing_else() -> None:
    car = demo_car("drummock_stallard")
    before, after = weights(with_values(car, cross=0.0)).static_n, weights(with_values(car, cross=2.0)).static_n
    total = sum(before)
    assert sum(after) == pytest.approx(total)
    assert after[0] + after[1] == pytest.approx(before[0] + before[1]) and after[0] + after[2] == pytest.approx(before[0] + before[2])
    assert (after[1] + after[2]) / total - (before[1] + before[2]) / total == pytest.approx(0.02)


def test_cross_weight_tightens_a_left_hand_oval() -> None:
    assert mid(moved("drummock_stallard", "hollin_bowl", cross=4.0)) > mid(moved("drummock_stallard", "hollin_bowl", cross=-4.0))


def test_ballast_moves_the_centre_of_gravity_to_its_place() -> None:
    car = demo_car("drummock_stallard")
    light, left = weights(with_values(car, ballast_left=0.0)), weights(with_values(car, ballast_left=90.0))
    assert left.mass_kg - light.mass_kg == pytest.approx(90.0)
    share = [(w.static_n[0] + w.static_n[2]) / sum(w.static_n) for w in (light, left)]
    assert share[1] > share[0] and left.cg_height_m < light.cg_height_m
    tail = weights(with_values(car, ballast_tail=40.0))
    assert tail.cg_from_front_m > weights(with_values(car, ballast_tail=0.0)).cg_from_front_m


def test_a_load_below_nothing_is_refused() -> None:
    car = demo_car("drummock_stallard")
    twisted = car.model_copy(update={"mass": car.mass.model_copy(update={"cross_shift": 0.48})})
    with pytest.raises(InputError, match="cross weight"):
        weights(twisted)


def test_a_rigid_axle_has_the_chassis_for_a_spring() -> None:
    car = demo_car("wisp_125")
    soft, hard = (with_values(car, axle_rear=value).rear for value in (1, 4))
    assert roll_stiffness(soft) < roll_stiffness(hard)
    assert roll_stiffness(hard.model_copy(update={"spring_n_per_mm": (900.0, 900.0)})) == roll_stiffness(hard)


def test_one_stiff_spring_is_half_of_two() -> None:
    axle = demo_car("drummock_stallard").front
    rigid = axle.model_copy(update={"bar_n_per_mm": 0.0, "tyre_n_per_mm": 1e9})
    one, two = (rigid.model_copy(update={"spring_n_per_mm": pair}) for pair in ((150.0, 250.0), (200.0, 200.0)))
    # z_l - z_r = F (1/k_l + 1/k_r) under a load across: the harmonic mean counts
    assert roll_stiffness(one) == pytest.approx(roll_stiffness(two) * 2 * 150 * 250 / (150 + 250) / 200)


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "pentlow_hare"])
def test_locking_helps_traction_and_washes_the_front(car_key: str) -> None:
    """More power locking: more drive off slow corners before the inner wheel lets go; the held axle pushes the nose wide."""
    opened, locked = (moved(car_key, "quernlow", diff_power=value, diff_preload=0) for value in (0, 80))
    out = [result.lap.column("throttle").mean() for result in (opened, locked)]
    assert out[1] > out[0]
    free, held = (moved(car_key, "quernlow", diff_preload=value) for value in (0, 200))
    assert held.grid["slow", "mid"] != free.grid["slow", "mid"]


def test_toe_costs_rolling_and_heats() -> None:
    straight, toed = (moved("brackendale_gt", "sallowmere_fen", toe_rear=value) for value in (0.0, 0.4))
    assert toed.lap.column("rolling_w").mean() > straight.lap.column("rolling_w").mean()
    assert toed.tyres[2].temperature_c > straight.tyres[2].temperature_c


def test_fuel_maps_and_the_restrictor_scale_torque_and_fuel() -> None:
    full, save = (moved("pentlow_hare", "sallowmere_fen", map=value) for value in (1, 3))
    assert save.lap.time_s > full.lap.time_s
    assert save.lap.fuel_l < full.lap.fuel_l
    car = demo_car("pentlow_hare")
    assert car.item("map").text(3) == "3 (save)" and car.item("restrictor").locked


def test_the_centre_split_moves_the_drive() -> None:
    rear, front = (moved("pentlow_hare", "sallowmere_fen", centre=value) for value in (30, 60))
    exits = [result.grid["slow", "exit"] for result in (rear, front)]
    assert exits[0] is not None and exits[1] is not None and exits[1] > exits[0]


def test_of_two_heats_that_repeat_themselves_every_sheet_has_the_same() -> None:
    """A single-seater on the oval overworks one tyre: it may settle cool or hot, a second a lap apart. More fuel stays more time."""
    lap_case, _ = demo_lap_case("ferrow_lark", "hollin_bowl")
    base, item = base_sheet(lap_case.car), lap_case.car.item("fuel")
    times = [solve_lap(lap_case, Sheet(base.car_key, {**base.values, "fuel": value})).time_s for value in (item.low, 15.0, 27.0, item.high)]
    assert (np.diff(times) > 0.0).all() and np.diff(times).max() < 0.2
