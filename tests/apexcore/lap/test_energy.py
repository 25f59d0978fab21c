"""An energy store: where it is spent against a dynamic programme, exchanges and the price; what it holds by hand."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import CornerSpan, corners, racing_line
from apexcore.lap.energy import allowed_kj, orders_for, planned, recovered_kj, spends, spent_kj, swing_kj, worth
from apexcore.lap.orders import orders_of
from apexcore.lap.record import BOOST_W, BRAKE_W, COLUMNS, SPENDING, TIME
from apexcore.lap.saving import lifts
from apexcore.lap.solver import Lap, LapCase, also_told, ready, run_at, solve_lap, spending_as
from apexcore.lap.stint import solve_stint
from apexcore.trim.corner import CornerDesk
from apexcore.trim.deployment import by_energy, deployment
from apexcore.vehicle.car import Boost, Car
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from tests.amounts import many
from tests.apexcore.lap.deployment import spent_by_programme
from tests.apexcore.lap.test_orders import FOUR
from tests.conftest import demo_car, demo_circuit


def boosted(key: str, **store: float) -> Car:
    return demo_car(key).model_copy(update={"boost": Boost(**store)})


@cache
def case_of(
    key: str, circuit: str, power_kw: float, lap_kj: float, recover_kw: float = 0.0
) -> tuple[LapCase, Sheet, tuple[CornerSpan, ...]]:
    car = boosted(key, power_kw=power_kw, lap_kj=lap_kj, recover_kw=recover_kw, store_kj=2000.0)
    course = FOUR if circuit == "four" else demo_circuit(circuit)
    line, first = racing_line(course, car_width_m=car.width_m), car.tyres.compounds[0]
    return LapCase(car, line, Conditions(), (first, first)), base_sheet(car), tuple(corners(course, line))


@cache
def lap_of(key: str, circuit: str, power_kw: float, lap_kj: float, recover_kw: float = 0.0) -> Lap:
    case, sheet, _ = case_of(key, circuit, power_kw, lap_kj, recover_kw)
    return solve_lap(case, sheet)


FEN = ("brackendale_gt", "sallowmere_fen", 100.0, 800.0, 100.0)


def driven(case: LapCase, sheet: Sheet, lap: Lap, share: np.ndarray) -> Lap:
    """The lap with the store used so, on the same tyres."""
    told = also_told(case, orders_for(case.line, share))
    return run_at(told, ready(case, adjusted(case.car, sheet)), lap.tyres, case.line, lap.ripple)


USUAL = [("brackendale_gt", "sallowmere_fen", 100.0, 400.0), ("pentlow_hare", "quernlow", 60.0, 150.0)]
ALL = [
    (key, circuit, power, kj)
    for key in ("brackendale_gt", "ferrow_lark", "pentlow_hare", "drummock_stallard")
    for circuit in ("sallowmere_fen", "quernlow", "hollin_bowl", "four")
    for power, kj in ((100.0, 400.0), (60.0, 150.0))
]


def against_programme(key: str, circuit: str, power_kw: float, lap_kj: float) -> float:
    """How much slower the product spends what a programme found a place for than that programme does [s]; also used by the proof page."""
    plain, sheet, _ = case_of(key, circuit, 0.0, 0.0)
    base = solve_lap(plain, sheet)
    car = adjusted(boosted(key, power_kw=power_kw, lap_kj=lap_kj), sheet)
    share = spent_by_programme(car, plain.line, base, plain.conditions, lap_kj)
    case, _, _ = case_of(key, circuit, power_kw, lap_kj)
    reached = spent_kj(driven(case, sheet, base, share).data)  # what the tyres let it spend of that
    case, _, _ = case_of(key, circuit, power_kw, round(reached, 3))
    ours = solve_lap(case, sheet)
    assert spent_kj(ours.data) < 1.01 * reached + 2.0 and ours.time_s < base.time_s - 0.03
    return ours.time_s - driven(case, sheet, ours, share).time_s


@pytest.mark.thorough
@pytest.mark.parametrize(("key", "circuit", "power", "kj"), many(USUAL, ALL))
def test_no_programme_spends_the_same_energy_better(key: str, circuit: str, power: float, kj: float) -> None:
    assert against_programme(key, circuit, power, kj) < 0.02


@pytest.mark.thorough
def test_no_exchange_of_energy_between_two_places_is_quicker() -> None:
    case, sheet, _ = case_of(*FEN)
    lap, rng = lap_of(*FEN), np.random.default_rng(3)
    used = orders_of(case.driver, case.line, lap.spending)[:, SPENDING]
    on, off = np.flatnonzero((used > 0.99) & (lap.data[:, BOOST_W] > 5e4)), np.flatnonzero((used < 0.01) & (lap.column("throttle") > 0.99))
    gains = []
    for _ in range(many(12, 150)):
        share, width = used.copy(), 6
        take, give = int(rng.choice(on)), int(rng.choice(off))
        share[take : take + width] = 0.0
        share[give : give + width] = np.maximum(share[give : give + width], 1.0)
        other = driven(case, sheet, lap, share)
        moved = spent_kj(other.data) - spent_kj(lap.data)
        gains.append(lap.time_s - other.time_s - lap.price_s_per_kj * moved)
    assert max(gains) < 0.003


@pytest.mark.thorough
def test_the_price_is_what_the_next_kilojoule_saves() -> None:
    for power, kj in many(((100.0, 300.0),), ((100.0, 300.0), (60.0, 200.0), (160.0, 600.0))):
        less, more = (lap_of("brackendale_gt", "sallowmere_fen", power, kj + step) for step in (-15.0, 15.0))
        middle = lap_of("brackendale_gt", "sallowmere_fen", power, kj)
        assert (less.time_s - more.time_s) / 30.0 == pytest.approx(middle.price_s_per_kj, rel=0.2)


def test_what_may_be_spent_is_spent_and_no_more() -> None:
    for one in (FEN, ("brackendale_gt", "sallowmere_fen", 60.0, 150.0), ("pentlow_hare", "quernlow", 60.0, 150.0)):
        case, sheet, _ = case_of(*one)
        lap = lap_of(*one)
        may = allowed_kj(adjusted(case.car, sheet), lap.data)
        assert spent_kj(lap.data) == pytest.approx(may, rel=3e-3)
    # braking puts back less than the sheet would spend: then that is what may be spent
    case, sheet, _ = case_of("brackendale_gt", "quernlow", 100.0, 800.0, 40.0)
    lap, car = lap_of("brackendale_gt", "quernlow", 100.0, 800.0, 40.0), adjusted(case.car, sheet)
    assert spent_kj(lap.data) <= 1.005 * recovered_kj(car, lap.data) < 800.0


def test_energy_is_counted_by_hand() -> None:
    data = np.zeros((4, len(COLUMNS)))
    data[:, TIME] = (1.0, 2.0, 1.0, 0.5)
    data[:, BOOST_W], data[:, BRAKE_W] = (50e3, 0.0, 0.0, 20e3), (0.0, 30e3, 200e3, 0.0)
    car = boosted("brackendale_gt", power_kw=60.0, lap_kj=500.0, recover_kw=20.0, recovered=0.5, store_kj=40.0)
    rear = 1.0 - car.brakes.front_share
    back = 0.5 * (2.0 * min(30.0 * rear, 20.0) + 1.0 * min(200.0 * rear, 20.0))
    assert spent_kj(data) == pytest.approx(60.0)
    assert recovered_kj(car, data) == pytest.approx(back)
    assert allowed_kj(car, data) == pytest.approx(back)
    assert swing_kj(car, data) == pytest.approx(max(50.0, 60.0 - back, back))
    four = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"front_drive_share": 0.4})})
    assert recovered_kj(four, data) == pytest.approx(0.5 * (2.0 * 20.0 + 20.0))
    assert allowed_kj(car.model_copy(update={"boost": car.boost.model_copy(update={"recover_kw": 0.0})}), data) == 500.0
    assert not spends(demo_car("brackendale_gt")) and spends(car)


def test_the_engine_drives_first_and_burns_no_more() -> None:
    lap, plain = lap_of(*FEN), solve_lap(*case_of("brackendale_gt", "sallowmere_fen", 0.0, 0.0)[:2])
    boosted_ = lap.data[:, BOOST_W] > 1.0
    assert (lap.column("throttle")[boosted_] > 0.97).all()
    assert not plain.data[:, BOOST_W].any()
    assert lap.fuel_l == pytest.approx(plain.fuel_l, rel=0.03)
    assert lap.data[:, BOOST_W].max() < 100_001.0


def test_a_neighbour_begins_from_a_plan_and_agrees() -> None:
    case, sheet, _ = case_of(*FEN)
    item = case.car.item("wing")
    other = sheet.stepped(item, 1)
    assert other is not None
    alone, beside = solve_lap(case, other), solve_lap(case, other, initial_guess=lap_of(*FEN))
    assert beside.time_s == pytest.approx(alone.time_s, abs=0.002)
    assert spent_kj(beside.data) == pytest.approx(spent_kj(alone.data), rel=0.005)


def test_what_is_asked_of_a_lap_spends_as_the_lap_did() -> None:
    case, sheet, spans = case_of(*FEN)
    lap = lap_of(*FEN)
    desk = CornerDesk(case, sheet, lap, spans, spans[2].number, 5.0)
    again = run_at(desk.lap_case, desk.ready, lap.tyres, desk.lap_case.line, lap.ripple)
    assert again.time_s == pytest.approx(lap.time_s, abs=1e-6)
    assert lifts(case, sheet, lap, spans).cost_s.min() > -1e-3
    laps = solve_stint(case, sheet, 30.0, 3)
    assert spent_kj(laps[-1].lap.data) > 0.8 * spent_kj(lap.data)
    assert spending_as(case, replace(lap, spending=())) is case


def test_stretches_add_up_and_save_what_they_say() -> None:
    case, sheet, _ = case_of(*FEN)
    lap = lap_of(*FEN)
    found = deployment(case, sheet, lap)
    assert sum(one.kj for one in found.stretches) == pytest.approx(found.spent_kj, abs=2.0)
    longest = max(found.stretches, key=lambda one: one.kj)
    assert longest.saves_s / longest.kj > 0.8 * lap.price_s_per_kj
    assert found.holds and found.swing_kj < 2000.0
    curve = by_energy(case, sheet, lap)
    assert curve[0][0] == 0.0 and curve[-1][1] == pytest.approx(lap.time_s, abs=0.003)
    slopes = np.diff([time for _, time in curve]) / np.diff([kj for kj, _ in curve])
    assert (slopes < 0.0).all() and (np.diff(slopes) > -1e-4).all()  # each kilojoule saves, and less than the one before


def test_a_joule_is_worth_nothing_where_the_throttle_is_not_open() -> None:
    case, sheet, _ = case_of(*FEN)
    lap = lap_of(*FEN)
    saves, there = worth(adjusted(case.car, sheet), case.line, lap.data)
    assert not there[lap.column("brake") > 0.05].any() and (saves >= 0.0).all()
    straight = np.flatnonzero(there & (case.line.s > 3000))
    assert saves[straight[5]] > saves[straight[-1]]  # early on a straight it lasts
    nothing = planned(adjusted(case.car, sheet), case.line, lap.data, np.zeros(len(saves)), 0.0)
    assert not nothing.share.any()
