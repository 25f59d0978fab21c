"""When to change between dry and wet tyres, from lap times as they come."""

from dataclasses import dataclass

import numpy as np

from .clock import lap_known_s, pace_now, pace_told_s, told_rules
from .happened import Happened, Setup
from .rules import RaceRules
from .weather import WET, crossing_wetness, dry_loses_s, wet_loses_s

#: Laps from which a trend is read, and how far it is followed.
_LAPS, _AHEAD = 6, 15.0
#: A difference that is none [s], and laps of the other tyres from which theirs alone are believed.
_NONE_S, _SEEN = 0.02, 2


@dataclass(frozen=True)
class Crossing:
    """How the tyres that are on stand against the others.

    :param on_wet: whether wet tyres are on
    :param behind_s: what they lose to the others on a lap now, negative where they are quicker [s]
    :param trend_s: by how much that grows from lap to lap [s/lap]; None where it cannot be told yet
    :param laps: laps until both are as quick, 0 where the others are quicker now; None where they do not cross soon
    :param lap_s: lap time on these tyres at which both are as quick, where only the Brief's losses tell it [s]
    :param measured: whether laps on the other tyres told it, not the losses of the Brief
    """

    on_wet: bool
    behind_s: float
    trend_s: float | None
    laps: float | None
    lap_s: float | None
    measured: bool

    @property
    def early_s(self) -> float:
        """What a change a lap too early costs: half of what the tyres part by in a lap, as they cross within it [s]."""
        return 0.5 * abs(self.trend_s or 0.0)

    @property
    def late_s(self) -> float:
        """What each lap too late costs, the first at least: what they part by from one lap to the next [s]."""
        return max(self.behind_s, 0.0) + 0.5 * abs(self.trend_s or 0.0)


def crossing(setup: Setup, now: Happened) -> Crossing | None:
    """How the tyres that are on stand against the others; None where it is dry on dry tyres, or no lap tells anything.

    Told by laps of a car on the other tyres where some were entered; else the loss of one's own laps to a dry lap is read as how wet the
    track is, by what the Brief says of both kinds of tyres.
    """
    on_wet = now.standing.compound == WET
    if not (now.wet or on_wet or now.others):
        return None
    told = _measured(now)
    measured = len(told) >= _SEEN
    if not measured:
        told = _read(setup, now, on_wet)
    if not told:
        return None
    laps, behind = (np.array(column, dtype=float) for column in zip(*told[-_LAPS:], strict=True))
    trend = _slope(laps, behind)
    at = float(behind[-1]) if trend is None else float(behind.mean() + trend * (len(now.times_s) - laps.mean()))
    until: float | None = None
    if at >= 0.0:
        until = 0.0
    elif trend is not None and trend > _NONE_S and -at / trend <= _AHEAD:
        until = -at / trend
    level = None if measured else _level_s(setup, now, on_wet)
    return Crossing(on_wet, at, trend, until, level, measured)


def _measured(now: Happened) -> list[tuple[int, float]]:
    """Own laps less those of a car on the other tyres, lap by lap."""
    return [(lap, time - other) for lap, other in now.others if lap <= len(now.times_s) and (time := now.times_s[lap - 1]) is not None]


def _read(setup: Setup, now: Happened, on_wet: bool) -> list[tuple[int, float]]:
    """What own laps since the weather turned say, by the Brief's losses."""
    rules, found = told_rules(setup, now), list[tuple[int, float]]()
    dry, pace = rules.model_copy(update={"rain_from": 0.0}), pace_now(setup, now)
    own = pace_told_s(setup, now) if any(not lap.wet and lap.green for lap in now.driven) and not now.wet else 0.0
    begin = (now.weather[0] or 0) if now.wet or now.weather[1] is None else now.weather[1]
    for number, lap in enumerate(now.driven, start=1):
        if number <= begin or lap.pace_s is None or (lap.compound == WET) != on_wet:
            continue
        wet = _wetness(rules, lap.pace_s - lap_known_s(pace, dry, lap, number) - own, on_wet)
        if wet is not None:
            found.append((number, _behind_s(rules, wet, on_wet)))
    return found


#: Wetnesses among which that of a lap is looked for; a change of a loss over all of them that tells nothing [s].
_GRID = np.linspace(0.0, 1.0, 501)
_TELLS_S = 1.0


def _wetness(rules: RaceRules, lost_s: float, on_wet: bool) -> float | None:
    """How wet it is where a lap loses so much, 0 to 1; None where these tyres do not tell."""
    curve = (wet_loses_s if on_wet else dry_loses_s)(rules, _GRID)
    if float(np.ptp(curve)) < _TELLS_S:
        return None
    way = np.diff(curve)
    if np.all(way >= 0.0):
        return float(np.interp(lost_s, curve, _GRID))
    if np.all(way <= 0.0):
        return float(np.interp(lost_s, curve[::-1], _GRID[::-1]))
    return None  # wet tyres lose as much on a dry road as on some wet one


def _behind_s(rules: RaceRules, wet: float, on_wet: bool) -> float:
    """What the tyres that are on lose to the others where it is so wet [s]."""
    apart = float(dry_loses_s(rules, wet) - wet_loses_s(rules, wet))
    return -apart if on_wet else apart


def _level_s(setup: Setup, now: Happened, on_wet: bool) -> float | None:
    """The lap time at which both are as quick, on the tyres that are on as they are now [s]."""
    rules, pace = told_rules(setup, now), pace_now(setup, now)
    wet = crossing_wetness(rules)
    if wet is None or not now.driven:
        return None
    loses = float((wet_loses_s if on_wet else dry_loses_s)(rules, wet))
    dry = rules.model_copy(update={"rain_from": 0.0})
    return lap_known_s(pace, dry, now.driven[-1], len(now.driven)) + loses


def _slope(laps: "np.ndarray", behind: "np.ndarray") -> float | None:
    if len(laps) < 3:
        return None
    apart = laps - laps.mean()
    return float((apart * behind).sum() / (apart**2).sum())
