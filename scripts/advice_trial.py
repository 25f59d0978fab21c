"""How often advice finds what was put wrong: virtual cars with one item moved, felt by their driver, advised by the book."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from apexcore.circuit.line import CornerSpan
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.moves.acts import acts_on
from apexcore.trim.moves.advice import SEVERITY_PCT, HandlingReport, Phase, Read, advise, read, reported_balance
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet, base_sheet
from apexcore.virtual.world import true_car
from tests.conftest import demo_car, demo_lap_case

_FEN = ("brackendale_gt", "ferrow_lark", "pentlow_hare")
PLACES = [*[(key, "sallowmere_fen") for key in _FEN], ("drummock_stallard", "hollin_bowl"), ("wisp_125", "quernlow")]
#: A wrong item that moves no phase by this much is not felt [%].
_FELT = 0.8
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


def trial(car_key: str, circuit_key: str, seed: int) -> Trial | None:
    """One case; None where the item drawn cannot be felt."""
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    rng = np.random.default_rng([seed, 40])
    free = [item for item in demo_car(car_key).items if item.tunes_lap]
    felt = [item for item in free if acts_on(item)]  # what a feeling is answered with
    item = felt[int(rng.integers(len(felt)))]
    truth, base = _truth(lap_case, seed), base_sheet(lap_case.car)
    span = round((item.high - item.low) / item.step)
    steps = int(rng.choice((-1, 1))) * max(1, round(0.35 * span))
    value = item.base + steps * item.step
    if not item.low - 1e-9 <= value <= item.high + 1e-9:
        steps = -steps
        value = item.base + steps * item.step
    if not item.low - 1e-9 <= value <= item.high + 1e-9:
        return None
    wrong = Sheet(base.car_key, {**base.values, item.key: item.check(item.nearest(value))})
    right_lap = solve_lap(truth, base)
    right, off = read(right_lap, spans), read(solve_lap(truth, wrong, initial_guess=right_lap), spans)
    found = _feeling(right, off)
    if found is None:
        return None
    report, change = found
    first = advise(lap_case, spans, wrong, report, free, most=3)
    named = any(move.key == item.key and count * steps < 0 for candidate in first for move, count, _ in candidate.moves)
    equal = any(_as_good(truth, spans, wrong, candidate.moves, report, right, change) for candidate in first)
    return Trial(car_key, item.name, steps, report, named, equal)


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
