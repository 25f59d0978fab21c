"""From a feeling to a change: candidates sized in steps, each solved on the model with its price elsewhere in the lap."""

import math
from collections.abc import Collection, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ...circuit.line import CornerSpan
from ...errors import InputError
from ...lap.solver import Lap, LapCase, solve_lap
from ...lap.stint import out_lap_c
from ...quantities.spread import half_interval
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, adjusted, is_drivable
from ..reading.balance import PHASES, SPEEDS, CornerBalance, corner_balances, hard_braking, slowest_station
from ..reading.bounds import Drivable
from ..reading.past import past_limits
from .acts import acts_on
from .causes import allowed, grouped, suspects
from .effects import MODEL_SPREAD, StepEffect, sheets_spread_s, step_effects

Phase = Literal["braking", "entry", "mid", "exit"]
Tyres = Literal["warm", "cold", "worn"]

#: How much balance a racer asks for by how bad it feels [%]. Source: this product's own definition.
SEVERITY_PCT = {"a little": 1.0, "clearly": 2.5, "badly": 5.0}
#: Most steps that one candidate moves at first where no reading asks for more, how many candidates are solved in full, and of those that
#: a reading asks for.
_MOST_STEPS, _SOLVED, _SUSPECTS = 3, 10, 8
#: Share of the wish that a change brings at least [-].
_LEAST_SHARE = 0.1
#: Gain of a lap from which on a change mends something that was wrong: where a reading asks for it, and beyond the spread where none
#: does [s].
_MENDS_READ_S, _MENDS_S = 0.01, 0.05
#: What a reading that asks for a change is worth in its rank [s].
_READ_S = 0.03
#: Standard deviation of a modelled change of balance: as a share of it, and a rest [%]. Source: the share that lap times have
#: (`effects.MODEL_SPREAD`); the rest is what two settled laps of one sheet differ by, many times over.
_SPREAD, _REST = MODEL_SPREAD, 0.05
#: Wear of tyres that a racer calls worn [-].
WORN = 0.45


@dataclass(frozen=True)
class HandlingReport:
    """What the car does, in the racer's words.

    :param phase: where in the corner
    :param end: the end that lets go first: front for understeer, rear for oversteer
    :param severity: how bad it is, a key of `SEVERITY_PCT`
    :param corners: numbers of the corners; empty for all
    :param speed: only corners of this class ("slow", "medium", "fast"); empty for all
    :param tyres: on warm, cold (first lap out) or worn tyres
    """

    phase: Phase
    end: Literal["front", "rear"]
    severity: str = "clearly"
    corners: tuple[int, ...] = ()
    speed: str = ""
    tyres: Tyres = "warm"


@dataclass(frozen=True)
class Candidate:
    """A change that answers the report.

    :param moves: items with their steps and values after it
    :param change: change of the balance felt, towards better positive [%]
    :param lap_s: change of lap time [s]
    :param apex_ms: change of the slowest speed in the corners felt, mean [m/s]
    :param adds_grip: whether it adds grip at the end that slides (those corners get quicker), rather than taking it from the other
    :param elsewhere: change of balance at (corner speed, phase) that moves most apart from the one felt, and where [%]
    :param where: that corner speed and phase
    :param work: greatest growth of a tyre's sliding work and its wheel (0 to 3)
    :param top_ms: change of top speed [m/s]
    :param past: limits that it goes past and the car as it stands does not, in words
    :param reason: the reading that asks for it, in words; empty where it answers the feeling alone
    :param next: what one further step of each would change of the balance felt [%] and of the lap [s]; None where there is no such step
    """

    moves: tuple[tuple[Item, int, float], ...]
    change: float
    lap_s: float
    apex_ms: float
    adds_grip: bool
    elsewhere: float
    where: tuple[str, str]
    work: tuple[float, int]
    top_ms: float
    past: tuple[str, ...] = ()
    reason: str = ""
    next: tuple[float, float] | None = None

    @property
    def mends(self) -> bool:
        """Whether something is wrong that it mends: a reading asks for it and the lap gains, or the lap gains far more than the model may
        be off."""
        return self.lap_s < -(_MENDS_READ_S if self.reason else self.spread_s + _MENDS_S)

    @property
    def change_spread(self) -> float:
        """Half the width of the 95 % interval of `change` [%]."""
        return half_interval(math.hypot(_SPREAD * self.change, _REST))

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `lap_s` [s]."""
        return sheets_spread_s(self.lap_s)


@dataclass(frozen=True)
class Read:
    """A lap read for advice: the balance of every corner, and of its braking."""

    lap: Lap
    corners: tuple[CornerBalance, ...]
    braking: tuple[float | None, ...]
    apex_ms: tuple[float, ...]


def read(lap: Lap, spans: Sequence[CornerSpan]) -> Read:
    """Everything that a feeling may be about."""
    apex = tuple(float(lap.column("speed")[slowest_station(lap, span)]) for span in spans)
    return Read(lap, corner_balances(lap, spans), tuple(_braking(lap, span) for span in spans), apex)


def _braking(lap: Lap, span: CornerSpan) -> float | None:
    """Balance under hard braking before a corner [%]; None where there is none."""
    hard = hard_braking(lap, slowest_station(lap, span))
    return float(lap.column("balance")[hard].mean()) if len(hard) else None


def reported_balance(found: Read, report: HandlingReport) -> float | None:
    """The balance that a feeling is about, mean over its corners [%]; None where no such corner has that phase."""
    cells = []
    for corner, braking in zip(found.corners, found.braking, strict=True):
        if (report.corners and corner.number not in report.corners) or (report.speed and corner.speed != report.speed):
            continue
        value = braking if report.phase == "braking" else corner.balance[PHASES.index(report.phase)]
        if value is not None:
            cells.append(value)
    return float(np.mean(cells)) if cells else None


def advise(
    lap_case: LapCase, spans: Sequence[CornerSpan], sheet: Sheet, report: HandlingReport, items: Iterable[Item],
    known: Sequence[StepEffect] | None = None, most: int = 6, bumps: Sequence[tuple[float, float]] = (), eased: Collection[str] = (),
) -> list[Candidate]:  # fmt: skip
    """Changes that answer a feeling, best first: those that mend something, then those that shift the balance at a price; none where
    nothing helps by more than the model may be off.

    Only what acts in the phase felt is tried (`acts`); what goes past a bound of what can be driven is left out unless that is eased, and
    what pushes something else past a limit comes last.

    What the lap and the sheet show to be off is tried first, as far as it is off (`causes`). Each item, and each axle's pair, is tried by
    one step; those that move the felt balance the right way are sized to what was asked for, three steps at most, solved again as a
    whole, and ranked: how much of the wish they fulfil, less what they cost in lap time and in balance elsewhere. The last candidate may
    be a set of two, half of each.

    :param items: items that may be moved; locked ones and those that never enter the lap are passed over
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    :param known: effects of one step each way on the report's tyres, where they were computed before
    :param eased: names of `bounds.BOUNDS` that need not be kept
    :raises InputError: if no corner has that phase
    :raises SolverError: if the car cannot take the circuit
    """
    if report.tyres == "worn":
        lap_case = replace(lap_case, wear=(WORN,) * 4)
    elif report.tyres == "cold":
        lap_case = replace(lap_case, held_c=out_lap_c(lap_case))
    begin = solve_lap(lap_case, sheet)
    before = read(begin, spans)
    stands = _Stands(lap_case, sheet, begin, spans, bumps, eased, SEVERITY_PCT[report.severity] if report.end == "front" else 0.0)
    if reported_balance(before, report) is None:
        raise InputError(
            "corner", ", ".join(map(str, report.corners)) or report.speed, "a corner that has this phase (no hard braking there?)"
        )
    wanted = SEVERITY_PCT[report.severity]
    free = [item for item in items if item.tunes_lap and report.phase in acts_on(item)]
    keys = {item.key for item in free}
    if known is not None:
        effects = [effect for effect in known if effect.item.key in keys]
    else:
        effects = step_effects(lap_case, sheet, free, begin, spans)
    sized = _sized(lap_case, spans, sheet, report, effects, begin, wanted)
    read_off = suspects(lap_case, adjusted(lap_case.car, sheet), sheet, begin, free, bumps)[:_SUSPECTS]
    tries = [(list(one.moves), one.reason) for one in read_off] + [(moves, "") for moves in sized[:_SOLVED]]

    def solve(one: tuple[list[tuple[Item, int]], str]) -> Candidate | None:
        found = _solved(lap_case, spans, sheet, report, one[0], before, stands)
        return None if found is None else replace(found, reason=one[1])

    with ThreadPoolExecutor(2) as pool:
        solved = list(pool.map(solve, tries))
    good = [one for one in solved if one is not None and one.change > max(one.change_spread, _LEAST_SHARE * wanted)]
    good.sort(key=lambda candidate: _rank(candidate, wanted))
    good = _without_doubles(good)
    pair = _pair(lap_case, spans, sheet, report, good, before, stands)
    if pair is not None and _rank(pair, wanted) < _rank(good[min(most, len(good)) - 1], wanted):
        good = sorted([*good, pair], key=lambda candidate: _rank(candidate, wanted))

    def further(one: Candidate) -> Candidate:
        """With what one more step of each item does."""
        if one.reason:
            return one
        more = [(item, steps + (1 if steps > 0 else -1)) for item, steps, _ in one.moves]
        there = _solved(lap_case, spans, sheet, report, more, before, stands)
        return one if there is None else replace(one, next=(there.change - one.change, there.lap_s - one.lap_s))

    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(further, good[:most]))


def _without_doubles(found: Sequence[Candidate]) -> list[Candidate]:
    """Candidates, best first, without those of which a part or the whole stands before them."""
    kept: list[Candidate] = []
    for one in found:
        keys = {item.key for item, _, _ in one.moves}
        if not any(keys <= (there := {item.key for item, _, _ in other.moves}) or there <= keys for other in kept):
            kept.append(one)
    return kept


def advise_if_free(
    lap_case: LapCase, spans: Sequence[CornerSpan], sheet: Sheet, report: HandlingReport, items: Iterable[Item],
    bumps: Sequence[tuple[float, float]] = (), eased: Collection[str] = (),
) -> list[Candidate]:  # fmt: skip
    """As `advise`, of the items that are locked, as if they were free: what would help if the rules or the maker let it.

    :raises ApexError: as `advise`
    """
    locked = [item.model_copy(update={"locked": False}) for item in items if item.locked]
    car = lap_case.car
    unlocked = {item.key: item for item in locked}
    opened = car.model_copy(update={"items": tuple(unlocked.get(item.key, item) for item in car.items)})
    return advise(replace(lap_case, car=opened), spans, sheet, report, locked, most=3, bumps=bumps, eased=eased) if locked else []


class _Stands:
    """How a car stands to its limits and bounds before anything is changed."""

    def __init__(
        self, lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], bumps: Sequence[tuple[float, float]],
        eased: Collection[str], freer_pct: float,
    ) -> None:  # fmt: skip
        """
        :param freer_pct: of `Drivable`
        """
        self.lap_case, self.bumps, self.eased = lap_case, bumps, eased
        self.limits = set(past_limits(lap_case, adjusted(lap_case.car, sheet), lap, bumps))
        self.drivable = Drivable(lap_case, sheet, lap, spans, bumps, freer_pct)

    def can_be_driven(self, sheet: Sheet, lap: Lap) -> bool:
        """Whether a changed sheet keeps the bounds that are not eased."""
        return not self.drivable.past(sheet, lap, self.eased)

    def new_limits(self, sheet: Sheet, lap: Lap) -> tuple[str, ...]:
        """The limits that a changed sheet goes past and this one does not, in words."""
        found = past_limits(self.lap_case, adjusted(self.lap_case.car, sheet), lap, self.bumps)
        return tuple(words for name, words in found.items() if name not in self.limits)


def _rank(one: Candidate, wanted: float) -> tuple[bool, bool, float]:
    """What goes past a limit comes last, what mends something first; else by price."""
    return bool(one.past), not one.mends, _price(one, wanted)


def _sign(report: HandlingReport) -> float:
    """Direction of balance that helps: away from the end that slides."""
    return -1.0 if report.end == "front" else 1.0


def _sized(
    lap_case: LapCase,
    spans: Sequence[CornerSpan],
    sheet: Sheet,
    report: HandlingReport,
    effects: Sequence[StepEffect],
    begin: Lap,
    wanted: float,
) -> list[list[tuple[Item, int]]]:
    """Items with the steps that should fulfil the wish, those that can fulfil most of it first."""
    reference = read(solve_lap(lap_case, sheet, initial_guess=begin), spans) if report.phase == "braking" else None
    now = corner_balances(begin, spans)
    found: list[tuple[float, float, list[tuple[Item, int]]]] = []
    there = {(effect.item.key, effect.steps): effect for effect in effects if effect.value is not None}
    felt = {
        key: _sign(report) * _felt_change(lap_case, spans, sheet, report, effect, begin, reference, now) for key, effect in there.items()
    }
    for group in grouped(list({effect.item.key: effect.item for effect in effects}.values())):
        for way in (-1, 1):
            keys = [(item.key, way) for item in group]
            if not all(key in there for key in keys):
                continue
            per_step = sum(felt[key] for key in keys)
            if per_step < 0.01:
                continue
            steps = min(abs(allowed(item, sheet, way * min(max(round(wanted / per_step), 1), _MOST_STEPS))) for item in group)
            if steps:
                reach, lap_s = min(per_step * steps / wanted, 1.0), sum(there[key].lap_s for key in keys)
                found.append((-reach, max(lap_s, 0.0) * steps, [(item, way * steps) for item in group]))
    found.sort(key=lambda entry: (round(entry[0], 1), entry[1]))
    return [moves for _, _, moves in found]


def _felt_change(
    lap_case: LapCase,
    spans: Sequence[CornerSpan],
    sheet: Sheet,
    report: HandlingReport,
    one: StepEffect,
    begin: Lap,
    reference: Read | None,
    now: Sequence[CornerBalance],
) -> float:
    """Change of the felt balance by one step [%]."""
    if reference is not None:  # braking is not among the phases of a step's effect
        moved = sheet.stepped(one.item, one.steps)
        assert moved is not None
        after = reported_balance(read(solve_lap(lap_case, moved, initial_guess=begin), spans), report)
        was = reported_balance(reference, report)
        return 0.0 if after is None or was is None else after - was
    place = PHASES.index(report.phase)
    changes = []
    for corner, change in zip(now, one.corners, strict=True):
        value = change[place]
        if value is not None and _meant(corner, report):
            changes.append(value)
    return float(np.mean(changes)) if changes else 0.0


def _solved(
    lap_case: LapCase, spans: Sequence[CornerSpan], sheet: Sheet, report: HandlingReport, moves: Sequence[tuple[Item, int]], before: Read,
    stands: _Stands,
) -> Candidate | None:  # fmt: skip
    """A set of moves, solved; None where the car does not stand on it, or cannot be driven with it."""
    moved: Sheet | None = sheet
    for item, steps in moves:
        moved = moved.stepped(item, steps) if moved is not None else None
    if moved is None or not is_drivable(lap_case.car, moved):
        return None
    now = read(solve_lap(lap_case, moved, initial_guess=before.lap), spans)
    after, was = reported_balance(now, report), reported_balance(before, report)
    if after is None or was is None or not stands.can_be_driven(moved, now.lap):
        return None
    apex = [b - a for corner, a, b in zip(now.corners, before.apex_ms, now.apex_ms, strict=True) if _meant(corner, report)]
    elsewhere, where = _elsewhere(now, before, report)
    work = [b / max(a, 1e-9) - 1.0 for a, b in zip(before.lap.slip_energy_j, now.lap.slip_energy_j, strict=True)]
    wheel = int(np.argmax(work))
    apex_ms = float(np.mean(apex)) if apex else 0.0
    return Candidate(
        tuple((item, steps, moved.values[item.key]) for item, steps in moves),
        _sign(report) * (after - was), now.lap.time_s - before.lap.time_s, apex_ms, apex_ms > 0.0, elsewhere, where,
        (work[wheel], wheel), now.lap.top_speed_ms - before.lap.top_speed_ms,
        stands.new_limits(moved, now.lap),
    )  # fmt: skip


def _meant(one: CornerBalance, report: HandlingReport) -> bool:
    return (not report.corners or one.number in report.corners) and (not report.speed or one.speed == report.speed)


def _elsewhere(now: Read, before: Read, report: HandlingReport) -> tuple[float, tuple[str, str]]:
    """The largest mean change of balance at a corner speed and phase that was not asked about [%], and where."""
    worst, place = 0.0, ("", "")
    for speed in SPEEDS:
        for index, phase in enumerate(PHASES):
            if phase == report.phase and speed in (report.speed or speed):
                continue
            pairs = [(a.balance[index], b.balance[index]) for a, b in zip(before.corners, now.corners, strict=True) if a.speed == speed]
            moved = [b - a for a, b in pairs if a is not None and b is not None]
            if moved and abs(float(np.mean(moved))) > abs(worst):
                worst, place = float(np.mean(moved)), (speed, phase)
    return worst, place


def _price(one: Candidate, wanted: float) -> float:
    """What is left of the wish and what the change costs, in one figure; less is better.

    A missed half of the wish counts like a tenth of a second; balance moved elsewhere as far as the wish, like four
    hundredths. Source: this product's own weights.
    """
    missed = max(1.0 - one.change / wanted, 0.0) + 0.5 * max(one.change / wanted - 1.5, 0.0)
    aside = max(abs(one.elsewhere) / wanted - 0.6, 0.0)
    kinds = len({item.sets.rstrip("0123456789") for item, _, _ in one.moves})  # both tyres of an axle are one change
    return 0.2 * missed + 0.04 * aside + one.lap_s + 0.01 * (kinds - 1) - _READ_S * bool(one.reason)


def _pair(
    lap_case: LapCase, spans: Sequence[CornerSpan], sheet: Sheet, report: HandlingReport, good: Sequence[Candidate], before: Read,
    stands: _Stands,
) -> Candidate | None:  # fmt: skip
    """Half of each of the two best single changes; None where there are none that can be halved."""
    halves: list[tuple[Item, int]] = []
    for candidate in good:
        item, steps, _ = candidate.moves[0]
        if abs(steps) >= 2 and all(item.sets.split(".")[:2] != other.sets.split(".")[:2] for other, _ in halves):
            halves.append((item, int(math.copysign(math.ceil(abs(steps) / 2), steps))))
        if len(halves) == 2:
            return _solved(lap_case, spans, sheet, report, halves, before, stands)
    return None
