"""Cars from a few numbers: they hold what was told, can be driven, and are pulled to what is known."""

import itertools
import random
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import racing_line
from apexcore.errors import FileRejected, InputError
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import LapCase, solve_lap, top_speed_ms
from apexcore.trim.figures.car_figures import car_figures
from apexcore.trim.figures.gearing import limit_speed_ms
from apexcore.trim.figures.known import Course, Known, pulled, seconds_to
from apexcore.vehicle.car import Car
from apexcore.vehicle.kinds import KINDS, TYRES
from apexcore.vehicle.quick import Told, gear_ratios, quick_car, radius_of, torque_curve
from apexcore.vehicle.quick_items import ADJUSTABLE, LOCKED, range_of
from apexcore.vehicle.sheet import adjusted, base_sheet
from apexcore.vehicle.weights import weights
from tests.amounts import many
from tests.conftest import demo_circuit

HATCH = Told(
    "Hatch", "saloon", 1050, 0.62, 140, 7000, 7500, "front", 5, 225, "205/50 R15", tyre_kind="semi", adjustable={"bias": "", "pressure": ""}
)
KART = Told(
    "Kart",
    "kart",
    161,
    0.43,
    22,
    11500,
    15500,
    "rear",
    1,
    118,
    "10x4.50-5",
    "11 x 7,10 - 5",
    "kart",
    adjustable={key: "" for key in ADJUSTABLE if key != "flap"},
)


def lap_of(car: Car, circuit: str) -> float:
    pair = (car.tyres.compounds[0], car.tyres.compounds[0])
    case = LapCase(car, racing_line(demo_circuit(circuit)), Conditions(), pair, driver=LEVELS["front runner"])
    return solve_lap(case, base_sheet(car)).time_s


def test_what_was_told_is_in_the_car() -> None:
    car, assumed = quick_car(HATCH, "hatch")
    weight = weights(car.model_copy(update={"fuel_l": 0.0}))
    assert weight.mass_kg == pytest.approx(1050) and sum(weight.static_n[:2]) / sum(weight.static_n) == pytest.approx(0.62, abs=1e-3)
    power = max(rpm * np.pi / 30 * nm for rpm, nm in car.powertrain.torque_nm)
    assert power == pytest.approx(140_000, rel=1e-3)
    assert 3.6 * limit_speed_ms(adjusted(car, base_sheet(car)), 5) == pytest.approx(225, rel=0.002)
    assert car.tyres.radius_m[0] == pytest.approx(0.965 * 0.5 * (15 * 25.4 + 205) / 1000, abs=1e-4)
    assert {item.key for item in car.items} == {f"pressure_{w}" for w in ("fl", "fr", "rl", "rr")} | {"brake_bias", "fuel"}
    assert all(one.spread.startswith("±") and one.why and one.words for one in assumed)
    told = {"mass.dry_kg", "mass.front_share", "powertrain.limit_rpm"}
    assert not any(one.path in told for one in assumed)


@pytest.mark.thorough
@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("tyre", list(TYRES)[:: many(3, 1)])
def test_every_kind_on_every_tyre_can_be_driven(kind: str, tyre: str) -> None:
    mass, power, top = (160, 22, 118) if kind == "kart" else (600, 130, 230) if kind == "single_seater" else (1200, 250, 250)
    told = Told("Any", kind, mass, KINDS[kind].front_share, power, 6500, 7200, "rear", 1 if kind == "kart" else 6, top, tyre_kind=tyre,
                wing=kind != "kart", adjustable={key: "" for key in ADJUSTABLE if key != "flap" or kind != "kart"})  # fmt: skip
    car, _ = quick_car(told, "any")
    assert car_figures(car) and 25.0 < lap_of(car, "quernlow" if kind == "kart" else "sallowmere_fen") < 140.0


def test_random_cars_are_cars_or_are_refused_with_a_reason() -> None:
    rng, made, refused = random.Random(4), 0, list[str]()
    for _ in range(120):
        kind = rng.choice(list(KINDS))
        gears = rng.randint(1, 10)
        told = Told(
            "Any", kind, rng.uniform(90, 2200), rng.uniform(0.3, 0.7), rng.uniform(3, 800), rng.uniform(2000, 18000), rng.uniform(3000, 20000),
            rng.choice(("rear", "front", "all")), gears, rng.uniform(60, 380), rng.choice(("", "205/50R15", "10x4.5-5", "x")),
            tyre_kind=rng.choice(list(TYRES)), wing=rng.random() < 0.5, driver_kg=rng.uniform(40, 130),
            adjustable={key: "" for key in ADJUSTABLE if rng.random() < 0.6},
        )  # fmt: skip
        try:
            car, _ = quick_car(told, "any")
        except FileRejected as error:
            refused += error.problems
            continue
        assert weights(car.model_copy(update={"fuel_l": 0.0})).mass_kg == pytest.approx(told.mass_kg, abs=0.2)
        made += 1
    assert made > 20 and refused and all(len(text) > 15 for text in refused)


def test_sizes_of_tyres_as_they_are_written() -> None:
    assert radius_of("205/50 R15", "x") == radius_of("205/50R15", "x") == radius_of(" 205 / 50 - 15 ", "x")
    assert radius_of("10x4.50-5", "x") == pytest.approx(0.965 * 0.127)
    assert radius_of("24.5/9.0-13", "x") == pytest.approx(0.965 * 0.5 * 24.5 * 0.0254)
    for text in ("15", "205/50", "R15", "205/50R15R15", "9" * 50, "99x4-5", ""):
        with pytest.raises(InputError):
            radius_of(text, "Front tyres")


def test_gears_get_closer_and_reach_the_speed() -> None:
    for count in range(1, 11):
        ratios = gear_ratios(count, 240, 8000, 0.3)
        speed = 8000 * np.pi / 30 * 0.3 / (ratios[-1] * 4.0)
        assert 3.6 * speed == pytest.approx(240, rel=1e-3) and all(a > b for a, b in itertools.pairwise(ratios))
        steps = [a / b for a, b in itertools.pairwise(ratios)]
        assert all(a >= b - 1e-3 for a, b in itertools.pairwise(steps))
    with pytest.raises(InputError, match="rev limit"):
        torque_curve(100, 9000, 8000)


def test_ranges_as_they_are_typed() -> None:
    usual = (1.0, 2.0, 0.5)
    for text in ("90 to 210 by 5", "90-210/5", "90 210 5", "90 – 210, step 5", "90 bis 210 5"):
        assert range_of(text, usual, "N/mm", "Springs") == (90.0, 210.0, 5.0)
    assert range_of("-5 to 0 by 0,1", usual, "°", "Camber") == (-5.0, 0.0, 0.1) and range_of(" ", usual, "", "x") == usual
    assert range_of("1 to 9", usual, "", "Bars") == (1.0, 9.0, 0.5)
    for text in ("5", "9 to 1 by 1", "1 to 9 by 0", "1 to 9 by 20", "a", "1 2 3 4", "1" * 70):
        with pytest.raises(InputError, match="Springs"):
            range_of(text, usual, "N/mm", "Springs")


def test_a_locked_car_moves_what_its_class_lets() -> None:
    car, _ = quick_car(Told(**{**HATCH.__dict__, "adjustable": dict.fromkeys(LOCKED, "")}), "locked")
    assert {item.key for item in car.items} == {f"pressure_{w}" for w in ("fl", "fr", "rl", "rr")} | {"brake_bias", "fuel"}


@pytest.mark.parametrize(("circuit", "told"), [("sallowmere_fen", HATCH), ("quernlow", KART)])
def test_a_known_lap_pulls_the_grip(circuit: str, told: Told) -> None:
    car, _ = quick_car(told, "any")
    course = Course(racing_line(demo_circuit(circuit)), Conditions(), LEVELS["front runner"])
    before = lap_of(car, circuit)
    for share in (0.97, 1.03):
        after, pulls = pulled(car, Known(lap_s=before * share), course)
        assert lap_of(after, circuit) == pytest.approx(before * share, abs=0.02) and "by the lap time" in pulls[0].told
        assert (after.tyres.compounds[0].mu > car.tyres.compounds[0].mu) == (share < 1)
    with pytest.raises(InputError, match="same layout"):
        pulled(car, Known(lap_s=before * 0.5), course)


def test_known_speed_and_start_pull_drag_and_power() -> None:
    car, _ = quick_car(HATCH, "any")
    top = top_speed_ms(adjusted(car, base_sheet(car)), Conditions())
    after, pulls = pulled(car, Known(top_ms=0.95 * top))
    assert (
        top_speed_ms(adjusted(after, base_sheet(after)), Conditions()) == pytest.approx(0.95 * top, abs=0.1)
        and "Drag area" in pulls[0].told
    )
    assert after.aero.drag_area_m2 > car.aero.drag_area_m2
    seconds = seconds_to(car, 100 / 3.6)
    assert 5.0 < seconds < 9.0
    slower, _ = pulled(car, Known(to_100_s=seconds + 0.3))
    assert seconds_to(slower, 100 / 3.6) == pytest.approx(seconds + 0.3, abs=0.03)
    with pytest.raises(InputError, match="rev limit"):
        pulled(car, Known(top_ms=90))
    with pytest.raises(InputError, match="with this mass"):
        pulled(car, Known(to_100_s=2.0))
    limited, pulls = pulled(car, Known(top_ms=limit_speed_ms(car, 5)))
    assert limited.aero.drag_area_m2 == car.aero.drag_area_m2 and "gearing" in pulls[0].told


def test_a_start_with_constant_force_is_the_closed_form() -> None:
    car, _ = quick_car(HATCH, "any")
    slow = car.model_copy(update={"aero": car.aero.model_copy(update={"drag_area_m2": 0.01})})
    rolls = slow.tyres.compounds[0].model_copy(update={"rolling": 0.0})
    slow = slow.model_copy(update={"tyres": slow.tyres.model_copy(update={"compounds": (rolls,)})})
    # between 60 and 80 km/h at nearly constant power: P t = m (v2² − v1²) / 2 within what gears and grip leave
    t = seconds_to(slow, 80 / 3.6) - seconds_to(slow, 60 / 3.6)
    energy = 0.5 * weights(slow).mass_kg * ((80 / 3.6) ** 2 - (60 / 3.6) ** 2)
    assert 0.55 < energy / t / (140_000 * slow.powertrain.efficiency) <= 1.0


@pytest.mark.parametrize("pair", [(11, 80), (10, 86), (12, 72)])
def test_sprockets_are_told_as_teeth_and_the_speed_typed_stands(pair: tuple[int, int]) -> None:
    """The pair is in the car, the item goes in teeth about it, and what the pair alone would do is said where it is another speed."""
    told = replace(KART, teeth=pair, adjustable={"final": ""})
    car, assumed = quick_car(told, "kart")
    sheet = base_sheet(car)
    assert car.powertrain.final_drive == pytest.approx(pair[1] / pair[0]) and sheet.values["sprocket"] == pair[1]
    assert 3.6 * limit_speed_ms(adjusted(car, sheet), 1) == pytest.approx(KART.top_kmh, rel=1e-3)
    item = car.item("sprocket")
    assert item.names[round(pair[1] - item.low)] == f"{pair[0]}/{pair[1]}" and (item.low, item.high, item.step) == (
        pair[1] - 8,
        pair[1] + 8,
        1,
    )
    longer = sheet.stepped(item, -4)
    assert longer is not None
    assert limit_speed_ms(adjusted(car, longer), 1) == pytest.approx(KART.top_kmh / 3.6 * pair[1] / (pair[1] - 4), rel=1e-3)
    said = [one for one in assumed if one.path == "powertrain.gears"]
    assert bool(said) == (abs(car.powertrain.gears[0] - 1.0) > 0.03)
    for typed in ("81 to 90 by 1", "70 to 90 by 0.5", "20 to 100 by 1"):
        with pytest.raises(FileRejected):
            quick_car(replace(told, teeth=(11, 80), adjustable={"final": typed}), "kart")


def test_gears_are_those_told_and_the_last_has_its_speed() -> None:
    told = replace(HATCH, ratios=(3.3, 2.0, 1.4, 1.1, 0.9))
    car, assumed = quick_car(told, "hatch")
    assert [one / car.powertrain.gears[-1] for one in car.powertrain.gears] == pytest.approx([one / 0.9 for one in told.ratios], rel=1e-3)
    assert 3.6 * limit_speed_ms(adjusted(car, base_sheet(car)), 5) == pytest.approx(225, rel=0.002)
    assert not any(one.path == "powertrain.gears" for one in assumed)
    for wrong in ((3.3, 2.0), (1.0, 1.2, 1.4, 1.6, 1.8)):
        with pytest.raises(FileRejected, match="falling numbers"):
            quick_car(replace(HATCH, ratios=wrong), "hatch")


def test_an_oval_car_has_each_spring_and_a_kart_its_seat() -> None:
    oval = Told(
        "Oval",
        "oval",
        1300,
        0.48,
        300,
        6800,
        7200,
        "rear",
        4,
        230,
        tyre_kind="slick",
        adjustable={"corners": "", "spring": "", "cross": ""},
    )
    car, _ = quick_car(oval, "oval")
    keys = {item.key for item in car.items}
    assert {"spring_fl", "spring_fr", "spring_rl", "spring_rr", "cross"} <= keys and "spring_front" not in keys
    sheet = base_sheet(car).stepped(car.item("spring_rr"), 2)
    assert sheet is not None
    moved = adjusted(car, sheet)
    assert moved.rear.spring_n_per_mm[1] == moved.rear.spring_n_per_mm[0] + 10.0
    kart, _ = quick_car(replace(KART, adjustable={"seat": ""}), "kart")
    before = weights(adjusted(kart, base_sheet(kart)))
    back, up = (base_sheet(kart).stepped(kart.item(key), 2) for key in ("seat_back", "seat_up"))
    assert back is not None and weights(adjusted(kart, back)).cg_from_front_m > before.cg_from_front_m
    assert up is not None and weights(adjusted(kart, up)).cg_height_m > before.cg_height_m
    assert {item.key for item in quick_car(replace(HATCH, adjustable={"seat": ""}), "hatch")[0].items} == {"fuel"}


PROTOTYPE = Told(
    "Prototype", "coupe", 1180, 0.46, 380, 7500, 8200, "all", 6, 290, tyre_kind="slick", wing=True, others=("softer", "harder"),
    store=(120.0, 1800.0, 150.0), adjustable=dict.fromkeys(ADJUSTABLE, ""),
)  # fmt: skip


def test_driver_systems_store_and_flap_are_told_in_short() -> None:
    car, assumed = quick_car(PROTOTYPE, "prototype")
    items = {item.key: item for item in car.items}
    assert {"split", "map", "traction", "antilock", "flap", "store", "stagger"} <= set(items)
    assert car.controls.traction[0] == 0.99 and car.controls.traction[-1] == 0.9 and len(car.controls.traction) == 8
    assert items["traction"].range_text == "0 to 8, step 1" and items["traction"].base == 0
    assert (car.boost.power_kw, car.boost.lap_kj, car.boost.recover_kw, car.boost.store_kj) == (120, 1800, 150, 3600)
    assert items["store"].base == 1800 and items["store"].unit == "kJ"
    assert car.aero.flap_drag_area_m2 == pytest.approx(0.6 * 4 * car.aero.wing_drag_area_m2, abs=1e-4)
    assert items["flap"].name_of(1) == "in zones"
    keys = [one.key for one in car.tyres.compounds]
    assert keys == ["slick", "softer", "harder", "intermediate", "wet"] and len({one.letter for one in car.tyres.compounds}) == 5
    slick, softer, harder = car.tyres.compounds[:3]
    assert softer.mu > slick.mu > harder.mu and softer.wear_per_mj > slick.wear_per_mj > harder.wear_per_mj
    assert (softer.wet_loss, softer.wet_power) == (slick.wet_loss, slick.wet_power)
    assert {"boost.store_kj", "boost.recovered", "tyres.compounds.1.mu", "tyres.compounds.2.mu"} <= {one.path for one in assumed}


@pytest.mark.parametrize(
    ("key", "typed", "words"),
    [("traction", "3 to 8 by 1", "levels"), ("antilock", "0 to 40 by 1", "levels"), ("traction", "0 to 8 by 2", "levels")],
)
def test_levels_that_cannot_be_are_refused(key: str, typed: str, words: str) -> None:
    with pytest.raises(FileRejected, match=words):
        quick_car(replace(PROTOTYPE, adjustable={key: typed}), "x")


def test_a_flap_needs_its_wing() -> None:
    with pytest.raises(FileRejected, match="no rear wing"):
        quick_car(replace(PROTOTYPE, wing=False, adjustable={"flap": ""}), "x")
