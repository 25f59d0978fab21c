"""Driving gently against driving hard: seconds lost a lap, laps of tyre life won, and the race lengths at which that pays."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError

Floats = NDArray[np.float64]

#: Draws by which chances are told, and the longest race that is looked at [laps].
_DRAWS, MOST_LAPS = 4000, 200
#: Chance from which on it pays, or does not.
_SURE = 0.8
#: Shortest life that is drawn [laps].
_LEAST_LIFE = 1.0


@dataclass(frozen=True)
class Known:
    """A value with what it is unsure by.

    :param mean: in its own unit
    :param sd: standard deviation
    """

    mean: float
    sd: float


@dataclass(frozen=True)
class Worn:
    """A run as the tyres saw it.

    :param laps: driven on them, those before the run too
    :param left: share of the tread left on the most worn tyre [-]
    """

    laps: float
    left: float


def life_of(runs: Sequence[Worn], least: float) -> Known | None:
    """Laps that tyres last until so much tread is left, by what runs wore; None where none tells it.

    One run alone is taken to be unsure by a fifth.

    :param least: share of the tread at which they are changed [-]
    """
    rates = np.array([(1.0 - run.left) / run.laps for run in runs if run.laps > 0.0 and run.left < 1.0])
    if not len(rates):
        return None
    lives = (1.0 - least) / rates
    weight = np.array([run.laps for run in runs if run.laps > 0.0 and run.left < 1.0])
    mean = float(np.average(lives, weights=weight))
    sd = float(np.std(lives, ddof=1)) / math.sqrt(len(lives)) if len(lives) > 1 else 0.2 * mean
    return Known(mean, max(sd, 0.03 * mean))


@dataclass(frozen=True)
class BreakEven:
    """What driving gently is worth by race length.

    :param chance: that it is quicker over a race of 1, 2, 3 … laps [-]
    :param gain_s: what it gains in the mean over them [s]
    """

    chance: tuple[float, ...]
    gain_s: tuple[float, ...]

    def pays(self) -> list[tuple[int, int]]:
        """Lengths at which it pays with a chance of four in five: first and last of each stretch [laps]."""
        return _stretches([one >= _SURE for one in self.chance])

    def costs(self) -> list[tuple[int, int]]:
        """Lengths at which it costs with that chance."""
        return _stretches([one <= 1.0 - _SURE for one in self.chance])


def _stretches(inside: Sequence[bool]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for lap, there in enumerate(inside, start=1):
        if there and found and found[-1][1] == lap - 1:
            found[-1] = (found[-1][0], lap)
        elif there:
            found.append((lap, lap))
    return found


def break_even(lost_s: Known, hard_life: Known, gentle_life: Known, stop_s: float, most_laps: int = MOST_LAPS, seed: int = 0) -> BreakEven:
    """Over which race lengths fewer stops are worth the seconds lost a lap.

    Stops are those that the life of the tyres asks for, each costs the same; a race is one stint more than stops.

    :param lost_s: by driving gently, a lap [s]
    :param hard_life: of the tyres when driven hard [laps]
    :param gentle_life: when driven gently [laps]
    :param stop_s: what a stop costs, pit lane included [s]
    :raises InputError: if a stop costs nothing or less
    """
    if stop_s <= 0.0:
        raise InputError("what a stop costs", f"{stop_s:g} s", "more than 0 s")
    rng = np.random.default_rng(seed)
    lost = rng.normal(lost_s.mean, lost_s.sd, _DRAWS)
    hard, gentle = (np.maximum(rng.normal(one.mean, one.sd, _DRAWS), _LEAST_LIFE) for one in (hard_life, gentle_life))
    chance, gain = [], []
    for laps in range(1, most_laps + 1):
        fewer = np.ceil(laps / hard) - np.ceil(laps / gentle)
        won = fewer * stop_s - lost * laps
        chance.append(float((won > 0.0).mean()))
        gain.append(float(won.mean()))
    return BreakEven(tuple(chance), tuple(gain))


def break_even_sentence(found: BreakEven, lost_s: Known, hard_life: Known, gentle_life: Known) -> str:
    """One sentence: what is lost, what is won, and where it pays."""
    begin = f"{lost_s.mean:+.2f} s a lap for {gentle_life.mean - hard_life.mean:+.0f} laps of tyre life".replace("-", "−")
    stretches = found.pays()
    if not stretches:
        return f"{begin}: it does not pay surely at any length up to {len(found.chance)} laps."
    told = ", ".join(f"{first} to {last}" if last > first else f"{first}" for first, last in stretches[:3])
    return f"{begin}: it pays in races of {told} laps."
