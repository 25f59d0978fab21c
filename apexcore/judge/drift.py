"""A difference between sheets where the track may change in other ways than evenly.

Lap times, made normal (`robust`), are parted into deviations inside runs, which tell fuel, tyres, learning and the trend, and means of
runs, which tell the difference, the shift of runs and what the track did. The trend is nearly none or a real one; beside it stands exactly
one kind of drift: none, a bend, a step behind a run, rubber that begins anew there, or a walk from run to run. Everything is normal given
the kind, the spread from run to run and few more figures, which are summed over a grid: no draws, the same laps give the same answer.

Sources: marginal likelihood of a normal linear model (Gelman and others, Bayesian Data Analysis, ch. 14); the kinds and their weights are
assumptions of this product, held against simulated days with a known truth (docs/proof.md).
"""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from .history import GUARD, SHARE, log_weight
from .mixture import Mixture
from .model import LEVEL_PRIOR_S, SHIFT_PRIOR_S, TIME_PRIOR_S, Observed, Priors, days_of, design, effects_of, prior_columns, reference_of
from .robust import Pseudo, pseudo_times
from .sampler import Floats, Ints

#: The trend: standard deviation [s/h] and weight of a track that stands still, and of one that does not.
_TRENDS = ((0.10, 0.6), (0.8, 0.4))
#: What a driver has to learn on the first lap of a day: mean, standard deviation [s] and weight.
_LEARNING = ((0.05, 0.06, 0.62), (0.35, 0.25, 0.26), (1.4, 0.8, 0.12))
#: Kinds of drift: weight and sizes [s]; of a walk by the root of `_WALK_H` hours. Those at a break share their weight among the breaks.
_NONE = 0.38
_BEND = (0.14, (0.2, 0.8))
_STEP = (0.32, (0.25, 1.0))
_ANEW = (0.08, (0.7,))
_WALK = (0.08, (0.1, 0.25, 0.6))
_WALK_H, _RUBBER_H = 0.35, 0.45
#: Runs from which on more than a walk is told apart.
_KINDS_FROM = 4
#: Spreads from run to run that are summed over [s].
_SHIFTS = np.geomspace(0.008, 1.6, 10)
#: How much more a side's tyres may fade than the other's [s/lap].
FADE_SD_S = 0.03
#: Prior spread of a tag's value against the first [s].
TAG_SD_S = 1.0
#: The same of a wet track against a dry one, where both have to be judged together [s].
WET_SD_S = 8.0
#: How far several sheets may differ: sizes and the half-normal scale of their prior [s].
_ALIKE, _ALIKE_SCALE_S = (0.05, 0.12, 0.25, 0.5), 0.3
#: A kind whose evidence comes within this factor of the best one's must agree before a verdict is settled.
_GUARDED = 3.0
#: Share of the posterior that its kept parts make, and parts from which a side's fade is worked out.
_KEPT, _HEAVIEST = 0.9998, 30


@dataclass(frozen=True)
class Kind:
    """A kind of drift.

    :param name: `none`, `bend`, `step`, `anew` or `walk`
    :param after: runs before the break; 0 where it has none
    :param column: what it adds to each run, of size 1; empty of a walk
    :param sizes: standard deviations of its size [s]
    :param weight: before any lap was driven [-]
    """

    name: str
    after: int
    column: Floats = field(compare=False, repr=False)
    sizes: tuple[float, ...]
    weight: float


@dataclass(frozen=True)
class Told:
    """What one kind of drift says of a difference.

    :param evidence: how much likelier the laps made it than it was before [-]
    :param found: the difference if it was that
    :param size_s: how large it then was [s]
    """

    kind: Kind
    evidence: float
    found: Mixture = field(compare=False, repr=False)
    size_s: float


@dataclass(frozen=True)
class SideFade:
    """How the second side's tyres fade against the first's.

    :param more_s: fade beyond the other's, mean and standard deviation [s/lap]
    :param apart: whether the 95 % interval leaves no difference out
    :param age: mean age of the laps judged, to which the difference refers [laps]
    :param parts: difference and fade of each part: weights, means shape [parts, 2] and covariances shape [parts, 2, 2]
    """

    more_s: tuple[float, float]
    apart: bool
    age: float
    parts: tuple[Floats, Floats, Floats] = field(compare=False, repr=False)

    def over(self, age: float) -> Mixture:
        """The difference at a mean age of the tyres [s]."""
        share, mean, covariance = self.parts
        away = age - self.age
        width = covariance[:, 0, 0] + 2.0 * away * covariance[:, 0, 1] + away**2 * covariance[:, 1, 1]
        return Mixture(mean[:, 0] + away * mean[:, 1], np.sqrt(width), share)

    def crossing(self) -> tuple[float, float, float] | None:
        """The age at which both are as quick: median and 95 % interval [laps]; None where no such age is likely.

        Draws rather than a ratio of means, for a ratio of normals has no mean.
        """
        rng = np.random.default_rng(20_261)
        share, mean, covariance = self.parts
        chosen = rng.choice(len(share), 400, p=share)
        root = np.linalg.cholesky(covariance[chosen] + 1e-14 * np.eye(2))
        d, more = (mean[chosen] + np.einsum("nij,nj->ni", root, rng.standard_normal((400, 2)))).T
        ages = self.age - d / more
        if not (ages > 0.0).mean() > 0.5:
            return None
        low, middle, high = np.quantile(ages[ages > 0.0], (0.025, 0.5, 0.975))
        return float(middle), float(low), float(high)


@dataclass(frozen=True)
class Drifted:
    """What laps say of each effect, whatever the track did.

    :param effects: the posterior of each
    :param told: what each kind of drift says, of each effect
    :param fade: of the second side, where there are two
    :param left_out: tags that were driven just as the sheets were, and cannot be parted from them
    :param per_run_s2: variance of the mean of a run like those driven, at each part of the effects [s2]
    """

    effects: tuple[Mixture, ...]
    told: tuple[tuple[Told, ...], ...]
    fade: SideFade | None
    left_out: tuple[str, ...]
    per_run_s2: Floats

    def guards(self, effect: int, side: Sequence[float]) -> list[Told]:
        """The kinds of drift that the laps hardly tell from the best one.

        :param side: of each run, 0 for A and 1 for B: a step between all runs of one and all of the other is the difference itself
        """
        asked = [one for one in self.told[effect] if one.kind.name != "walk"]
        best = max((one.evidence for one in asked), default=0.0)
        own = np.asarray(side, dtype=float)
        return [
            one
            for one in asked
            if one.evidence * _GUARDED > best and not (one.kind.name == "step" and _same_split(one.kind.column, own))
        ]  # fmt: skip


def _same_split(one: Floats, other: Floats) -> bool:
    return len(one) == len(other) and (np.array_equal(one, other) or np.array_equal(one, 1.0 - other))


def kinds_of(hours: Floats, days: Ints) -> list[Kind]:
    """What the track may have done over some runs.

    :param hours: at which each run began
    :param days: day of each
    """
    runs, nothing = len(hours), np.zeros(0)
    if runs < _KINDS_FROM:
        return [Kind("none", 0, nothing, (), _NONE), Kind("walk", 0, nothing, _WALK[1], _WALK[0])]
    span = max(float(np.ptp(hours)), 1e-9)
    found = [
        Kind("none", 0, nothing, (), _NONE),
        Kind("walk", 0, nothing, _WALK[1], _WALK[0]),
        Kind("bend", 0, (2.0 * (hours - hours.min()) / span - 1.0) ** 2, _BEND[1], _BEND[0]),
    ]
    breaks = [k for k in range(1, runs) if days[k] == days[k - 1]]
    for k in breaks:
        same, later = days == days[k], np.arange(runs) >= k
        found.append(Kind("step", k, (same & later).astype(float), _STEP[1], _STEP[0] / len(breaks)))
        begin, first = 0.5 * (hours[k - 1] + hours[k]), hours[same].min()
        since = np.where(later, hours - begin, hours - first)
        rubber = np.where(same, 1.0 - np.exp(-np.maximum(since, 0.0) / _RUBBER_H), 0.0)
        found.append(Kind("anew", k, rubber, _ANEW[1], _ANEW[0] / len(breaks)))
    return found


@dataclass(frozen=True)
class _Laps:
    """Laps as columns.

    :param inside: columns that change within runs, then the trend and learning last, shape [laps, columns]
    :param own: the common level and the effects of each run, shape [runs, 1 + effects]
    :param mean: prior means of `inside`; `sd` their standard deviations
    """

    inside: Floats
    own: Floats
    mean: Floats
    sd: Floats
    run: Ints
    hours: Floats
    days: Ints
    left_out: tuple[str, ...]
    age: float
    sided: bool

    def with_priors(self, trend_sd: float, learning: float, learning_sd: float) -> "_Laps":
        """The same under other priors of the trend [s/h] and of learning [s]."""
        return replace(self, mean=np.append(self.mean[:-1], learning), sd=np.append(self.sd[:-2], (trend_sd, learning_sd)))

    @property
    def wide(self) -> Floats:
        """Prior standard deviations of `own`: so wide that they never decide [s]."""
        return np.array([TIME_PRIOR_S, *[LEVEL_PRIOR_S] * (self.own.shape[1] - 1)])


def _columns(laps: Sequence[Observed], priors: Priors) -> _Laps:
    compounds, effects, days = len(priors.fade), effects_of(laps), days_of(laps)
    order: dict[int, int] = {}
    for lap in laps:
        order.setdefault(lap.run, len(order))
    run = np.array([order[lap.run] for lap in laps], dtype=np.int64)
    x = design(laps, compounds, reference_of(laps), effects, days)
    mean, sd = prior_columns(priors, effects, len(days))
    trend = 1 + 2 * compounds + 2
    book = [k for k in range(1, x.shape[1] - 1 - effects) if k != trend]
    first = [int(np.flatnonzero(run == k)[0]) for k in range(len(order))]
    own = np.column_stack([np.ones(len(order)), x[first, x.shape[1] - 1 - effects : -1]])
    tags, tag_sd, left_out = _tags([laps[k] for k in first], own[:, 1:])
    age = float(np.mean([lap.tyre_age for lap in laps]))
    sided = effects == 1
    side = (own[run, 1] - 0.5) * (np.array([lap.tyre_age for lap in laps]) - age) if sided else np.zeros(len(laps))
    inside = np.column_stack([x[:, book], tags[run], side, x[:, trend], x[:, -1]])
    extra = len(tag_sd)
    means = np.concatenate([mean[book], np.zeros(extra + 1), [0.0, 0.0]])
    sds = np.concatenate([sd[book], tag_sd, [FADE_SD_S if sided else 1e-6, 1.0, 1.0]])
    hours = np.array([laps[k].hours for k in first])
    return _Laps(inside, own, means, sds, run, hours, np.array([laps[k].day for k in first]), left_out, age, sided)


def _tags(runs: Sequence[Observed], effects: Floats) -> tuple[Floats, Floats, tuple[str, ...]]:
    """A column for each value but the first of every tag that varies, of the runs; their prior spread; and tags that go with the effects.

    At most so many that four runs are left to tell the rest, those that part the runs most evenly first.
    """
    names = sorted({name for lap in runs for name, _ in lap.tags})
    columns, left_out = list[tuple[int, Floats, float]](), list[str]()
    for name in names:
        values = [dict(lap.tags).get(name, "") for lap in runs]
        kinds = sorted(set(values), key=lambda value: (-values.count(value), value))
        for value in kinds[1:]:
            column = np.array([float(one == value) for one in values])
            if any(_same_split(column, effect) for effect in effects.T):
                left_out.append(name)
            else:
                even = min(int(column.sum()), len(runs) - int(column.sum()))
                columns.append((-even, column, WET_SD_S if name == "track" else TAG_SD_S))
    columns.sort(key=lambda one: one[0])
    kept = columns[: max(len(runs) - 4, 0)]
    matrix = np.array([column for _, column, _ in kept]).T if kept else np.zeros((len(runs), 0))
    return matrix, np.array([sd for *_, sd in kept]), tuple(dict.fromkeys(left_out))


def judged(laps: Sequence[Observed], priors: Priors, alike: bool = False) -> Drifted:
    """What laps say of each effect.

    :param laps: timed laps, in the order driven
    :param alike: whether the effects shrink towards each other
    """
    told = _columns(laps, priors)
    times = np.array([lap.time_s for lap in laps])
    runs, broad = len(told.own), told.with_priors(0.6, 0.15, 0.25)
    pseudo = pseudo_times(
        np.column_stack([told.own[told.run], told.inside]), times - np.median(times), told.run,
        np.concatenate([np.zeros(told.own.shape[1]), broad.mean]), np.concatenate([told.wide, broad.sd]),
    )  # fmt: skip
    kinds, split = kinds_of(told.hours, told.days), _split(told, pseudo)
    freedom = max(4.0 / 7.0 * (len(laps) - runs - 2), 1.0)
    apart = 1.0 / math.sqrt(2.0 * freedom)
    parts = list[_Parts]()
    for moved in (-apart, apart):
        variance, each = pseudo.variance * math.exp(2.0 * moved), list[tuple[float, list[_Parts]]]()
        for (wide, trend), (mean, sd, learnt) in itertools.product(_TRENDS, _LEARNING):
            now = told.with_priors(wide, mean, sd)
            inside, some = _parts(now, split, variance, kinds, priors, (wide, mean, sd, variance))
            each.append((inside + math.log(trend * learnt), some))
        # what deviations inside runs say counts for learning and trend; of the scatter they have said all in `robust`
        whole = float(np.logaddexp.reduce([inside for inside, _ in each]))
        parts += [replace(one, log=one.log + inside - whole) for inside, some in each for one in some]
    return _mixed(told, pseudo, kinds, parts, alike)


@dataclass(frozen=True)
class _Parts:
    """Normal parts of the posterior of one kind and size, by spread from run to run.

    :param log: weights, shape [spreads]
    :param mean: of the level and the effects, shape [spreads, 1 + effects] [s]
    :param covariance: shape [spreads, 1 + effects, 1 + effects] [s2]
    :param size_s: of the drift, shape [spreads] [s]
    :param figures: spread of the trend, mean and spread of learning, variance of a lap
    """

    kind: int
    log: Floats
    mean: Floats
    covariance: Floats
    size_s: Floats
    figures: tuple[float, float, float, float]


@dataclass(frozen=True)
class _Split:
    """Laps as means of runs and deviations from them: of columns and of times."""

    counts: Floats
    x_mean: Floats
    z_mean: Floats
    x: Floats
    z: Floats


def _split(told: _Laps, pseudo: Pseudo) -> _Split:
    runs = len(told.own)
    counts = np.bincount(told.run, minlength=runs).astype(float)
    x_mean = np.zeros((runs, told.inside.shape[1]))
    np.add.at(x_mean, told.run, told.inside)
    x_mean /= counts[:, None]
    z_mean = np.bincount(told.run, weights=pseudo.times_s, minlength=runs) / counts
    return _Split(counts, x_mean, z_mean, told.inside - x_mean[told.run], pseudo.times_s - z_mean[told.run])


def _parts(
    told: _Laps, split: _Split, variance: float, kinds: Sequence[Kind], priors: Priors, figures: tuple[float, float, float, float]
) -> tuple[float, list[_Parts]]:  # fmt: skip
    """The logarithm of what deviations inside runs say of these priors, and the normal parts of the posterior."""
    x, z, x_mean = split.x, split.z, split.x_mean
    prior = 1.0 / told.sd**2
    precision = x.T @ x / variance + np.diag(prior)
    inverse = np.linalg.inv(precision)
    right = x.T @ z / variance + prior * told.mean
    book = inverse @ right
    inside = -0.5 * (float(z @ z) / variance + float(prior @ told.mean**2) - float(right @ book))
    inside -= 0.5 * (float(np.linalg.slogdet(precision)[1]) - float(np.log(prior).sum()))
    rest = split.z_mean - x_mean @ book
    own = x_mean @ inverse @ x_mean.T + np.diag(variance / split.counts)
    flat = np.diag(1.0 / told.wide**2)
    found = list[_Parts]()
    shifts = _log_shifts(priors)
    plain = [(k, kind) for k, kind in enumerate(kinds) if kind.name != "walk"]
    found += _solved(own, told.own, rest, flat, plain, shifts, figures)
    for k, kind in enumerate(kinds):
        if kind.name == "walk":
            for size in kind.sizes:
                alone = replace(kind, name="none", weight=kind.weight / len(kind.sizes))
                walked = own + size**2 * _walk(told.hours, told.days)
                found += _solved(walked, told.own, rest, flat, [(k, alone)], shifts, figures)
    return inside, found


def _walk(hours: Floats, days: Ints) -> Floats:
    """Covariance of a walk of size 1 that begins anew each day."""
    found = np.zeros((len(hours), len(hours)))
    for day in np.unique(days):
        at = np.flatnonzero(days == day)
        since = (hours[at] - hours[at].min()) / _WALK_H
        found[np.ix_(at, at)] = np.minimum(since[:, None], since[None, :])
    return found


def _log_shifts(priors: Priors) -> Floats:
    """Logarithms of the weights of `_SHIFTS`: half-Cauchy, and what the driver's earlier runs say."""
    density = _SHIFTS / (1.0 + (_SHIFTS / SHIFT_PRIOR_S) ** 2)
    log = np.log(density / density.sum())
    history = priors.history
    if history is not None and history.freedom > 0.0:
        v = _SHIFTS**2 + history.noise_s2
        said = -0.5 * SHARE * (history.freedom * np.log(v) + history.square_s2 / v) - log_weight(history, SHIFT_PRIOR_S)
        log = log + np.log(GUARD + (1.0 - GUARD) * np.exp(said))
    return np.asarray(log)


def _solved(
    own: Floats, f: Floats, rest: Floats, flat: Floats, kinds: Sequence[tuple[int, Kind]], logs: Floats,
    figures: tuple[float, float, float, float],
) -> list[_Parts]:  # fmt: skip
    """The normal parts of some kinds of drift, from one decomposition of the covariance of the means of runs without their shift.

    :param own: that covariance
    :param f: columns of the level and the effects
    :param rest: means of runs with what deviations tell taken out [s]
    """
    values, vectors = np.linalg.eigh(own)
    weight = 1.0 / (np.maximum(values, 1e-12) + _SHIFTS[:, None] ** 2)  # [spreads, runs]
    turned, y = vectors.T @ f, vectors.T @ rest
    precision = np.einsum("ri,tr,rj->tij", turned, weight, turned) + flat
    inverse = np.linalg.inv(precision)
    right = np.einsum("ri,tr,r->ti", turned, weight, y)
    mean = np.einsum("tij,tj->ti", inverse, right)
    log = 0.5 * (np.log(weight).sum(axis=1) - (weight * y**2).sum(axis=1) + (right * mean).sum(axis=1))
    log = log - 0.5 * np.linalg.slogdet(precision)[1] + logs
    found = list[_Parts]()
    for place, kind in kinds:
        if not len(kind.column):
            found.append(_Parts(place, log + math.log(kind.weight), mean, inverse, np.zeros(len(log)), figures))
            continue
        c = vectors.T @ kind.column
        v, u = np.einsum("ri,tr,r->ti", turned, weight, c), (weight * c * y).sum(axis=1)
        moved = np.einsum("tij,tj->ti", inverse, v)
        square = (weight * c**2).sum(axis=1) - (v * moved).sum(axis=1)
        off = u - (v * mean).sum(axis=1)
        for size in kind.sizes:
            schur = square + 1.0 / size**2
            by = off / schur
            found.append(_Parts(
                place, log + math.log(kind.weight / len(kind.sizes)) + 0.5 * off * by - 0.5 * np.log(schur * size**2),
                mean - moved * by[:, None], inverse + moved[:, :, None] * moved[:, None, :] / schur[:, None, None], by, figures,
            ))  # fmt: skip
    return found


def _mixed(told: _Laps, pseudo: Pseudo, kinds: Sequence[Kind], parts: Sequence[_Parts], alike: bool) -> Drifted:
    """All parts as the posterior of each effect."""
    log = np.concatenate([one.log for one in parts])
    kind = np.repeat([one.kind for one in parts], [len(one.log) for one in parts])
    mean = np.concatenate([one.mean[:, 1:] for one in parts])
    covariance = np.concatenate([one.covariance[:, 1:, 1:] for one in parts])
    size = np.concatenate([one.size_s for one in parts])
    length = len(told.run) / len(told.own)
    per_run = np.concatenate([_SHIFTS[: len(one.log)] ** 2 + one.figures[3] / length for one in parts])
    share = np.exp(log - log.max())
    share /= share.sum()
    before = {k: one.weight for k, one in enumerate(kinds)}
    evidence = {k: float(share[kind == k].sum()) / before[k] for k in before}
    fade = _side_fade(told, pseudo, parts, share, kind) if told.sided else None
    if alike and mean.shape[1] > 1:
        share, mean, covariance, kind, size, per_run = _alike(share, mean, covariance, kind, size, per_run)
    keep = _heaviest(share, _KEPT)
    effects = tuple(
        Mixture(mean[keep, e], np.sqrt(covariance[keep, e, e]), share[keep] / share[keep].sum()) for e in range(mean.shape[1])
    )  # fmt: skip
    said = []
    for e in range(mean.shape[1]):
        each = []
        for k, one in enumerate(kinds):
            mine = np.flatnonzero(kind == k)
            if len(mine) and share[mine].sum() > 0.0:
                mine = mine[_heaviest(share[mine] / share[mine].sum(), _KEPT)]
                own = share[mine] / share[mine].sum()
                found = Mixture(mean[mine, e], np.sqrt(covariance[mine, e, e]), own)
                each.append(Told(one, evidence[k], found, float(own @ size[mine])))
        said.append(tuple(each))
    return Drifted(effects, tuple(said), fade, told.left_out, per_run[keep])


def _heaviest(share: Floats, kept: float) -> Ints:
    """The parts that make so much of the whole, heaviest first."""
    order = np.argsort(-share, kind="stable")
    return np.asarray(order[: int(np.searchsorted(np.cumsum(share[order]), kept)) + 1])


def _alike(
    share: Floats, mean: Floats, covariance: Floats, kind: Ints, size: Floats, per_run: Floats
) -> tuple[Floats, Floats, Floats, Ints, Floats, Floats]:  # fmt: skip
    """Parts in which several sheets shrink towards each other, by how far they may differ."""
    keep = _heaviest(share, _KEPT)
    share, mean, covariance = share[keep], mean[keep], covariance[keep]
    effects = mean.shape[1]
    weights, means, covariances = [], [], []
    prior = np.exp(-0.5 * (np.array(_ALIKE) / _ALIKE_SCALE_S) ** 2) * np.array(_ALIKE)  # half-normal, on a grid even in the logarithm
    for h, before in zip(_ALIKE, prior / prior.sum(), strict=True):
        spread = h**2 * (np.eye(effects) + np.ones((effects, effects)))
        both = covariance + spread
        gain = covariance @ np.linalg.inv(both)
        means.append(mean - np.einsum("nij,nj->ni", gain, mean))
        covariances.append(covariance - gain @ covariance)
        square = np.einsum("ni,ni->n", mean, np.linalg.solve(both, mean[..., None])[..., 0])
        weights.append(share * before * np.exp(-0.5 * (np.linalg.slogdet(both)[1] + square)))
    whole = np.concatenate(weights)
    times = len(_ALIKE)
    same = (np.tile(one[keep], times) for one in (kind, size, per_run))
    return whole / whole.sum(), np.concatenate(means), np.concatenate(covariances), *same


def _side_fade(told: _Laps, pseudo: Pseudo, parts: Sequence[_Parts], share: Floats, kind: Ints) -> SideFade:
    """The second side's fade together with the difference, from the heaviest parts without a drift: of each the joint normal."""
    at = [(one, t) for one in parts for t in range(len(one.log))]
    asked = np.flatnonzero(kind == 0)
    asked = asked[np.argsort(-share[asked], kind="stable")][:_HEAVIEST]
    place = told.inside.shape[1] - 3
    x = np.column_stack([told.own[told.run], told.inside])
    effect, side = 1, told.own.shape[1] + place
    sums = np.zeros((len(told.own), x.shape[1]))
    np.add.at(sums, told.run, x)
    pulls = np.bincount(told.run, weights=pseudo.times_s)
    counts = np.bincount(told.run).astype(float)
    squares, right = x.T @ x, x.T @ pseudo.times_s
    means, covariances = [], []
    for index in asked:
        one, t = at[int(index)]
        wide, learnt, sd, variance = one.figures
        now = told.with_priors(wide, learnt, sd)
        mean, spread = np.concatenate([np.zeros(told.own.shape[1]), now.mean]), np.concatenate([told.wide, now.sd])
        less = _SHIFTS[t] ** 2 / (variance + counts * _SHIFTS[t] ** 2)  # Sherman and Morrison, run by run
        precision = (squares - (sums.T * less) @ sums) / variance + np.diag(1.0 / spread**2)
        inverse = np.linalg.inv(precision)
        found = inverse @ ((right - (sums.T * less) @ pulls) / variance + mean / spread**2)
        means.append(found[[effect, side]])
        covariances.append(inverse[np.ix_([effect, side], [effect, side])])
    own = share[asked] / share[asked].sum()
    mean, covariance = np.array(means), np.array(covariances)
    more = Mixture(mean[:, 1], np.sqrt(covariance[:, 1, 1]), own)
    low, high = more.interval(0.95)
    return SideFade((more.mean, math.sqrt(more.variance)), low > 0.0 or high < 0.0, told.age, (own, mean, covariance))
