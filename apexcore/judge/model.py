"""The lap model: lap times corrected for fuel and tyre age.

lap time = level of the sheet (or of every other tagged choice) + fuel x weight + compound + tyre age x its fade
           + cold tyres + track temperature + session trend + what the driver still learns + shift of the day
           + shift of the run + what a spoiled lap lost + scatter

The run's shift is shared by all laps of a run (six laps in one run are not six independent runs); its spread has a heavy-tailed
prior, which the driver's earlier runs sharpen. Learning dies out with the laps driven that day. A spoiled lap is slow, never fast:
its delay is an exponential. The scatter has heavy tails (Student t with four degrees of freedom). Priors for weight and fade
come from the vehicle model. The posterior is drawn by Gibbs sampling (`sampler`) with a fixed seed, so that the same laps
always give the same verdict.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .history import GUARD, HOUR_FROM, SHARE, History, history_of, log_weight
from .sampler import Floats, gibbs

TAILS = 4  #: degrees of freedom of the lap scatter
DRAWS = 1600  #: posterior draws kept
BURN = 250  #: draws thrown away first

#: Scale of a Student t of that many degrees of freedom over the median of its absolute values.
_SCALE_OVER_MEDIAN = 1.35

#: Half-normal prior of the scatter of a driver's laps, and half-Cauchy one of the spread from run to run [s]. Sources: both are wide
#: around what club racers show (a few tenths from lap to lap, about a tenth from run to run); the Cauchy's tail lets a day of half a
#: second be one.
SCATTER_PRIOR_S = 1.0
SHIFT_PRIOR_S = 0.10

#: What a driver has still to learn on the first lap of a day, half-Cauchy [s], and the laps after which 1/e of it is left. Sources:
#: assumptions of this product; 6 and 24 laps serve no better in simulated days.
LEARNING_PRIOR_S, LEARNING_LAPS = 0.15, 12.0

#: Spoiled laps that nobody marked: their mean delay [s], and counts of the beta prior of their share (one in ten).
#: Source: assumptions of this product, held against worlds with none, 15 and 30 % of them.
SPOILED = (1.0, 1.0, 9.0)

#: Spread of days, as every car, track and driver has better and worse ones [s]. Source: an assumption of this product.
DAY_SD_S = 0.3

#: Half-normal prior of how much several sheets differ [s]: they shrink towards each other by what the laps leave open.
#: Source: an assumption of this product, about what a day's changes are worth.
ALIKE_PRIOR_S = 0.3

#: Share of the time lost to cold tyres that is left one lap later. Source: the demo car's modelled stints.
COLD_STAY = 0.4

#: Prior spread of the lap time and of the difference between two levels [s]: so wide that they never decide.
TIME_PRIOR_S, LEVEL_PRIOR_S = 50.0, 7.0


def information_of(scatter_s: Floats, spoiled: Floats) -> Floats:
    """What one lap of this scatter tells at every draw [1/s2]: a Student t carries (nu+1)/(nu+3) of the information of a normal one of the
    same scale (Fisher information of the location of a t).

    :param spoiled: share of laps that tell nothing
    """
    return np.asarray((1.0 - spoiled) * (TAILS + 1.0) / (TAILS + 3.0) / scatter_s**2)


def scale_of(rest_s: Floats) -> float:
    """Scale of heavy-tailed scatter from what is left of laps around their middle [s]; single wild laps do not move it."""
    return _SCALE_OVER_MEDIAN * float(np.median(np.abs(rest_s)))


@dataclass(frozen=True)
class Prior:
    """A normal prior.

    :param mean: in the unit of its coefficient
    :param sd: its standard deviation, above 0
    """

    mean: float
    sd: float


@dataclass(frozen=True)
class Priors:
    """What the vehicle model says before any lap was driven.

    :param fuel: weight cost [s/kg]
    :param fade: fade of each compound [s/lap]
    :param offset: lap time of each compound but the first, new, against the first [s]
    :param cold: time lost to cold tyres on the first timed lap; it shrinks by `COLD_STAY` a lap [s]
    :param track: lap time added by a warmer track [s/K]
    :param trend: lap time added by an hour of the session, as a track gains rubber or loses it [s/h]
    :param history: what the driver's earlier runs say of the spread from run to run
    """

    fuel: Prior
    fade: tuple[Prior, ...]
    offset: tuple[Prior, ...] = ()
    cold: Prior = Prior(0.0, 0.5)
    track: Prior = Prior(0.0, 0.02)
    trend: Prior = Prior(0.0, 0.6)
    history: History | None = None

    def __post_init__(self) -> None:
        if len(self.offset) != len(self.fade) - 1:
            raise ValueError("every compound but the first needs a prior of its offset")

    def with_pairs(self, pairs: Sequence[tuple[int, int]]) -> "Priors":
        """The priors with a further compound for each unlike pair, front and rear: what is half of both, half as sure again."""
        offsets = [Prior(0.0, 0.0), *self.offset]

        def half(of: Sequence[Prior], pair: tuple[int, int]) -> Prior:
            front, rear = of[pair[0]], of[pair[1]]
            return Prior(0.5 * (front.mean + rear.mean), 1.5 * max(front.sd, rear.sd))

        fade = [half(self.fade, pair) for pair in pairs]
        offset = [half(offsets, pair) for pair in pairs]
        return replace(self, fade=(*self.fade, *fade), offset=(*self.offset, *offset))

    @property
    def knows_driver(self) -> bool:
        """Whether enough of the driver's earlier runs are known."""
        return self.history is not None and self.history.tells


@dataclass(frozen=True)
class Observed:
    """One timed lap with what explains it.

    :param run: which run, any whole number
    :param level: which sheet (or other tagged choice), from 0
    :param compound: which compound, from 0
    :param fuel_kg: fuel on board at its start [kg]
    :param tyre_age: laps on the tyres before it
    :param time_s: lap time [s]
    :param since_pit: laps since the pit exit before it; tyres are warm where it is not told
    :param track_c: track temperature [degC]
    :param hours: time since the session's first run [h]
    :param marks: of several differences judged at once, which are on (1) and off (0); then `level` is not read
    :param driven: laps of any kind that the driver drove that day before it; counted from the laps given where it is not told
    :param day: which day, any whole number
    :param tags: names and values that go with the run, such as its driver
    :param cold: what cold tyres cost this run over what they cost new ones [-]
    """

    run: int
    level: int
    compound: int
    fuel_kg: float
    tyre_age: float
    time_s: float
    since_pit: int = 99
    track_c: float = 0.0
    hours: float = 0.0
    marks: tuple[int, ...] = ()
    driven: float | None = None
    day: int = 0
    tags: tuple[tuple[str, str], ...] = ()
    cold: float = 1.0

    @property
    def cold_share(self) -> float:
        """What is left of the cold of new tyres on its first lap from the pit [-]."""
        return self.cold * COLD_STAY ** max(self.since_pit - 1, 0)


@dataclass(frozen=True)
class Reference:
    """What lap times are moved to: the mean of the laps judged, the driver as far as at their end.

    :param fuel_kg: [kg]
    :param tyre_age: [laps]
    :param track_c: [degC]
    :param hours: since the session's first run [h]
    :param driven: laps that the driver drove that day
    """

    fuel_kg: float
    tyre_age: float
    track_c: float
    hours: float
    driven: float = math.inf


def driven_before(laps: Sequence[Observed]) -> Floats:
    """Laps of the day before each of these, counted from the laps themselves where it is not told."""
    counts: dict[int, int] = {}
    found = []
    for lap in laps:
        found.append(float(counts.get(lap.day, 0)) if lap.driven is None else lap.driven)
        counts[lap.day] = counts.get(lap.day, 0) + 1
    return np.array(found)


def reference_of(laps: Sequence[Observed]) -> Reference:
    """The mean of these laps."""
    rows = np.array([(lap.fuel_kg, lap.tyre_age, lap.track_c, lap.hours) for lap in laps])
    kg, age, track, hours = (float(value) for value in rows.mean(axis=0))
    return Reference(kg, age, track, hours, float(driven_before(laps).max()))


@dataclass(frozen=True)
class Posterior:
    """Draws of the lap model, shape [draws] or [draws, several].

    :param levels: lap time of each level at the reference [s]; the first only where several differences are judged at once
    :param effects: each level against the first, or each difference judged at once [s]
    :param fuel: [s/kg]
    :param fade: of each compound [s/lap]
    :param offset: of each compound against the first, which is 0 [s]
    :param cold: time lost to cold tyres on the first timed lap [s]
    :param track: [s/K]
    :param trend: [s/h]
    :param shift_sd: spread of the run shifts [s]
    :param scatter: scale of the lap scatter [s]
    :param reference: what `levels` refer to
    :param runs: the shift of each run, in the order of first appearance [s]
    :param learning: what the driver had to learn on the first lap of a day [s]
    :param spoiled: share of the laps that were spoiled without a mark [-]
    :param parts: conditional mean and standard deviation of each effect at each draw: its posterior is the mixture of these
        normals, with smoother ends than its draws have [s]
    """

    levels: Floats
    effects: Floats
    fuel: Floats
    fade: Floats
    offset: Floats
    cold: Floats
    track: Floats
    trend: Floats
    shift_sd: Floats
    scatter: Floats
    reference: Reference
    runs: Floats
    learning: Floats
    spoiled: Floats
    parts: tuple[Floats, Floats]


def effects_of(laps: Sequence[Observed]) -> int:
    """How many effects these laps have: levels beyond the first, or differences judged at once."""
    return len(laps[0].marks) if laps[0].marks else max(lap.level for lap in laps)


def days_of(laps: Sequence[Observed]) -> list[int]:
    """The days of these laps where there are several, else none: one day's shift is part of the level."""
    days = sorted({lap.day for lap in laps})
    return days if len(days) > 1 else []


def design(laps: Sequence[Observed], compounds: int, reference: Reference, effects: int, days: Sequence[int]) -> Floats:
    """Columns of the lap model, shape [laps, 2 compounds + 4 + days + effects + 1].

    Lap time, weight, fade of each compound, offset of each compound but the first, cold tyres, track, trend; each day; each
    effect; and learning last, as `sampler.gibbs` wants it.

    :param effects: of `effects_of`
    :param days: of `days_of`
    """
    fade, rest = 2, 1 + 2 * compounds
    x = np.zeros((len(laps), rest + 3 + len(days) + effects + 1))
    x[:, 0] = 1.0
    learnt = np.exp(-driven_before(laps) / LEARNING_LAPS) - math.exp(-reference.driven / LEARNING_LAPS)
    for row, lap in enumerate(laps):
        x[row, 1] = lap.fuel_kg - reference.fuel_kg
        x[row, fade] -= reference.tyre_age  # levels refer to the first compound at that age, offsets to new tyres
        x[row, fade + lap.compound] += lap.tyre_age
        if lap.compound:
            x[row, fade + compounds + lap.compound - 1] = 1.0
        x[row, rest] = lap.cold_share
        x[row, rest + 1] = lap.track_c - reference.track_c
        x[row, rest + 2] = lap.hours - reference.hours
        if days:
            x[row, rest + 3 + days.index(lap.day)] = 1.0
        if lap.marks:
            x[row, -1 - effects : -1] = lap.marks
        elif lap.level:
            x[row, -1 - effects + lap.level - 1] = 1.0
    x[:, -1] = learnt
    return x


def prior_columns(priors: Priors, effects: int, days: int) -> tuple[Floats, Floats]:
    """Prior means and standard deviations of the columns of `design`; of learning as if it were normal."""
    book = [priors.fuel, *priors.fade, *priors.offset, priors.cold, priors.track, priors.trend]
    mean = np.array([0.0, *(prior.mean for prior in book), *[0.0] * (days + effects + 1)])
    sd = np.array([TIME_PRIOR_S, *(prior.sd for prior in book), *[DAY_SD_S] * days, *[LEVEL_PRIOR_S] * effects, LEARNING_PRIOR_S])
    return mean, sd


def columns_in_words(compounds: int, days: int) -> list[str]:
    """What each column of `design` between the lap time and the effects stands for; nothing for the trend, which no book knows."""
    offsets = ["compound"] * (compounds - 1)
    return ["fuel", *["tyre age"] * compounds, *offsets, "cold tyres", "track temperature", "", *["day"] * days]


def fit(laps: Sequence[Observed], priors: Priors, seed: int = 20_261, alike: bool = False) -> Posterior:
    """Posterior of the lap model.

    :param laps: timed laps only, of at least one level, in the order driven
    :param alike: whether the levels shrink towards each other, as many that are tried at once should
    :raises ValueError: without laps, or where a lap time is no number
    """
    if not laps:
        raise ValueError("the lap model needs at least one timed lap")
    compounds, effects, days = len(priors.fade), effects_of(laps), days_of(laps)
    order: dict[int, int] = {}
    for lap in laps:
        order.setdefault(lap.run, len(order))
    times = np.array([lap.time_s for lap in laps])
    reference = reference_of(laps)
    centre = float(np.median(times))
    x = design(laps, compounds, reference, effects, days)
    if not (np.isfinite(times).all() and np.isfinite(x).all()):
        raise ValueError("a lap's time, fuel, tyre age, track temperature or hour is not a number")
    mean, sd = prior_columns(priors, effects, len(days))
    run = np.array([order[lap.run] for lap in laps], dtype=np.int64)
    draws, shift, scatter, spoiled, *parts = gibbs(
        x, times - centre, run, len(order), mean, sd, effects, seed, BURN, DRAWS, TAILS, SCATTER_PRIOR_S, SHIFT_PRIOR_S,
        _history_row(priors.history), LEARNING_PRIOR_S, ALIKE_PRIOR_S if alike and effects else 0.0, np.array(SPOILED),
    )  # fmt: skip
    p, rest = x.shape[1], 1 + 2 * compounds
    offset = np.column_stack([np.zeros(len(draws)), draws[:, 2 + compounds : rest]])
    found = draws[:, p - 1 - effects : p - 1]
    level = draws[:, :1] + centre
    levels = level if laps[0].marks else np.column_stack([level, level + found])
    return Posterior(
        levels, found, draws[:, 1], draws[:, 2 : 2 + compounds], offset, draws[:, rest], draws[:, rest + 1], draws[:, rest + 2],
        shift, scatter, reference, draws[:, p:], draws[:, p - 1], spoiled, (parts[0], parts[1]),
    )  # fmt: skip


def history_from(runs: Sequence[Sequence[Observed]], priors: Priors, scale: float = 1.0) -> History | None:
    """What earlier runs say of the spread from run to run, with the book's effects taken out; None where they say nothing.

    Runs of one level on one compound are held against each other, with the hour taken out where there are enough.

    :param runs: timed laps of each run, of one day
    :param scale: of the book's effects, for laps of another length
    """
    runs = [run for run in runs if len(run) >= 3]
    if len(runs) < 2:
        return None
    cold, fuel = priors.cold.mean, priors.fuel.mean
    cleaned = [
        [lap.time_s - scale * (fuel * lap.fuel_kg + priors.fade[lap.compound].mean * lap.tyre_age + cold * lap.cold_share) for lap in run]
        for run in runs
    ]
    kinds = sorted({(run[0].level, run[0].compound) for run in runs})
    columns = [[float((run[0].level, run[0].compound) == kind) for run in runs] for kind in kinds]
    if len(runs) >= HOUR_FROM:
        columns.append([run[0].hours for run in runs])
    within = np.concatenate([np.array(run) - np.median(run) for run in cleaned])
    scatter = _SCALE_OVER_MEDIAN * float(np.median(np.abs(within))) * math.sqrt(len(within) / max(len(within) - len(runs), 1))
    return history_of(cleaned, scatter, np.array(columns).T)


def _history_row(history: History | None) -> Floats:
    """A history as the sampler takes it."""
    if history is None:
        return np.array([0.0, 0.0, 0.0, 1.0, 1.0, 0.0])
    return np.array([history.square_s2, history.freedom, history.noise_s2, GUARD, SHARE, log_weight(history, SHIFT_PRIOR_S)])


def corrected_times(laps: Sequence[Observed], posterior: Posterior) -> Floats:
    """Lap times with fuel, compound, tyre age, cold tyres, track, trend and learning moved to the posterior's reference [s]."""
    compounds = posterior.fade.shape[1]
    x = design(laps, compounds, posterior.reference, effects_of(laps), [])
    known = np.column_stack([x[:, 1 : 2 * compounds + 4], x[:, -1]])
    rest = [
        posterior.fuel.mean(), *posterior.fade.mean(axis=0), *posterior.offset.mean(axis=0)[1:], posterior.cold.mean(),
        posterior.track.mean(), posterior.trend.mean(), posterior.learning.mean(),
    ]  # fmt: skip
    return np.asarray(np.array([lap.time_s for lap in laps]) - known @ np.array(rest), dtype=np.float64)


def fuel_out(laps: Sequence[Observed], fuel_s_per_kg: float) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Ages of the tyres [laps] and lap times without what fuel on board costs [s], as the readers of fades take them."""
    return tuple(lap.tyre_age for lap in laps), tuple(lap.time_s - fuel_s_per_kg * lap.fuel_kg for lap in laps)


def warm() -> None:
    """Compile, or load from the cache, what a request may need."""
    laps = [Observed(i // 3, i % 2, 0, 30.0 - i, float(i % 3), 70.0 + 0.1 * (i % 3)) for i in range(6)]
    fit(laps, Priors(Prior(0.03, 0.01), (Prior(0.05, 0.05),)))
