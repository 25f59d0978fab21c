"""The braking-point trainer: begin early and creep, corner by corner, and go back at once when it was too late.

Unknown is the latest mark from which the corner can still be driven well, L along the lap. It may move from run to run: brakes fade,
it rains, a driver tires. So the belief about it is a state space model on a grid: before the first run it is what the model's braking
point and the driver's level leave open; every run says something about it, since braking from a mark is a little sooner or later every
time; and from run to run it may stand, creep or jump. The next mark costs least under that belief, and is kept by guards that hold
whatever the belief is: forward by steps, back at once after *late*, never far beyond what was felt good, and no marks at all where going
back does not help.

Sources: a dose-finding rule with overdose control (Babb, Rogatko & Zacks, Statistics in Medicine 17, 1998), here in metres; filtering of a
discrete state (Särkkä, Bayesian Filtering and Smoothing, ch. 4). Figures of steps, guards and drift are assumptions of this product, held
against simulated learners (docs/proof.md).
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import WET_FROM_PCT, Conditions

Floats = NDArray[np.float64]
Feeling = Literal["early", "good", "late"]

#: What a feeling says, for people.
FEELINGS: dict[str, str] = {"early": "room left", "good": "right", "late": "too late: the exit suffers"}

#: Places that the latest mark may have against the model's braking point [m].
_GRID = np.arange(-160.0, 91.0)
#: Error of a modelled braking point in the belief and in the ceiling [m]. Source: what the corner table states (docs/model.md).
_MODEL_SD_M, _CEILING_SD_M, _CEILING = 8.0, 6.0, 1.75
#: Freedoms of the belief before the first run, and the share in which nothing is known but that it lies between two places [m].
_FREEDOMS, _ANYWHERE, _BETWEEN_M = 4.0, 0.03, (-60.0, 40.0)
#: How far before the latest mark one is just right [m], and share of runs on which the feeling says nothing.
_JUST_M, _LAPSE = 7.0, 0.10
#: Error of a mark that is a board or a line, and of one that is not [m].
_BOARD_M, NO_BOARD_M = 1.5, 5.0
#: Ways in which the latest mark moves: metres a run, and how likely each is; how likely a way is kept from run to run.
_DRIFTS, _DRIFT_SHARES, _KEPT = (0.0, -1.0, -3.0), (0.86, 0.09, 0.05), 0.95
#: Its walk from run to run [m]; chance of a jump, its mean size [m] and the share of jumps that go earlier.
_WALK_M, _JUMP, _JUMP_M, _EARLIER = 0.7, 0.02, 12.0, 0.7
#: What a metre late costs against one early, what every metre beyond so many costs more [m].
_LATE_COST, _FAR_COST, _FAR_M = 2.5, 10.0, 5.0
#: Chance of being too late of the first mark, and of the first under new conditions.
_FIRST, _ANEW = 0.02, 0.05
#: Step back after *late* [m], and how many of them in one turn at most.
_BACK_M, _MOST_BACK = 6.0, 4
#: Moves that are not worth a run: forward and back [m]; how far before a mark that was late the next two stay; floor below the first mark.
_LEAST_ON_M, _LEAST_BACK_M, _BEFORE_LATE_M, _FLOOR_M = 1.0, 2.0, 2.0, 30.0
#: What is left of the belief under new conditions, and how much wider it gets [m].
_CARRIED, _WIDER_M = 0.7, 8.0
#: What one run felt early, or right, takes off the count of lates.
_EASED = (0.5, 0.25)
#: Runs after *late* in which steps forward are halved.
_WARY_RUNS = 2
#: Chance of late, by samples alone, from which on they send nobody farther, and from which on they send one back as a feeling does.
_SAMPLES_LATE, _SURE_LATE = 0.25, 0.9
#: Braking distance that all metres are told for, and how far they are scaled [m].
_FOR_M, _SCALED = 80.0, (0.3, 1.2)


@dataclass(frozen=True)
class Level:
    """What a driver's level means for braking.

    :param sd_m: how far a driver's own latest mark lies from the modelled one [m]
    :param scatter_m: from lap to lap about a mark [m]
    :param step_m: longest step to the next mark [m]
    :param beyond_m: how far beyond the earliest mark that was felt good one is sent [m]
    """

    sd_m: float
    scatter_m: float
    step_m: float
    beyond_m: float


#: By the driver levels of the product. Source: assumptions of this product (docs/model.md, the trainer).
LEVELS: dict[str, Level] = {
    "newcomer": Level(12.0, 5.0, 8.0, 3.0), "solid midfielder": Level(8.0, 3.5, 6.0, 3.0), "front runner": Level(5.0, 2.5, 5.0, 2.0),
}  # fmt: skip


#: Change of the track's temperature, and of its wetness beside drying or getting wet at all, from which on braking is learnt anew [K], [%].
#: Source: assumptions of this product: 10 K move a tyre's grip by some 2 %, a fifth of soaked by more.
_ANEW_K, _ANEW_PCT = 10.0, 20.0


def others(before: Conditions, now: Conditions) -> bool:
    """Whether a braking point that was learnt under one weather counts less under another."""
    wet = (before.wet_pct >= WET_FROM_PCT) != (now.wet_pct >= WET_FROM_PCT)
    return wet or abs(now.wet_pct - before.wet_pct) >= _ANEW_PCT or abs(now.track_c - before.track_c) >= _ANEW_K


@dataclass(frozen=True)
class Tried:
    """What one run from a mark said.

    :param mark_m: from which it was braked, behind the modelled braking point positive [m]
    :param late: chance that it was too late: 1 and 0 where a feeling says so, between where samples do [-]
    :param early: whether it was felt to be too early; None where only samples speak, which cannot tell
    :param anew: whether it is no run but word that conditions are others: wet, tyres, fuel, brakes, another day
    :param board: whether the mark is a board or a line that one sees
    """

    mark_m: float
    late: float
    early: bool | None = None
    anew: bool = False
    board: bool = True

    @classmethod
    def felt(cls, mark_m: float, feeling: Feeling) -> "Tried":
        """A run as it felt."""
        return cls(mark_m, 1.0 if feeling == "late" else 0.0, feeling == "early")

    @property
    def was_late(self) -> bool:
        """Whether it counts as too late: as it felt, or as samples say without much doubt."""
        return self.late >= (_SURE_LATE if self.early is None else 0.5)


@dataclass(frozen=True)
class Advice:
    """What to do next in a corner.

    :param word: `begin`, `on`, `stay`, `back`, or `stop`: going back does not help, so that something else has changed
    :param mark_m: the next mark, behind the modelled braking point positive [m]
    :param sure: how sure: that the last mark was not too late (`on`), is neither too late nor far too early (`stay`), was too late
        (`back`, `stop`)
    :param late: chance that the next mark is too late [-]
    :param latest_m: the latest mark as it is known now [m]
    :param low_m: lower end of its 95 % interval [m]
    :param high_m: upper end [m]
    :param ask: `measured` where a run with samples should say whether there is room; `changed` where it should be asked whether
        conditions are others; empty where nothing is asked
    """

    word: Literal["begin", "on", "stay", "back", "stop"]
    mark_m: float
    sure: float
    late: float
    latest_m: float
    low_m: float
    high_m: float
    ask: str = ""


def scale_of(braking_m: float) -> float:
    """By how much the trainer's metres count in a corner with such a braking distance: those of a kart are shorter."""
    return float(np.clip(braking_m / _FOR_M, *_SCALED))


@lru_cache(maxsize=1)
def _moves() -> Floats:
    """Where the latest mark goes from run to run, by way of moving, shape [ways, to, from]."""
    from scipy.special import ndtr

    found = np.empty((len(_DRIFTS), len(_GRID), len(_GRID)))
    for way, drift in enumerate(_DRIFTS):
        away = _GRID[:, None] - _GRID[None, :] - drift
        walk = ndtr((away + 0.5) / _WALK_M) - ndtr((away - 0.5) / _WALK_M)
        jump = np.where(away < 0, _EARLIER, 1.0 - _EARLIER) * np.exp(-np.abs(away) / _JUMP_M)
        both = (1.0 - _JUMP) * walk + _JUMP * jump / jump.sum(axis=0)
        found[way] = both / both.sum(axis=0)
    return found


@lru_cache(maxsize=1)
def _costs() -> Floats:
    """What a mark costs where the latest one lies somewhere, shape [marks, latest]."""
    late = _GRID[:, None] - _GRID[None, :]
    return np.asarray(np.maximum(-late, 0.0) + _LATE_COST * np.maximum(late, 0.0) + _FAR_COST * np.maximum(late - _FAR_M, 0.0))


def _fresh(level: Level) -> Floats:
    """The belief before the first run, by way of moving, shape [ways, places]."""
    scale = float(np.hypot(_MODEL_SD_M, level.sd_m)) * float(np.sqrt((_FREEDOMS - 2.0) / _FREEDOMS))
    usual = (1.0 + (_GRID / scale) ** 2 / _FREEDOMS) ** (-0.5 * (_FREEDOMS + 1.0))  # Student t, but for its constant
    anywhere = ((_BETWEEN_M[0] <= _GRID) & (_BETWEEN_M[1] >= _GRID)).astype(float)
    chance = (1.0 - _ANYWHERE) * usual / usual.sum() + _ANYWHERE * anywhere / anywhere.sum()
    return np.asarray(np.array(_DRIFT_SHARES)[:, None] * chance)


@dataclass
class Trainer:
    """One corner's trainer, run by run.

    :param scale: of its metres, of `scale_of`
    :param real_car: whether steps forward are halved
    :param seen_m: latest braking that samples of other runs show, behind the model's point; None where there are none [m]
    """

    level: Level
    scale: float = 1.0
    real_car: bool = False
    seen_m: float | None = None
    chance: Floats = field(init=False)
    tried: list[Tried] = field(default_factory=list, init=False)
    first_m: float = field(init=False)
    lates: float = field(default=0.0, init=False)

    def __post_init__(self) -> None:
        self.chance = _fresh(self.level)
        self.first_m = float(np.floor(self._at(_FIRST) - 0.5 * self.level.scatter_m))

    @property
    def belief(self) -> Floats:
        """The chance of each place of the latest mark."""
        return np.asarray(self.chance.sum(axis=0))

    def _at(self, share: float) -> float:
        return float(np.interp(share, np.cumsum(self.belief), _GRID))

    def _too_late(self, mark: float) -> float:
        return float(np.interp(mark, _GRID, np.cumsum(self.belief)))

    def told(self, run: Tried) -> None:
        """Takes in what a run said, and moves the belief to the next one."""
        from scipy.special import ndtr

        run = Tried(run.mark_m / self.scale, run.late, run.early, run.anew, run.board)
        self.tried.append(run)
        if run.anew:
            self.lates = 0.0
            wide = np.exp(-0.5 * ((_GRID[:, None] - _GRID[None, :]) / _WIDER_M) ** 2)
            self.chance = _CARRIED * (self.chance @ (wide / wide.sum(axis=0)).T) + (1.0 - _CARRIED) * _fresh(self.level)
            self.chance /= self.chance.sum()
            return
        scatter = float(np.hypot(self.level.scatter_m, _BOARD_M if run.board else NO_BOARD_M))
        late, early = ndtr((run.mark_m - _GRID) / scatter), ndtr((_GRID - _JUST_M - run.mark_m) / scatter)
        before = early if run.early else 1.0 - late if run.early is None else np.clip(1.0 - late - early, 0.0, 1.0)
        likely = run.late * late + (1.0 - run.late) * before
        chance = self.chance * ((1.0 - _LAPSE) * likely + _LAPSE / 3.0)
        chance /= chance.sum()
        chance = _KEPT * chance + (1.0 - _KEPT) * np.array(_DRIFT_SHARES)[:, None] * chance.sum(axis=0)
        self.chance = np.einsum("wij,wj->wi", _moves(), chance)
        self.chance /= self.chance.sum()
        self.lates = self.lates + 1.0 if run.was_late else max(self.lates - (_EASED[0] if run.early else _EASED[1]), 0.0)

    def advice(self) -> Advice:
        """The next mark."""
        runs = self._since_anew()
        if not runs:
            return self._begin()
        last, now = runs[-1], runs[-1].mark_m
        risk, floor = self._too_late(now), self.first_m - _FLOOR_M
        wish = float(_GRID[int((_costs() @ self.belief).argmin())])
        if last.was_late:
            if now <= floor + 1e-9:
                return self._advice("stop", now, risk, "changed")
            mark = max(self._back(runs, wish), floor)
            followed = len(runs) > 2 and runs[-2].was_late and not runs[-3].was_late and not runs[-3].early
            return self._advice("back", float(np.floor(mark)), risk, "changed" if followed else "")
        mark = min(wish, self._farthest(runs))
        if mark < now and not any(run.was_late for run in runs):
            mark = max(mark, now - 2.0 * _BACK_M)
        mark = float(np.floor(max(mark, floor)))
        ask = "measured" if now >= 0.0 and all(run.early for run in runs) else ""
        if mark - now >= _LEAST_ON_M:
            return self._advice("on", mark, 1.0 - risk, ask)
        if now - mark >= _LEAST_BACK_M:
            return self._advice("back", mark, risk, ask)
        near = (now <= _GRID) & (now + _JUST_M + self.level.scatter_m >= _GRID)
        return self._advice("stay", now, float(self.belief[near].sum()), ask)

    def _since_anew(self) -> list[Tried]:
        """The runs since conditions became others."""
        new = max((k for k, run in enumerate(self.tried) if run.anew), default=-1)
        return self.tried[new + 1 :]

    def _begin(self) -> Advice:
        """The first mark, and the first under new conditions: at most half a step before where one was."""
        before = [run for run in self.tried if not run.anew]
        mark = self.first_m
        if self.tried:
            mark = float(np.floor(self._at(_ANEW)))
            mark = min(mark, float(np.floor(before[-1].mark_m - 0.5 * self.level.step_m))) if before else mark
        return self._advice("begin", mark, 1.0 - self._too_late(mark))

    def _farthest(self, runs: Sequence[Tried]) -> float:
        """How far the next mark may lie after a run that was not late."""
        last, level = runs[-1], self.level
        step = level.step_m * (0.5 if self.real_car else 1.0)
        if any(run.was_late for run in runs[-_WARY_RUNS:]):  # the limit may be on its way: nobody is sent after it by whole steps
            step *= 0.5
        if last.early is None and last.late >= _SAMPLES_LATE:  # samples that are in doubt send nobody on
            farthest = last.mark_m
        elif last.early:
            farthest = last.mark_m + step * (0.5 if last.mark_m > 0.0 else 1.0)
        else:
            farthest = last.mark_m + 0.75 * step
        lifted = max((k for k in range(1, len(runs)) if runs[k].early and runs[k - 1].early), default=-1)
        goods = [run.mark_m for run in runs[lifted + 1 :] if not run.was_late and run.early is False]
        if goods:
            farthest = min(farthest, max(min(goods) + level.beyond_m, last.mark_m))
        for run in runs[-2:]:
            if run.was_late:
                farthest = min(farthest, run.mark_m - _BEFORE_LATE_M)
        ceiling = _CEILING * float(np.hypot(_CEILING_SD_M, level.sd_m))
        if self.seen_m is not None:
            ceiling = min(ceiling, self.seen_m / self.scale + 3.0)
        return min(farthest, ceiling)

    def _back(self, runs: Sequence[Tried], wish: float) -> float:
        """The mark after one that was late."""
        now = runs[-1].mark_m
        mark = min(wish, now - _BACK_M)
        if self.lates >= 2.5:
            mark = min(mark, now - 2.0 * _BACK_M)
        elif self.lates >= 1.5:
            good = [run.mark_m for run in reversed(runs) if not run.was_late and run.mark_m <= now - 2.0 * _BACK_M]
            mark = min(mark, now - 3.0 * _BACK_M, *good[:1])
        for run in runs[-2:]:
            if run.was_late:
                mark = min(mark, run.mark_m - _BEFORE_LATE_M)
        return max(mark, now - _MOST_BACK * _BACK_M)

    def _advice(self, word: Literal["begin", "on", "stay", "back", "stop"], mark: float, sure: float, ask: str = "") -> Advice:
        low, middle, high = (self.scale * self._at(share) for share in (0.025, 0.5, 0.975))
        return Advice(word, self.scale * mark, sure, self._too_late(mark), middle, low, high, ask)


def advise(
    level: Level, tried: Sequence[Tried], scale: float = 1.0, real_car: bool = False, seen_m: float | None = None
) -> Advice:  # fmt: skip
    """The next mark from all that was tried, in the order driven; parameters as of `Trainer`."""
    trainer = Trainer(level, scale, real_car, seen_m)
    for run in tried:
        trainer.told(run)
    return trainer.advice()


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
