"""What one step of an item does."""

import math
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from ...circuit.line import CornerSpan
from ...lap.solver import Lap, LapCase, solve_lap
from ...quantities.spread import half_interval
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from ...vehicle.tyres import Four, four
from ..reading.balance import CornerBalance, Phases, balance_changes, corner_balances

#: Standard deviation of what the book car, driven like a front runner or a midfielder, predicts for a change of the sheet
#: against what the virtual driver (between the two) finds on the virtual cars: a share of the change, and a rest [s].
#: Source: eight virtual cars, every item, one step either way, and a dozen sheets with four items moved (docs/model.md,
#: "How sure"; a test keeps it true).
MODEL_SPREAD = 0.35
MODEL_REST_S = 0.003


def difference_spread_s(change_s: float) -> float:
    """Half the width of the 95 % interval of a modelled difference of lap time [s]."""
    return half_interval(math.hypot(MODEL_SPREAD * change_s, MODEL_REST_S))


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
        return difference_spread_s(self.lap_s)


#: Change of balance on entry per degree of toe-in at the front, least and most [%]. Source: an estimate, after a study of the car's
#: response (docs/model.md, toe): the quasi-steady lap has no turning in.
TOE_ENTRY_PCT_PER_DEG = (2.0, 4.0)

_NOTHING: Four = (0.0, 0.0, 0.0, 0.0)


def step_effects(
    lap_case: LapCase, sheet: Sheet, items: Iterable[Item], base: Lap | None = None, spans: Sequence[CornerSpan] = ()
) -> list[StepEffect]:
    """Effects of one step down and one step up of each item.

    The sheet itself is solved once more from its own lap, as its neighbours are, so that what the settling of the heat
    leaves undone cancels. Two threads: the kernel lets go of the interpreter while it runs.

    :param spans: corners whose balance is asked for
    """
    begin = base if base is not None else solve_lap(lap_case, sheet)
    moves = [(item, steps, _possible(lap_case, sheet.stepped(item, steps))) for item in items for steps in (-1, 1)]
    with ThreadPoolExecutor(2) as pool:
        again = pool.submit(solve_lap, lap_case, sheet, initial_guess=begin)
        laps = list(pool.map(lambda move: _lap(lap_case, move[0], move[2], begin), moves))
    reference = again.result()
    before = corner_balances(reference, spans)
    return [_effect(item, steps, moved, lap, reference, spans, before) for (item, steps, moved), lap in zip(moves, laps, strict=True)]


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
    return StepEffect(
        item, steps, value, lap.time_s - reference.time_s, lap.top_speed_ms - reference.top_speed_ms,
        balance_changes(after, before) if spans else {}, heat, work, lap.fuel_l - reference.fuel_l,
        tuple(_phase_changes(a, b) for a, b in zip(after, before, strict=True)),
    )  # fmt: skip


def _phase_changes(after: CornerBalance, before: CornerBalance) -> Phases:
    entry, mid, exit_ = (None if a is None or b is None else a - b for a, b in zip(after.balance, before.balance, strict=True))
    return entry, mid, exit_
