"""The braking-point trainer: begin early and creep, corner by corner, until the exit suffers.

Unknown is the latest mark from which the corner can still be driven well, L along the lap. Before the first run it is known as the model
has its braking point, with the model's error and what the driver's level leaves open. Each run from a mark m says something about it, since
braking from m is a little sooner or later every time: *late* is likelier the farther m lies behind L, *early* the farther before it. The
belief about L is kept on a grid and follows Bayes' rule; the next mark is the farthest step that is not likely to be too late.

Source: definition of this product: a dose-finding rule with overdose control (Babb, Rogatko & Zacks, Statistics in Medicine 17, 1998), here
in metres.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Feeling = Literal["early", "good", "late"]

#: What a feeling says, for people.
FEELINGS: dict[str, str] = {"early": "room left", "good": "right", "late": "too late: the exit suffers"}

#: Error of a modelled braking point [m]. Source: what the corner table states (docs/model.md).
_MODEL_SD_M = 6.0
#: Freedoms of the belief before the first run: a circuit, a car or a driver may be farther off than usual.
_FREEDOMS = 4.0
#: How far before the latest mark one is just right [m], and share of runs on which the feeling says nothing.
_JUST_M, _LAPSE = 7.0, 0.10
#: Chance of being too late that a next mark may have, from which one steps back, and what the first mark may have.
_MAY, _BACK, _FIRST = 0.30, 0.55, 0.04
#: Half the grid about the model's braking point, and its spacing [m].
_GRID_M, _FINE_M = 90.0, 0.5
#: Least step that is worth a run [m].
_LEAST_STEP_M = 1.0


@dataclass(frozen=True)
class Level:
    """What a driver's level means for braking.

    :param sd_m: how far a driver's own latest mark lies from the modelled one [m]
    :param scatter_m: from lap to lap about a mark [m]
    :param step_m: longest step to the next mark [m]
    """

    sd_m: float
    scatter_m: float
    step_m: float


#: By the driver levels of the product. Source: assumptions of this product (docs/model.md, the trainer).
LEVELS: dict[str, Level] = {
    "newcomer": Level(12.0, 5.0, 8.0), "solid midfielder": Level(8.0, 3.5, 6.0), "front runner": Level(5.0, 2.5, 4.0),
}  # fmt: skip


@dataclass(frozen=True)
class Tried:
    """What one run from a mark said.

    :param mark_m: from which it was braked, behind the modelled braking point positive [m]
    :param late: chance that it was too late: 1 and 0 where a feeling says so, between where samples do [-]
    :param early: whether it was felt to be too early; None where only samples speak, which cannot tell
    """

    mark_m: float
    late: float
    early: bool | None = None

    @classmethod
    def felt(cls, mark_m: float, feeling: Feeling) -> "Tried":
        """A run as it felt."""
        return cls(mark_m, 1.0 if feeling == "late" else 0.0, feeling == "early")


@dataclass(frozen=True)
class Advice:
    """What to do next in a corner.

    :param word: `begin`, `on`, `again`, `stay` or `back`
    :param mark_m: the next mark, behind the modelled braking point positive [m]
    :param sure: how sure: that the last mark was not too late (`on`, `again`), is neither too late nor far too early (`stay`), was too
        late (`back`)
    :param late: chance that the next mark is too late [-]
    :param latest_m: the latest mark as it is known now [m]
    :param low_m: lower end of its 95 % interval [m]
    :param high_m: upper end [m]
    """

    word: Literal["begin", "on", "again", "stay", "back"]
    mark_m: float
    sure: float
    late: float
    latest_m: float
    low_m: float
    high_m: float


def advise(level: Level, tried: Sequence[Tried]) -> Advice:
    """The next mark from all that was tried, in the order driven."""
    grid, chance = belief(level, tried)
    below = np.cumsum(chance)

    def too_late(mark: float) -> float:
        return float(np.interp(mark, grid, below))

    def at(share: float) -> float:
        return float(np.interp(share, below, grid))

    middle, low, high = at(0.5), at(0.025), at(0.975)
    if not tried:
        mark = float(np.floor(at(_FIRST)))
        return Advice("begin", mark, 1.0 - too_late(mark), too_late(mark), middle, low, high)
    now = tried[-1].mark_m
    risk = too_late(now)
    if risk >= _BACK:
        mark = min(float(np.floor(at(_MAY))), now - _LEAST_STEP_M)
        return Advice("back", mark, risk, too_late(mark), middle, low, high)
    if tried[-1].late >= 0.5:  # nobody is sent farther from a mark that has just been too late, however unlikely that is
        return Advice("again", now, 1.0 - risk, risk, middle, low, high)
    farthest = min(float(np.floor(at(_MAY))), now + level.step_m)
    if farthest - now >= _LEAST_STEP_M:
        return Advice("on", farthest, 1.0 - risk, too_late(farthest), middle, low, high)
    right = float(chance[(grid >= now) & (grid <= now + _JUST_M + level.scatter_m)].sum())
    return Advice("stay", now, right, risk, middle, low, high)


def belief(level: Level, tried: Sequence[Tried]) -> tuple[Floats, Floats]:
    """The grid of latest marks [m], and the chance of each."""
    from scipy.special import ndtr

    grid = np.arange(-_GRID_M, _GRID_M + _FINE_M, _FINE_M)
    scale = float(np.hypot(_MODEL_SD_M, level.sd_m)) * float(np.sqrt((_FREEDOMS - 2.0) / _FREEDOMS))
    weight = -0.5 * (_FREEDOMS + 1.0) * np.log1p((grid / scale) ** 2 / _FREEDOMS)  # Student t, but for its constant
    for run in tried:
        late = ndtr((run.mark_m - grid) / level.scatter_m)
        early = ndtr((grid - _JUST_M - run.mark_m) / level.scatter_m)
        before = early if run.early else 1.0 - late if run.early is None else np.clip(1.0 - late - early, 0.0, 1.0)
        likely = run.late * late + (1.0 - run.late) * before
        weight += np.log((1.0 - _LAPSE) * likely + _LAPSE / 3.0)
    chance = np.exp(weight - weight.max())
    return grid, chance / chance.sum()


def late_by_exit(exits_ms: Sequence[float], before_ms: Sequence[float]) -> float:
    """Chance that the exit suffered: that the speed behind the corner fell, from laps of a run against laps before [-].

    The difference of means against its error, by a t distribution (Welch); one half where there is nothing to compare.

    :param exits_ms: speeds behind the corner on the laps of the run [m/s]
    :param before_ms: on laps from earlier marks [m/s]
    """
    from scipy.special import stdtr

    if len(exits_ms) < 2 or len(before_ms) < 2:
        return 0.5
    now, then = np.asarray(exits_ms), np.asarray(before_ms)
    parts = now.var(ddof=1) / len(now) + _SAME_MS**2, then.var(ddof=1) / len(then) + _SAME_MS**2
    error = float(np.sqrt(sum(parts)))
    freedoms = sum(parts) ** 2 / (parts[0] ** 2 / (len(now) - 1) + parts[1] ** 2 / (len(then) - 1))
    return float(stdtr(freedoms, (then.mean() - now.mean() - _LEAST_LOSS_MS) / error))


#: Loss of speed behind a corner from which on an exit suffers, and what two runs differ by anyway (tyres, fuel, wind) [m/s].
_LEAST_LOSS_MS, _SAME_MS = 0.25, 0.12
