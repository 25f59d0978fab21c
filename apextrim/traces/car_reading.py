"""What a run's traces say of the car itself, beside the model of it: for its own page, and for the calibration."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from apexcore.errors import ApexError
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.frame import fits_length
from apexcore.judge.traces.habits import LEAST_LAPS
from apexcore.judge.traces.limits import CornerUse, Floor, corner_uses, grip_floor
from apexcore.judge.traces.measured import Asked, Scale, ShiftPoint, asked_of_tyres, burnt_l, shift_points, straight_scales
from apexcore.judge.traces.place import Placed, placed
from apexcore.lap.driver import Driver
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import adjusted
from apextrim.accounts.owned import Person
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.runs.models import LapTrace, Run
from apextrim.runs.recorded import recorded_lap

from .compare import MODEL, Ground, as_recorded, ground_of, side_of

#: Bands of speed in which braking and cornering are told [m/s], and laps of a run that are read at most.
BANDS_MS = ((10.0, 25.0), (25.0, 40.0), (40.0, 55.0), (55.0, 90.0))
_MOST_LAPS = 12


@dataclass(frozen=True)
class CarReading:
    """What traces say.

    :param scales: power and drag over those of the car as entered; empty where too little tells them
    :param asked: of the tyres, by band of speed, beside what the model's driver asks; the model's is None where it has no lap
    :param uses: corner by corner, against the model's lap with all of the car; empty where it has none
    :param floor: the least that grip is over that of the car as entered; None where the laps do not say more
    :param burnt_l: fuel of a usual lap by its level [l]; None where it was not recorded
    """

    scales: tuple[Scale, ...]
    shifts: tuple[ShiftPoint, ...]
    asked: tuple[tuple[Asked, Asked | None], ...]
    uses: tuple[CornerUse, ...]
    floor: Floor | None
    burnt_l: float | None
    laps: int


def _laps(run: Run, ground: Ground) -> tuple[list[LapTrace], list[RecordedLap]]:
    """The timed laps of a run that were recorded round the circuit, as rows and as the core knows them."""
    rows = LapTrace.objects.filter(lap__run=run, lap__kind="timed").select_related("lap").order_by("lap__number")[:_MOST_LAPS]
    found, laps = [], []
    for row in rows:
        try:
            lap = recorded_lap(row)
            fits_length(lap, ground.line.length_m)
        except ApexError:
            continue
        found.append(row)
        laps.append(lap)
    return found, laps


def _on_board_l(run: Run, traces: Sequence[LapTrace]) -> list[float]:
    """Fuel on board in the middle of each lap: by the laps' use where it is known, else as the run began [l]."""
    use = {lap.number: lap.fuel_l for lap in run.laps.all()}
    known = [value for value in use.values() if value is not None]
    usual = float(np.median(known)) if known else 0.0
    return [max(run.fuel_l - sum((use[n] if use[n] is not None else usual) or 0.0 for n in use if n < row.lap.number) - 0.5 * usual, 0.0)
            for row in traces]  # fmt: skip


@dataclass(frozen=True)
class Known:
    """What the traces of several runs tell of the car as entered, as the calibration takes it: name, value, standard deviation."""

    scales: list[tuple[str, float, float]]
    floors: list[tuple[str, float, float]]


def known_of(event: Event, runs: Sequence[Run]) -> Known:
    """What the traces of several runs tell: power and drag by the straights, of which wind and slope leave the same unsure in all, and the
    least grip by the corners.

    :raises ApexError: if the car cannot move
    """
    ground = ground_of(event)
    seen: dict[str, list[Scale]] = {}
    floors: list[Floor] = []
    for run in runs:
        traces, recorded = _laps(run, ground)
        if len(traces) < LEAST_LAPS:
            continue
        laps = placed(recorded, ground.base, [None] * len(recorded))
        for scale in _straights(event, run, ground, traces, laps):
            seen.setdefault(scale.name, []).append(scale)
        floor = grip_floor(_uses(event, run, ground, laps))
        floors += [floor] if floor is not None else []
    scales = [
        (name, float(np.average([one.value for one in found], weights=[one.laps for one in found])), min(one.sd for one in found))
        for name, found in seen.items()
    ]  # fmt: skip
    highest = max(floors, key=lambda one: one.value - one.sd, default=None)
    return Known(scales, [] if highest is None else [("grip", highest.value, highest.sd)])


def _case(event: Event, run: Run) -> tuple[LapCase, CoreSheet]:
    """What a run was driven in, as the model has the car as entered."""
    case = cases.lap_case_of(event, run.front, run.rear, facts.parsed_conditions(run.conditions), calibrated=False)
    return case, CoreSheet(case.car.key, run.sheet.values)


def _straights(event: Event, run: Run, ground: Ground, traces: Sequence[LapTrace], laps: Sequence[Placed]) -> list[Scale]:
    case, sheet = _case(event, run)
    return straight_scales(laps, adjusted(case.car, sheet), case.compounds, case.conditions, ground.line, _on_board_l(run, traces))


def _uses(event: Event, run: Run, ground: Ground, laps: Sequence[Placed]) -> list[CornerUse]:
    """Corner by corner against the model's lap with all of the car; empty where it has none."""
    case, sheet = _case(event, run)
    try:
        lap = solve_lap(replace(case, driver=Driver()), sheet)
    except ApexError:
        return []
    limit = placed([as_recorded(ground, adjusted(case.car, sheet), lap)], ground.base, [None])[0]
    return corner_uses(laps, limit, ground.corners, ground.line.length_m)


def reading_of(user: Person, event: Event, run: Run) -> CarReading | None:
    """What a run says of its car; None where too few laps were recorded.

    :raises ApexError: if the circuit has no line
    """
    ground = ground_of(event)
    traces, recorded = _laps(run, ground)
    if len(traces) < LEAST_LAPS:
        return None
    laps = placed(recorded, ground.base, [None] * len(recorded))
    mine = asked_of_tyres(laps, ground.line, BANDS_MS)
    try:
        model = placed([side_of(user, event, MODEL, ground).lap], ground.base, [None])
        theirs: Sequence[Asked | None] = asked_of_tyres(model * LEAST_LAPS, ground.line, BANDS_MS)
    except ApexError:
        theirs = [None] * len(mine)
    uses = _uses(event, run, ground, laps)
    burnt = [value for value in (burnt_l(lap.columns) for lap in recorded) if value is not None]
    return CarReading(
        tuple(_straights(event, run, ground, traces, laps)), tuple(shift_points(laps)), tuple(zip(mine, theirs, strict=True)),
        tuple(uses), grip_floor(uses), float(np.median(burnt)) if len(burnt) >= LEAST_LAPS else None, len(laps),
    )  # fmt: skip
