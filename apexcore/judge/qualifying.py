"""Qualifying: on which flying lap, with how much fuel, on new or scrubbed tyres."""

import math
from dataclasses import dataclass

import numpy as np

from ..lap.stint import colder
from .model import COLD_STAY, TAILS

_DRAWS = 20_000
#: A number of laps is as good as another if it expects no more than this later [s] and beats the time wanted as often but for this share.
_AS_GOOD_S, _AS_GOOD = 0.02, 0.01
#: Scrubbed tyres have had an out-lap and two laps. Source: an assumption of this product.
_SCRUB_LAPS = 3.0


@dataclass(frozen=True)
class Form:
    """What is known of car and driver for a flying lap.

    :param base_s: lap on new, warm tyres with an empty tank, mean and standard deviation [s]
    :param cold_s: lost to cold tyres on the first flying lap [s]
    :param fade_s: lost by each lap of age [s]
    :param fuel_s: lost by the fuel of one lap [s]
    :param scatter_s: scale of the driver's laps [s]
    :param mistakes: chance that a lap is spoiled [-]
    :param shift_s: spread from run to run: the same for every lap of the attempt, as good or bad as the run is [s]
    """

    base_s: tuple[float, float]
    cold_s: float
    fade_s: float
    fuel_s: float
    scatter_s: float
    mistakes: float
    shift_s: float = 0.0


@dataclass(frozen=True)
class Attempt:
    """One way to go out.

    :param laps: flying laps that the fuel is for
    :param scrubbed: on scrubbed tyres
    :param best_s: expected best lap, if one is clean, and the ends of its 95 % range [s]
    :param clean: chance of at least one clean lap [-]
    :param beats: chance of a lap below the time wanted [-]; None where none is wanted
    :param likely: the flying lap that is the best most often, from 1
    """

    laps: int
    scrubbed: bool
    best_s: tuple[float, float, float]
    clean: float
    beats: float | None
    likely: int


def attempts(form: Form, most: int = 8, wanted_s: float | None = None, seed: int = 20_261) -> list[Attempt]:
    """Every number of flying laps up to `most`, on new and on scrubbed tyres; first the fewest that are as good as the best.

    By simulation with a fixed seed: each draw has one level of the day, one shift of the run, its own scatter and its own mistakes
    on every lap. More laps bring more chances and more weight to carry, so that the best number is seldom the largest.

    Source: simulation of the same lap model as the verdict's.

    :param wanted_s: a time to beat [s]
    """
    rng = np.random.default_rng(seed)
    level = rng.normal(form.base_s[0], math.hypot(form.base_s[1], form.shift_s), _DRAWS)
    scatter = form.scatter_s * rng.standard_t(TAILS, (_DRAWS, most))
    spoiled = rng.random((_DRAWS, most)) < form.mistakes
    found = []
    for laps in range(1, most + 1):
        for scrubbed in (False, True):
            k = np.arange(laps)
            cold = form.cold_s * colder(scrubbed, 0) * COLD_STAY**k
            age = 1.0 + k + (_SCRUB_LAPS if scrubbed else 0.0)
            fuel = form.fuel_s * (laps - k + 1.0)  # this lap, those to come, and the in-lap
            times = level[:, None] + scatter[:, :laps] + cold + form.fade_s * age + fuel
            times = np.where(spoiled[:, :laps], np.inf, times)
            best = times.min(axis=1)
            clean = np.isfinite(best)
            good = best[clean] if clean.any() else np.array([np.inf])
            likely = int(np.bincount(times[clean].argmin(axis=1), minlength=laps).argmax()) + 1 if clean.any() else 1
            low, high = (float(v) for v in np.quantile(good, (0.025, 0.975)))
            beats = None if wanted_s is None else float((best < wanted_s).mean())
            found.append(Attempt(laps, scrubbed, (float(good.mean()), low, high), float(clean.mean()), beats, likely))
    found.sort(key=lambda attempt: (-(attempt.beats or 0.0), _expected_s(attempt)))
    best = found[0]
    as_good = [
        attempt
        for attempt in found
        if (attempt.beats or 0.0) >= (best.beats or 0.0) - _AS_GOOD and _expected_s(attempt) <= _expected_s(best) + _AS_GOOD_S
    ]
    fewest = min(as_good, key=lambda attempt: (attempt.laps, _expected_s(attempt)))
    return [fewest, *(attempt for attempt in found if attempt is not fewest)]


def _expected_s(attempt: Attempt) -> float:
    """What to expect of an attempt, an attempt without a clean lap counted as a second and a half lost [s]."""
    return attempt.best_s[0] + 1.5 * (1.0 - attempt.clean)
