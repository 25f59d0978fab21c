"""A race on which it may rain: how wet each lap is expected to be, and what that costs on dry and on wet tyres."""

import numpy as np
from numpy.typing import NDArray

from .rules import Pace, RaceRules, TyrePace

Floats = NDArray[np.float64]

#: Key of the wet tyre, whose dry pace nobody has to have measured.
WET = "wet"
#: A spread of the forecast below which it is taken as known [laps].
_LEAST = 0.05
#: An age that no race reaches [laps].
_NO_CLIFF = 1e6


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


def lost_s(rules: RaceRules, tyre: str, laps: int) -> Floats:
    """What the weather costs on each lap on a tyre, shape [laps] [s]."""
    wet = wetness(rules, laps)
    own = (1.0 - wet) * rules.wet_on_dry_s if tyre == WET else wet * rules.dry_on_wet_s
    return wet * rules.wet_lap_s + (own if rains(rules) else 0.0)


def crossover(rules: RaceRules) -> float | None:
    """How wet the track is where both kinds of tyres are as quick, 0 to 1; None without rain."""
    both = rules.dry_on_wet_s + rules.wet_on_dry_s
    return rules.wet_on_dry_s / both if rains(rules) and both > 0.0 else None


def with_wet(rules: RaceRules, pace: Pace) -> Pace:
    """The pace with the wet tyre among its tyres, where it may rain: it fades as the tyre that fades least."""
    if not rains(rules) or any(tyre.key == WET for tyre in pace.tyres):
        return pace
    least = min(pace.tyres, key=lambda tyre: tyre.fade_s)
    wet = TyrePace(WET, 0.0, least.fade_s, least.warm_s, _NO_CLIFF, 0.0)
    return Pace(pace.lap_s, (*pace.tyres, wet), pace.fuel_l_per_lap, pace.fuel_s_per_l, pace.margin_l, pace.levels)
