"""A race on which it may rain: how wet each lap is expected to be, and what that costs on dry and on wet tyres."""

import re
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from .rules import Pace, RaceRules, TyrePace

Floats = NDArray[np.float64]

#: Key of the wet tyre, whose dry pace nobody has to have measured.
WET = "wet"
#: A spread of the forecast below which it is taken as known [laps].
_LEAST = 0.05
#: An age that no race reaches [laps].
_NO_CLIFF = 1e6

_LOSS = re.compile(r"(\d+(?:[.,]\d+)?) ?%? ?: ?(\d+(?:[.,]\d+)?) ?/ ?(\d+(?:[.,]\d+)?)")


def rains(rules: RaceRules) -> bool:
    """Whether the rules tell of rain."""
    return rules.rain_from != 0.0


def wetness(rules: RaceRules, laps: int) -> Floats:
    """How wet each lap is on average over what the forecast leaves open, 0 dry to 1 wet, shape [laps].

    Beginning and end of the rain are normal about their laps.
    """
    from scipy.special import ndtr

    if not rains(rules):
        return np.zeros(laps)
    at, spread = np.arange(laps) + 0.5, max(rules.rain_spread, _LEAST)
    begun = ndtr((at - rules.rain_from) / spread)
    over = ndtr((at - rules.rain_until) / spread) if rules.rain_until != 0.0 else np.zeros(laps)
    return np.asarray(np.clip(begun - over, 0.0, 1.0))


def dry_loses_s(rules: RaceRules, wet: Floats | float) -> Floats:
    """What dry tyres lose to a dry lap where it is so wet [s]."""
    if rules.wet_losses:
        at, dry, _ = np.array(rules.wet_losses).T
        return np.asarray(np.interp(wet, at, dry))
    return np.asarray(wet) * (rules.wet_lap_s + rules.dry_on_wet_s)


def wet_loses_s(rules: RaceRules, wet: Floats | float) -> Floats:
    """What wet tyres lose to a dry lap where it is so wet [s]."""
    if rules.wet_losses:
        at, _, on_wet = np.array(rules.wet_losses).T
        return np.asarray(np.interp(wet, at, on_wet))
    return np.asarray(wet) * rules.wet_lap_s + (1.0 - np.asarray(wet)) * rules.wet_on_dry_s


def lost_s(rules: RaceRules, tyre: str, laps: int) -> Floats:
    """What the weather costs on each lap on a tyre, shape [laps] [s]."""
    if not rains(rules):
        return np.zeros(laps)
    wet = wetness(rules, laps)
    return wet_loses_s(rules, wet) if tyre == WET else dry_loses_s(rules, wet)


#: Wetnesses at which curves are looked through for where they cross.
_GRID = np.linspace(0.0, 1.0, 1001)


def crossing_wetness(rules: RaceRules) -> float | None:
    """How wet the track is where dry and wet tyres are as quick, 0 to 1; None where they are nowhere, or everywhere."""
    if not rules.wet_losses:
        both = rules.dry_on_wet_s + rules.wet_on_dry_s
        return rules.wet_on_dry_s / both if both > 0.0 else None
    apart = dry_loses_s(rules, _GRID) - wet_loses_s(rules, _GRID)
    turned = np.flatnonzero((apart[:-1] < 0.0) & (apart[1:] >= 0.0))
    if not len(turned):
        return 0.0 if apart[0] >= 0.0 and apart.max() > 0.0 else None
    k = int(turned[0])
    return float(_GRID[k] - apart[k] * (_GRID[k + 1] - _GRID[k]) / (apart[k + 1] - apart[k]))


def crossover(rules: RaceRules) -> float | None:
    """How wet the track is where both kinds of tyres are as quick, 0 to 1; None without rain."""
    return crossing_wetness(rules) if rains(rules) else None


def read_losses(text: str, what: str) -> list[tuple[float, float, float]]:
    """Losses by wetness as typed, `0: 0/8; 25: 4.1/6; 100: 15/7`: per cent wet, then what dry and wet tyres lose [s].

    :param what: what they are, for an error
    :raises InputError: naming the part and what was expected
    """
    wanted = "wetness and losses of dry and wet tyres such as 0: 0/8; 25: 4.1/6; 100: 15/7, from 0 to 100 % wet"
    found = []
    for part in re.split(r"[;\n]", text):
        said = " ".join(part.split())
        if not said:
            continue
        told = _LOSS.fullmatch(said)
        if told is None:
            raise InputError(what, said, wanted)
        wet, dry_s, wet_s = (float(one.replace(",", ".")) for one in told.groups())
        if wet > 100.0 or dry_s > 120.0 or wet_s > 120.0:
            raise InputError(what, said, "wetness up to 100 % and losses up to 120 s")
        found.append((wet / 100.0, dry_s, wet_s))
    at = [one[0] for one in found]
    if found and (at[0] != 0.0 or at[-1] != 1.0 or at != sorted(set(at))):
        raise InputError(what, " ".join(text.split())[:60], "wetness rising from 0 to 100 %, both among them")
    return found


def losses_words(losses: Sequence[tuple[float, float, float]]) -> str:
    """Losses as `read_losses` reads them."""
    return "; ".join(f"{100.0 * wet:g}: {dry:g}/{on_wet:g}" for wet, dry, on_wet in losses)


def with_wet(rules: RaceRules, pace: Pace) -> Pace:
    """The pace with the wet tyre among its tyres, where it may rain: it fades as the tyre that fades least."""
    if not rains(rules) or any(tyre.key == WET for tyre in pace.tyres):
        return pace
    least = min(pace.tyres, key=lambda tyre: tyre.fade_s)
    wet = TyrePace(WET, 0.0, least.fade_s, least.warm_s, _NO_CLIFF, 0.0)
    return Pace(pace.lap_s, (*pace.tyres, wet), pace.fuel_l_per_lap, pace.fuel_s_per_l, pace.margin_l, pace.levels)
