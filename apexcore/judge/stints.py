"""How tyres fade over several runs together: evenly, bending, off a cliff that all runs share, or by a driver who eased off in one."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .mixture import Mixture
from .sampler import Floats

Kind = Literal["straight", "bend", "odd", "cliff"]

#: Chances of each kind to begin with, and of one odd run among the odd. Source: assumptions of this product, for few false cliffs on
#: simulated stints.
_CHANCES: dict[Kind, float] = {"straight": 0.38, "bend": 0.20, "odd": 0.30, "cliff": 0.12}
_ONE_ODD = 0.7
#: Prior spreads: level of a run [s], fade [s/lap], first laps [s], bend and odd end over the stint [s]; of a cliff's step [s], kink
#: [s/lap] and square [s/lap²]. Sources: assumptions of this product, wide around what stints show.
_LEVEL, _FADE, _SETTLING, _BENT, _ODD = 5.0, 0.3, 0.7, 0.8, 0.8
_CLIFFS: dict[str, float] = {"step": 0.8, "kink": 0.2, "square": 0.06}
#: Laps over which first laps settle (1/e), if they do; kinship of a lap with the one before; scales of scatter [s].
_SETTLES, _KINSHIPS, _SCATTERS = (None, 2.0, 5.0), (0.0, 0.35, 0.65), np.geomspace(0.02, 1.5, 16)
#: Laps before and after a change without which it cannot be told; changes of a run that are tried at most, half as many where there are
#: more than two; chance from which one is said.
_BEFORE, _AFTER, _MOST_CHANGES, _SAID = 3, 3, 14, 0.9
#: Runs that are fitted together at most, the longest; laps beyond a cliff over which another form of it loses as much.
_MOST_RUNS, _BEYOND = 5, 5
#: Share of the laps about the most likely one that its range holds [-].
_RANGE = 0.95

Run = tuple[Sequence[float] | Floats, Sequence[float] | Floats]


@dataclass(frozen=True)
class Stints:
    """What runs on tyres of one kind show together.

    :param mean_s: fade over the whole stint, mean and half its 95 % interval, settling of the first laps left out [s/lap]
    :param first_s: over its first third [s/lap]
    :param last_s: over its last third [s/lap]
    :param chances: of each kind [-]
    :param lap: age of the tyres at the cliff that all runs share, most likely, and the ends of its 95 % range [laps]; None without one
    :param steep_s: lap time added beyond it per squared lap, so that the next laps lose as much as they did [s/lap²]; 0 where none is said
    :param eased: where one run is slower to its end, and nothing else says why: the run, the age [laps] and the loss [s]
    """

    mean_s: tuple[float, float]
    first_s: tuple[float, float]
    last_s: tuple[float, float]
    chances: dict[Kind, float]
    lap: tuple[float, float, float] | None = None
    steep_s: float = 0.0
    eased: tuple[int, float, float] | None = None

    @property
    def bends(self) -> bool:
        """Whether the end of the stint fades otherwise than its beginning, more likely than not."""
        return self.chances["bend"] + self.chances["cliff"] > 0.5


@dataclass(frozen=True)
class _Columns:
    """Columns beside those that all ways have, one each, and the ways that are made of one or two of them.

    :param z: shape [laps, columns]
    :param sd: prior spread of each
    :param rising: which are not below 0
    :param ways: columns of each way; empty, one or two
    :param kind: of each way
    :param share: chance of each way to begin with
    :param at: age at the change of each column [laps]; of the run `of`
    :param form: of each column
    :param span: of the ages [laps]
    """

    z: Floats
    sd: Floats
    rising: NDArray[np.bool_]
    ways: tuple[tuple[int, ...], ...]
    kind: tuple[Kind, ...]
    share: Floats
    at: Floats
    of: NDArray[np.int64]
    form: tuple[str, ...]
    span: float


@dataclass(frozen=True)
class _Found:
    """Every way at every setting, shape [settings, ways]: log evidence; the functionals' means and variances, first axis the functionals;
    means of each way's first column."""

    log: Floats
    mean: Floats
    var: Floats
    size: Floats


def stints(runs: Sequence[Run]) -> Stints:
    """Runs fitted together: level of each, one fade, first laps that settle, laps akin to those before, and one of four kinds of more.

    Every way is weighed by its marginal likelihood (normal linear models with known priors: Gelman and others, *Bayesian Data Analysis*,
    ch. 7 and 14): nothing more; a bend; an odd end (a step or a ramp from some lap to the end) in one run, or in two at laps of their own;
    a cliff at one age in all runs (a step, a kink or a square, never quicker). One run cannot tell a cliff from a driver: it has none.

    :param runs: ages of the tyres [laps] and lap times corrected for fuel [s] of each run, in the order driven; those with five laps count
    :raises ValueError: if no run has five laps
    """
    kept = sorted((run for run in runs if len(run[0]) >= 5), key=lambda run: -len(run[0]))[:_MOST_RUNS]
    if not kept:
        raise ValueError("a fade needs at least five laps of one run")
    ages = [np.asarray(run[0], dtype=float) for run in kept]
    times = [np.asarray(run[1], dtype=float) for run in kept]
    low, high = min(float(age.min()) for age in ages), max(float(age.max()) for age in ages)
    columns = _columns(ages, low, high)
    thirds = ((low, high), (low, low + (high - low) / 3.0), (high - (high - low) / 3.0, high))
    found = [_weighed(ages, times, columns, settles, kinship, thirds) for settles in _SETTLES for kinship in _KINSHIPS]
    log = np.concatenate([one.log for one in found]) + np.log(columns.share)
    weight = np.exp(log - log.max())
    weight /= weight.sum()
    mean, var = (np.concatenate([getattr(one, name) for one in found], axis=1) for name in ("mean", "var"))
    parts = [_interval(mean[k], var[k], weight) for k in range(3)]
    by_way = weight.sum(axis=0)
    kinds = np.array(columns.kind)
    chances: dict[Kind, float] = {kind: float(by_way[kinds == kind].sum()) for kind in _CHANCES}
    size = np.concatenate([one.size for one in found])
    told = Stints(parts[0], parts[1], parts[2], chances)
    if chances["cliff"] > _SAID:
        return _with_cliff(told, columns, by_way, (weight * size).sum(axis=0) / np.maximum(by_way, 1e-300))
    if chances["odd"] > _SAID and len(columns.ways[best := int(np.argmax(by_way))]) == 1:
        (column,) = columns.ways[best]
        loss = float((weight[:, best] * size[:, best]).sum() / by_way[best])
        where = next(k for k, run in enumerate(runs) if run is kept[int(columns.of[column])])
        return replace(told, eased=(where, float(columns.at[column]), loss)) if loss > 0.0 else told
    return told


def _with_cliff(told: Stints, columns: _Columns, by_way: Floats, size: Floats) -> Stints:
    """The same with the cliff that is most likely, and its range."""
    of_cliff = [way for way, kind in enumerate(columns.kind) if kind == "cliff"]
    at = np.array([columns.at[columns.ways[way][0]] for way in of_cliff])
    ages = np.unique(at)
    chance = np.array([by_way[of_cliff][at == age].sum() for age in ages])
    order = np.cumsum(chance) / chance.sum()
    ends = [float(ages[min(int(np.searchsorted(order, part)), len(ages) - 1)]) for part in (0.5 - 0.5 * _RANGE, 0.5 + 0.5 * _RANGE)]
    beyond = np.arange(1.0, _BEYOND + 1.0)
    steep = 0.0
    for way in of_cliff:
        lost = float(size[way] * _form(columns.form[columns.ways[way][0]], beyond).sum())
        steep += float(by_way[way]) * lost / float((beyond**2).sum())
    lap = float(ages[int(np.argmax(chance))]), ends[0], ends[1]
    return replace(told, lap=lap, steep_s=steep / float(by_way[of_cliff].sum()))


def _form(form: str, beyond: "Floats | np.float64") -> Floats:
    """What a cliff of size 1 loses so many laps beyond it."""
    over = np.maximum(beyond, 0.0)
    return np.asarray(np.where(beyond > 0.0, 1.0, 0.0) if form == "step" else over if form == "kink" else over**2)


def _columns(ages: Sequence[Floats], low: float, high: float) -> _Columns:
    """All columns and ways of runs with these ages."""
    every, span = np.concatenate(ages), max(high - low, 1.0)
    lap = np.repeat(np.arange(len(ages)), [len(age) for age in ages])
    z, sd, rising, at, of, form = list[Floats](), list[float](), list[bool](), list[float](), list[int](), list[str]()

    def more(column: Floats, spread: float, where: float, run: int, name: str) -> int:
        z.append(column)
        sd.append(spread)
        rising.append(run < 0 and name in _CLIFFS)
        at.append(where)
        of.append(run)
        form.append(name)
        return len(z) - 1

    ways: list[tuple[tuple[int, ...], Kind, float]] = [((), "straight", 1.0)]
    ways.append(((more(((every - low) / span) ** 2, _BENT, low, -1, "bend"),), "bend", 1.0))
    odd = list[list[int]]()
    for run, age in enumerate(ages):
        of_run = []
        for k in _changes(len(age), _MOST_CHANGES if len(ages) < 3 else _MOST_CHANGES // 2):
            for name in ("step", "ramp"):
                end = np.zeros(len(every))
                place = np.flatnonzero(lap == run)[k:]
                end[place] = 1.0 if name == "step" else np.arange(1, len(place) + 1) / len(place)
                of_run.append(more(end, _ODD, float(age[k]) - 0.5, run, name))
        odd.append(of_run)
    singles = [column for of_run in odd for column in of_run]
    pairs = [pair for one, two in itertools.combinations(odd, 2) for pair in itertools.product(one, two)]
    of_one = _ONE_ODD if pairs else 1.0
    ways += [((column,), "odd", of_one / len(singles)) for column in singles]
    ways += [(pair, "odd", (1.0 - of_one) / len(pairs)) for pair in pairs]
    if len(ages) > 1:
        knots = _knots(ages)
        for knot in knots:
            for name, spread in _CLIFFS.items():
                ways.append(((more(_form(name, every - knot), spread, knot, -1, name),), "cliff", 1.0 / (len(knots) * len(_CLIFFS))))
    kinds = {kind for _, kind, _ in ways}
    total = sum(_CHANCES[kind] for kind in kinds)
    share = np.array([_CHANCES[kind] * part / total for _, kind, part in ways])
    return _Columns(
        np.column_stack(z), np.array(sd), np.array(rising), tuple(way for way, _, _ in ways), tuple(kind for _, kind, _ in ways), share,
        np.array(at), np.array(of), tuple(form), span,
    )  # fmt: skip


def _changes(laps: int, most: int) -> list[int]:
    """Laps of a run from which on it may be driven otherwise, not more of them than `most`."""
    places = list(range(_BEFORE, laps - _AFTER + 1))
    return places[:: max(-(-len(places) // most), 1)]


def _knots(ages: Sequence[Floats]) -> list[float]:
    """Ages at which a cliff may be: between laps that at least two runs drove before and behind it."""
    low = sorted(float(age.min()) for age in ages)[1] + _BEFORE - 0.5
    high = sorted(float(age.max()) for age in ages)[-2] - _AFTER + 0.5
    found = list(np.arange(low, high + 0.5))
    return found[:: max(-(-len(found) // (2 * _MOST_CHANGES)), 1)]


def _weighed(
    ages: Sequence[Floats], times: Sequence[Floats], columns: _Columns, settles: float | None, kinship: float,
    thirds: tuple[tuple[float, float], ...],
) -> _Found:  # fmt: skip
    """All ways at one settling and kinship, at every scale of scatter.

    What all ways share is taken out first; each further column, or pair, is then a matter of one or two numbers (block inversion).
    """
    lap = np.repeat(np.arange(len(ages)), [len(age) for age in ages])
    every = np.concatenate(ages)
    first = np.concatenate([age - age[0] for age in ages])
    base = [(lap == run).astype(float) for run in range(len(ages))] + [every - every.mean()]
    spreads = [_LEVEL] * len(ages) + [_FADE]
    if settles is not None:
        base.append(np.exp(-first / settles))
        spreads.append(_SETTLING)
    rest = np.concatenate([time - np.median(time) for time in times])
    x, z, y = (_own(part, lap, kinship) for part in (np.column_stack(base), columns.z, rest[:, None]))
    starts = math.sqrt(1.0 - kinship**2)
    count, fade = len(rest), len(ages)
    xx, xz, xy, zz, zy, yy = x.T @ x, x.T @ z, x.T @ y[:, 0], z.T @ z, z.T @ y[:, 0], float(y[:, 0] @ y[:, 0])
    prior = np.diag(1.0 / np.array(spreads) ** 2)
    ends = np.array([(_end(columns, b) - _end(columns, a)) / max(b - a, 1.0) for a, b in thirds])  # [functional, column]
    one, two = _numbered(columns.ways)
    log, mean, var, size = [], [], [], []
    for scatter in _SCATTERS:
        s2 = (scatter * starts) ** 2
        inverse = np.linalg.inv(xx / s2 + prior)
        common = inverse @ xy / s2
        through = inverse @ xz / s2
        m = zz / s2 - xz.T @ through / s2 + np.diag(1.0 / columns.sd**2)
        v = zy / s2 - xz.T @ common / s2
        begin = -0.5 * (yy / s2 - float(xy @ common) / s2) + 0.5 * np.linalg.slogdet(inverse)[1] - float(np.log(spreads).sum())
        begin += -count * math.log(scatter * starts) + len(ages) * math.log(starts) - math.log1p(scatter**2)
        gain, coefficient, covariance = _added(m, v, columns, one, two)
        log.append(begin + gain)
        pull = ends - through[fade]  # what each column does to each functional, with what it takes from the fade
        coefficients = coefficient[None]
        own = np.stack([pull[:, one], pull[:, two]], axis=-1)
        mean.append(common[fade] + (own * coefficients).sum(axis=-1))
        var.append(inverse[fade, fade] + np.einsum("fwi,wij,fwj->fw", own, covariance, own))
        size.append(coefficient[:, 0])
    return _Found(np.array(log), np.stack(mean, axis=1), np.stack(var, axis=1), np.array(size))


def _numbered(ways: Sequence[tuple[int, ...]]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The first and second column of each way, −1 for none."""
    one = np.array([way[0] if way else -1 for way in ways])
    return one, np.array([way[1] if len(way) > 1 else -1 for way in ways])


def _added(m: Floats, v: Floats, columns: _Columns, one: NDArray[np.int64], two: NDArray[np.int64]) -> tuple[Floats, Floats, Floats]:
    """What each way's columns add to the log evidence, their means and their covariance; zeros where it has none.

    :param m: precision of all columns once what is common is taken out
    :param v: pull on each
    """
    from scipy.special import log_ndtr

    has, both = one >= 0, two >= 0
    a, d = np.where(has, m[one, one], 1.0), np.where(both, m[two, two], 1.0)
    b = np.where(both, m[one, two], 0.0)
    u, w = np.where(has, v[one], 0.0), np.where(both, v[two], 0.0)
    det = a * d - b * b
    coefficient = np.stack([(d * u - b * w) / det, (a * w - b * u) / det], axis=-1)
    covariance = np.stack(
        [np.stack([np.where(has, d / det, 0.0), -b / det], -1), np.stack([-b / det, np.where(both, a / det, 0.0)], -1)], axis=-2
    )
    gain = 0.5 * (u * coefficient[:, 0] + w * coefficient[:, 1]) - 0.5 * np.log(det)
    gain -= np.where(has, np.log(columns.sd[one]), 0.0) + np.where(both, np.log(columns.sd[two]), 0.0)
    up = has & columns.rising[one]
    return gain + np.where(up, math.log(2.0) + log_ndtr(coefficient[:, 0] * np.sqrt(a)), 0.0), coefficient, covariance


def _end(columns: _Columns, age: float) -> Floats:
    """What each column adds at an age to the curve that all runs share: odd ends are no fade."""
    beyond = age - columns.at
    added = [
        float(_form(form, over)) if form in _CLIFFS else (float(over) / columns.span) ** 2 if form == "bend" else 0.0
        for form, over in zip(columns.form, beyond, strict=True)
    ]
    return np.array(added)


def _own(columns: Floats, lap: NDArray[np.int64], kinship: float) -> Floats:
    """Columns without what is akin to the lap before in the same run (Prais and Winsten)."""
    if kinship == 0.0:
        return columns
    own = columns.copy()
    inside = np.concatenate([[False], lap[1:] == lap[:-1]])
    own[inside] = columns[inside] - kinship * columns[np.flatnonzero(inside) - 1]
    own[~inside] *= math.sqrt(1.0 - kinship**2)
    return own


def _interval(mean: Floats, var: Floats, weight: Floats) -> tuple[float, float]:
    counts = weight > 1e-9
    mixed = Mixture(mean[counts], np.sqrt(np.maximum(var[counts], 1e-18)), weight[counts])
    low, high = mixed.interval(0.95)
    return mixed.mean, 0.5 * (high - low)
