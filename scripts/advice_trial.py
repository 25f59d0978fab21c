"""How often advice finds what was put wrong: virtual cars on sheets of their own with one item or a pair moved far, felt by their driver,
advised by the book; and how often it finds something wrong where nothing is."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from apexcore.circuit.line import CornerSpan
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.moves.acts import acts_on
from apexcore.trim.moves.advice import SEVERITY_PCT, HandlingReport, Phase, Read, advise, read, reported_balance
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet, base_sheet, is_drivable
from apexcore.virtual.world import true_car
from tests.conftest import demo_car, demo_circuit, demo_lap_case

_FEN = ("brackendale_gt", "ferrow_lark", "pentlow_hare")
PLACES = [*[(key, "sallowmere_fen") for key in _FEN], ("drummock_stallard", "hollin_bowl"), ("wisp_125", "quernlow")]
#: A wrong item that moves no phase by this much is not felt [%].
_FELT = 0.8
#: What is wrong costs a lap as much at least [s].
_COSTS_S = 0.03
_PHASES: tuple[Phase, ...] = ("braking", "entry", "mid", "exit")


@dataclass(frozen=True)
class Trial:
    """:param item: what was put wrong
    :param steps: by how much
    :param feeling: what the virtual driver says
    :param named: whether one of the first three changes moves that item back
    :param equal: whether one of them makes the true car as good in what was felt, and no slower than it was when right"""

    car: str
    item: str
    steps: int
    report: HandlingReport
    named: bool
    equal: bool


def _truth(lap_case: LapCase, seed: int) -> LapCase:
    car = true_car(lap_case.car, seed)
    first = car.tyres.compound(lap_case.compounds[0].key)
    return replace(lap_case, car=car, compounds=(first, first))


def _feeling(right: Read, wrong: Read) -> tuple[HandlingReport, float] | None:
    """What changed most, in a driver's words, and by how much [%]."""
    worst: tuple[HandlingReport, float] | None = None
    for phase in _PHASES:
        ask = HandlingReport(phase, "front")
        before, after = reported_balance(right, ask), reported_balance(wrong, ask)
        if before is None or after is None or (worst and abs(after - before) <= abs(worst[1])):
            continue
        change = after - before
        how = min(SEVERITY_PCT, key=lambda words: abs(SEVERITY_PCT[words] - abs(change)))
        worst = HandlingReport(phase, "front" if change > 0 else "rear", how), change
    return worst if worst and abs(worst[1]) >= _FELT else None


def _together(items: Sequence[Item]) -> list[tuple[Item, ...]]:
    """What goes wrong at once: an item, or both wheels of an axle."""
    pairs = [
        (left, right) for left in items for right in items
        if left.sets[:-1] == right.sets[:-1] and (left.sets[-1], right.sets[-1]) in (("0", "1"), ("2", "3"))
    ]  # fmt: skip
    return [*((item,) for item in items if not item.sets[-1].isdecimal()), *pairs]


def displaced(lap_case: LapCase, rng: np.random.Generator) -> Sheet:
    """A racer's own sheet: what a feeling is answered with stands up to two steps from the maker's values; ratios and weights as made."""
    base = base_sheet(lap_case.car)
    while True:
        values = dict(base.values)
        for item in lap_case.car.items:
            if item.tunes_lap and acts_on(item):
                values[item.key] = item.nearest_allowed(values[item.key] + item.step * int(rng.integers(-2, 3)))
        sheet = Sheet(base.car_key, values)
        if is_drivable(lap_case.car, sheet):
            return sheet


def trial(car_key: str, circuit_key: str, seed: int) -> Trial | None:
    """One case; None where what was drawn cannot be felt, or costs less than three hundredths."""
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    rng = np.random.default_rng([seed, 40])
    felt = [item for item in demo_car(car_key).items if item.tunes_lap and acts_on(item)]  # what a feeling is answered with
    groups = _together(felt)
    group = groups[int(rng.integers(len(groups)))]
    truth, good = _truth(lap_case, seed), displaced(lap_case, rng)
    way, values = int(rng.choice((-1, 1))), dict(good.values)
    for item in group:
        far = 40.0 if item.sets.startswith("tyres.cold_kpa") else 0.35 * (item.high - item.low)
        values[item.key] = item.nearest_allowed(values[item.key] + way * far)
    wrong = Sheet(good.car_key, values)
    steps = round((values[group[0].key] - good.values[group[0].key]) / group[0].step)
    if steps == 0 or not is_drivable(lap_case.car, wrong):
        return None
    right_lap = solve_lap(truth, good)
    wrong_lap = solve_lap(truth, wrong, initial_guess=right_lap)
    found = _feeling(read(right_lap, spans), read(wrong_lap, spans))
    if found is None or wrong_lap.time_s - right_lap.time_s < _COSTS_S:
        return None
    report, change = found
    first = advise(lap_case, spans, wrong, report, felt, most=3, bumps=_bumps(circuit_key))
    keys = {item.key for item in group}
    named = any(move.key in keys and count * steps < 0 for candidate in first for move, count, _ in candidate.moves)
    equal = any(_as_good(truth, spans, wrong, candidate.moves, report, read(right_lap, spans), change) for candidate in first)
    return Trial(car_key, " and ".join(item.name for item in group), steps, report, named, equal)


def _bumps(circuit_key: str) -> list[tuple[float, float]]:
    return [(mark.at_m, mark.height_mm) for mark in demo_circuit(circuit_key).markers if mark.kind == "bump"]


def said_wrong(car_key: str, circuit_key: str, seed: int) -> bool:
    """Whether advice finds something to mend on a car with nothing wrong, of which a driver complains all the same."""
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    rng = np.random.default_rng([seed, 41])
    sheet = displaced(lap_case, rng)
    phase, end = _PHASES[int(rng.integers(1, 4))], ("front", "rear")[int(rng.integers(2))]
    report = HandlingReport(phase, end, list(SEVERITY_PCT)[int(rng.integers(3))])  # type: ignore[arg-type]
    return any(one.mends for one in advise(lap_case, spans, sheet, report, lap_case.car.items, bumps=_bumps(circuit_key)))


def _as_good(
    truth: LapCase,
    spans: Sequence[CornerSpan],
    wrong: Sheet,
    moves: Sequence[tuple[Item, int, float]],
    report: HandlingReport,
    right: Read,
    change: float,
) -> bool:
    """Whether a change brings back at least two thirds of what was lost in balance, and all of the lap time, on the true car."""
    values = {**wrong.values, **{item.key: value for item, _, value in moves}}
    now = read(solve_lap(truth, Sheet(wrong.car_key, values), initial_guess=right.lap), spans)
    after, before = reported_balance(now, report), reported_balance(right, report)
    assert after is not None and before is not None
    return abs(after - before) <= abs(change) / 3 and now.lap.time_s <= right.lap.time_s + 0.005


def trials(seeds: range) -> list[Trial]:
    """All cases that can be felt."""
    found = [trial(car, circuit, seed) for seed in seeds for car, circuit in PLACES]
    return [trial for trial in found if trial is not None]
