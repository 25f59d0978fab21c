"""What one step of an item does."""

import math
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...circuit.line import CornerSpan, Line
from ...errors import SolverError
from ...lap.solver import Lap, LapCase, solve_lap
from ...quantities.spread import half_interval
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from ...vehicle.tyres import Four, four
from ..reading.balance import CornerBalance, Phases, balance_changes, corner_balances
from ..reading.bounds import Drivable

#: Standard deviation of what the book car, driven like a front runner or a midfielder, predicts for a change of the sheet
#: against what the virtual driver (between the two) finds on the virtual cars: a share of the change, and a rest [s].
#: Source: eight virtual cars, every item, one step either way, and a dozen sheets with four items moved (docs/model.md,
#: "How sure"; a test keeps it true).
MODEL_SPREAD = 0.35
MODEL_REST_S = 0.003


def difference_spread_s(change_s: float) -> float:
    """Half the width of the 95 % interval of a modelled difference of lap time on one line [s]."""
    return half_interval(math.hypot(MODEL_SPREAD * change_s, MODEL_REST_S))


#: Standard deviation of what the line adds to a difference between two sheets: where each takes the best of a few lines, a share of how
#: differently two lines read it that were searched for apart, a share of the difference, and a rest [s]; where it was read on too few
#: to tell, a share of the difference and a rest [s]. Source: a study of 88 steps on ten pairs of car and circuit (docs/model.md).
_DISAGREE, _LINE_SHARE, _LINE_REST_S = 0.5, 0.2, 0.006
_LINE_SHARE_ALONE, _LINE_REST_ALONE_S = 0.25, 0.008


#: Of what a change gains and loses along the lap, to and fro, the share that another line can make of it at most: what hardly moves the
#: car anywhere moves no line [-].
_STIRRED_SHARE = 0.5


def line_spread_s(change_s: float, disagree_s: float | None = None, stirred_s: float = math.inf) -> float:
    """Half the width of the 95 % interval of a difference between two sheets that comes from the lines they were read on [s].

    :param disagree_s: how differently two lines that were searched for apart read it [s]; None where that is not known
    :param stirred_s: what it gains and loses along the lap together [s]
    """
    rest_s = _LINE_REST_ALONE_S if disagree_s is None else _LINE_REST_S
    share = _LINE_SHARE_ALONE if disagree_s is None else _LINE_SHARE
    return half_interval(math.hypot(_DISAGREE * (disagree_s or 0.0), share * change_s, min(rest_s, _STIRRED_SHARE * stirred_s)))


def sheets_spread_s(change_s: float, disagree_s: float | None = None, stirred_s: float = math.inf) -> float:
    """Half the width of the 95 % interval of a modelled difference between two sheets, of the car's model and of the lines together [s].

    :param disagree_s: of `line_spread_s`
    :param stirred_s: likewise
    """
    return math.hypot(difference_spread_s(change_s), line_spread_s(change_s, disagree_s, stirred_s))


#: Half the width of the 95 % interval of a book car's lap time, over the lap time: two standard deviations over the virtual
#: cars (docs/model.md, "How sure").
LAP_SPREAD = 0.006


def lap_spread_s(lap_s: float) -> float:
    """Half the width of the 95 % interval of a modelled lap time [s]."""
    return LAP_SPREAD * lap_s


@dataclass(frozen=True)
class StepEffect:
    """One step of one item, modelled.

    :param steps: -1 or +1
    :param value: the item's value after it, in its unit; None where the range ends or the item is locked
    :param lap_s: change of lap time [s], negative is quicker
    :param top_ms: change of the lap's top speed [m/s]
    :param balance: change of balance by (corner speed, phase) [%]; empty if no corners were asked for
    :param tread_k: change of each tread's settled temperature [K]
    :param work: change of each tyre's sliding work, which wears it, as a share of what it was [-]
    :param fuel_l: change of fuel burnt in a lap [l]
    :param corners: change of balance at each corner asked for, in order: entry, mid, exit [%]
    :param disagree_s: how differently two lines that were searched for apart read the lap time [s]; None where that is not known
    :param stirred_s: time that it gains and loses along the lap, both counted as losses [s]
    :param corner_s: of that lap time, what each corner asked for has [s]; empty if none was
    :param between_s: and what lies between them [s]
    :param front_load_pct: change of the front axle's share of the load that moves across in the corners [%]
    :param past: bounds of what can be driven that it goes past, by name (`bounds.BOUNDS`); of steps that are clearly quicker alone
    """

    item: Item
    steps: int
    value: float | None
    lap_s: float
    top_ms: float
    balance: Mapping[tuple[str, str], float | None]
    tread_k: Four
    work: Four
    fuel_l: float
    corners: tuple[Phases, ...] = ()
    disagree_s: float | None = None
    stirred_s: float = math.inf
    past: tuple[str, ...] = ()
    corner_s: tuple[float, ...] = ()
    between_s: float = 0.0
    front_load_pct: float = 0.0

    @property
    def text(self) -> str:
        """The item's value after it, with unit or name; empty where there is no such step."""
        return "" if self.value is None else self.item.text(self.value)

    @property
    def turn_in_pct(self) -> tuple[float, float] | None:
        """What front toe does to the balance on entry, which the lap does not have: from and to [%]; None of other items."""
        if self.item.sets != "front.toe_deg" or self.value is None:
            return None
        change = self.steps * self.item.step * self.item.scale
        ends = sorted(change * per for per in TOE_ENTRY_PCT_PER_DEG)
        return ends[0], ends[1]

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `lap_s` [s]."""
        return sheets_spread_s(self.lap_s, self.disagree_s, self.stirred_s)

    @property
    def is_clear(self) -> bool:
        """Whether the interval of `lap_s` leaves out that nothing changes."""
        return abs(self.lap_s) > self.spread_s


#: Change of balance on entry per degree of toe-in at the front, least and most [%]. Source: an estimate, after a study of the car's
#: response (docs/model.md, toe): the quasi-steady lap has no turning in.
TOE_ENTRY_PCT_PER_DEG = (2.0, 4.0)

_NOTHING: Four = (0.0, 0.0, 0.0, 0.0)


def step_effects(
    lap_case: LapCase, sheet: Sheet, items: Iterable[Item], base: Lap | None = None, spans: Sequence[CornerSpan] = (),
    others: Sequence[Line] = (), bumps: Sequence[tuple[float, float]] = (),
) -> list[StepEffect]:  # fmt: skip
    """Effects of one step down and one step up of each item.

    The sheet itself is solved once more from its own lap, as its neighbours are, so that what the settling of the heat
    leaves undone cancels. Two threads: the kernel lets go of the interpreter while it runs.

    :param spans: corners whose balance is asked for
    :param others: further lines: of lap times, each sheet takes the best of all; the rest is read on the line of the case
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    """
    begin = base if base is not None else solve_lap(lap_case, sheet)
    moves = [(item, steps, _possible(lap_case, sheet.stepped(item, steps))) for item in items for steps in (-1, 1)]
    with ThreadPoolExecutor(2) as pool:
        again = pool.submit(solve_lap, lap_case, sheet, initial_guess=begin)
        laps = list(pool.map(lambda move: _lap(lap_case, move[0], move[2], begin), moves))
        own_s, elsewhere = [], []
        for line in others:
            there = replace(lap_case, line=line)
            start = begin_lap(there, sheet)
            own_s.append(time_s(there, sheet, start))
            elsewhere.append(list(pool.map(partial(_time_s, there, start), moves)))
    reference = again.result()
    before = corner_balances(reference, spans)
    found = [_effect(item, steps, moved, lap, reference, spans, before) for (item, steps, moved), lap in zip(moves, laps, strict=True)]
    if others:
        best_s = min([reference.time_s, *own_s])
        found = [
            effect if lap is None else replace(effect, lap_s=min([lap.time_s, *(times[number] for times in elsewhere)]) - best_s)
            for number, (effect, lap) in enumerate(zip(found, laps, strict=True))
        ]
    return _with_bounds(lap_case, sheet, found, moves, laps, reference, spans, bumps) if spans else found


def _with_bounds(
    lap_case: LapCase, sheet: Sheet, effects: list[StepEffect], moves: Sequence[tuple[Item, int, Sheet | None]], laps: Sequence[Lap | None],
    reference: Lap, spans: Sequence[CornerSpan], bumps: Sequence[tuple[float, float]],
) -> list[StepEffect]:  # fmt: skip
    """The effects, those that are clearly quicker with the bounds that they go past."""
    quick = [number for number, effect in enumerate(effects) if effect.is_clear and effect.lap_s < 0.0]
    if not quick:
        return effects
    drivable = Drivable(lap_case, sheet, reference, spans, bumps)
    for number in quick:
        (_, _, moved), lap = moves[number], laps[number]
        if moved is not None and lap is not None:
            effects[number] = replace(effects[number], past=tuple(drivable.past(moved, lap)))
    return effects


def time_s(lap_case: LapCase, sheet: Sheet, initial_guess: Lap | None) -> float:
    """The lap time of a sheet from a lap of another; infinite where the car cannot take the line, or there is no such lap [s]."""
    if initial_guess is None:
        return math.inf
    try:
        return solve_lap(lap_case, sheet, initial_guess=initial_guess).time_s
    except SolverError:
        return math.inf


def begin_lap(lap_case: LapCase, sheet: Sheet) -> Lap | None:
    """The lap of a sheet that its neighbours begin from; None where the car cannot take the line."""
    try:
        return solve_lap(lap_case, sheet)
    except SolverError:
        return None


def _time_s(lap_case: LapCase, begin: Lap | None, move: tuple[Item, int, Sheet | None]) -> float:
    """The lap time of a stepped sheet on a further line [s]; infinite where there is no such step, or it cannot change the lap."""
    item, _, moved = move
    return math.inf if moved is None or item.damper_only else time_s(lap_case, moved, begin)


def lowest_steps(down: StepEffect, up: StepEffect) -> float:
    """Steps to the lowest lap time by the parabola through both neighbours; 0 at an end of the range or on a slope."""
    if down.value is None or up.value is None:
        return 0.0
    bend, slope = 0.5 * (up.lap_s + down.lap_s), 0.5 * (up.lap_s - down.lap_s)
    return -slope / (2.0 * bend) if bend > 1e-6 else 0.0


def _possible(lap_case: LapCase, moved: Sheet | None) -> Sheet | None:
    """The sheet, None where the car does not stand on it (a gear above the one before, a wheel without load)."""
    return moved if moved is not None and is_drivable(lap_case.car, moved) else None


def _lap(lap_case: LapCase, item: Item, moved: Sheet | None, begin: Lap) -> Lap | None:
    """The stepped lap; None where there is no such step, or where it cannot change the lap."""
    return None if moved is None or item.damper_only else solve_lap(lap_case, moved, initial_guess=begin)


def _effect(
    item: Item,
    steps: int,
    moved: Sheet | None,
    lap: Lap | None,
    reference: Lap,
    spans: Sequence[CornerSpan],
    before: Sequence[CornerBalance],
) -> StepEffect:
    value = moved.values[item.key] if moved else None
    if lap is None:
        return StepEffect(item, steps, value, 0.0, 0.0, {}, _NOTHING, _NOTHING, 0.0)
    after = corner_balances(lap, spans)
    heat = four(a - b for a, b in zip(lap.tyres.temperature_c, reference.tyres.temperature_c, strict=True))
    work = four(a / max(b, 1e-9) - 1.0 for a, b in zip(lap.slip_energy_j, reference.slip_energy_j, strict=True))
    change = lap.column("time") - reference.column("time")
    inside = [np.arange(span.first, span.last + 1) % len(change) for span in spans]
    corner_s = tuple(float(change[there].sum()) for there in inside)
    return StepEffect(
        item, steps, value, lap.time_s - reference.time_s, lap.top_speed_ms - reference.top_speed_ms,
        balance_changes(after, before) if spans else {}, heat, work, lap.fuel_l - reference.fuel_l,
        tuple(_phase_changes(a, b) for a, b in zip(after, before, strict=True)),
        stirred_s=float(np.abs(change).sum()), corner_s=corner_s, between_s=float(change.sum()) - sum(corner_s),
        front_load_pct=_front_load_pct(lap, inside) - _front_load_pct(reference, inside),
    )  # fmt: skip


def _front_load_pct(lap: Lap, inside: Sequence[NDArray[np.intp]]) -> float:
    """The front axle's share of the load that moves across in corners, by time [%]; 0 without corners.

    :param inside: stations of each corner
    """
    if not inside:
        return 0.0
    there = np.concatenate(inside)
    dt = lap.column("time")[there]
    front, rear = (float(np.abs(lap.column(f"load_{a}") - lap.column(f"load_{b}"))[there] @ dt) for a, b in (("fl", "fr"), ("rl", "rr")))
    return 100.0 * front / max(front + rear, 1e-9)


def _phase_changes(after: CornerBalance, before: CornerBalance) -> Phases:
    entry, mid, exit_ = (None if a is None or b is None else a - b for a, b in zip(after.balance, before.balance, strict=True))
    return entry, mid, exit_
