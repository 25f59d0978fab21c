"""How a set of tyres fades over a run, and on which lap its cliff comes, from lap times corrected for fuel."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from .mixture import Mixture
from .sampler import Floats

#: Laps before and after a cliff without which it cannot be told, and the chance from which on it is said.
_BEFORE, _AFTER, _SAID = 4, 3, 0.9
#: Possible laps of a cliff that are tried at most, evenly spread.
_MOST_KNOTS = 40
#: Prior spreads: level [s], fade [s/lap], what the first laps lose or gain [s], loss of an easy end [s], and loss beyond a cliff [s/lap2].
#: Sources: assumptions of this product, wide around what modelled and club stints show.
_LEVEL, _FADE, _SETTLING, _END, _STEEP = 5.0, 0.3, 0.7, 0.7, (0.04, 0.3)
#: Laps over which the first laps or the track settle (1/e), if they do; the chance that nothing settles; kinship of a lap with the
#: one before; and scales of scatter [s].
_SETTLES, _UNSETTLED = (None, 2.0, 5.0, 10.0), 0.2
_KINSHIPS, _SCATTERS = (0.0, 0.3, 0.6), np.geomspace(0.01, 2.0, 24)
#: Laps at the end that may have been driven otherwise: to save fuel, in traffic, or because the race was run.
_ENDS = (1, 2, 3, 4, 5)
#: A lap that stands out from its neighbours by more than so many robust deviations tells nothing of the tyres.
_ALONE = 4.0


@dataclass(frozen=True)
class Fade:
    """Fade of a run's tyres.

    :param per_lap_s: before the cliff, mean and half its 95 % interval [s/lap]
    :param cliff: chance that the laps show a cliff [-]
    :param lap: age of the tyres at it, most likely, and the ends of its 95 % range [laps]; None where none is said
    :param steep_s: lap time added beyond it per squared lap, mean [s/lap2]; 0 where none is said
    """

    per_lap_s: tuple[float, float]
    cliff: float
    lap: tuple[float, float, float] | None
    steep_s: float = 0.0


@dataclass(frozen=True)
class _Ways:
    """Ways in which the laps may have come about, at every scale of scatter, shape [ways, scales].

    :param log: logarithm of the marginal likelihood
    :param slope: mean of the fade
    :param width: its standard deviation
    :param last: mean of the last coefficient
    """

    log: Floats
    slope: Floats
    width: Floats
    last: Floats


def fade(age: Sequence[float] | Floats, time_s: Sequence[float] | Floats) -> Fade:
    """A straight fade, or one that bends upwards at some lap: time = a + b age + first laps + c max(age - k, 0)^2, c above 0.

    Every way in which the laps may have come about is weighed by its marginal likelihood (Gelman and others, ch. 7 and 14: normal
    linear models with known priors): with and without a cliff at each lap k, with and without an end that was driven otherwise (a
    step or a ramp over the last laps), first laps or a track that settle over 2, 5 or 10 laps, laps akin to those before (AR 1), and
    any scatter. The straight line has an even chance to begin with, shared with an odd end. What stands alone among its neighbours
    is left out.

    :param age: of the tyres, in the order driven [laps]
    :param time_s: lap time corrected for fuel [s]
    :raises ValueError: with fewer than five laps, or where a value is no number
    """
    x, y = np.asarray(age, dtype=float), np.asarray(time_s, dtype=float)
    if len(x) < 5:
        raise ValueError("a fade needs at least five laps")
    for values, what in ((x, "age"), (y, "time")):
        if not np.isfinite(values).all():
            place = int(np.flatnonzero(~np.isfinite(values))[0])
            raise ValueError(f"{what} {place + 1} of the laps is {values[place]}; a number is expected")
    kept = ~_alone(y)
    x, y = x[kept], y[kept]
    n = len(x)
    places = np.arange(_BEFORE, n - _AFTER)
    knots = x[places[:: max(-(-len(places) // _MOST_KNOTS), 1)]] if len(places) else np.empty(0)
    ends = list(_ends(n))
    # the last column of every way: nothing, an odd end, or a cliff at a lap, gentle or steep
    last = np.array([np.zeros(n), *ends, *[np.maximum(x - knot, 0.0) ** 2 for knot in knots for _ in _STEEP]])
    spread = np.array([1.0, *[_END] * len(ends), *[steep for _ in knots for steep in _STEEP]])
    share = np.array(
        [0.5, *[0.5 / max(len(ends), 1)] * len(ends), *[1.0 / (len(_STEEP) * max(len(knots), 1))] * (len(_STEEP) * len(knots))]
    )
    answer = np.array([-1] * (1 + len(ends)) + [place for place in range(len(knots)) for _ in _STEEP])
    found = [
        _fitted(np.column_stack([np.ones(n), x - x.mean(), _settling(x, settles)]), last, spread, y, kinship, answer >= 0)
        for settles in _SETTLES
        for kinship in _KINSHIPS
    ]
    unsettled = [_UNSETTLED if settles is None else (1.0 - _UNSETTLED) / (len(_SETTLES) - 1) for settles in _SETTLES]
    settled = np.repeat(unsettled, len(_KINSHIPS))
    log = np.array([way.log for way in found]) + np.log(share)[None, :, None] + np.log(settled)[:, None, None]
    weight = np.exp(log - log.max())
    slope, width, bend = (np.array([getattr(way, name) for way in found]) for name in ("slope", "width", "last"))

    def fade_of(which: np.ndarray) -> tuple[float, float]:
        """The fade and half its 95 % interval: a mixture over all ways and scales of scatter, which is wider than a normal."""
        mixed = Mixture(slope[:, which].ravel(), width[:, which].ravel(), weight[:, which].ravel() / weight[:, which].sum())
        low, high = mixed.interval(0.95)
        return mixed.mean, 0.5 * (high - low)

    by_knot = np.array([weight[:, answer == place].sum() for place in range(len(knots))])
    chance = float(by_knot.sum() / weight.sum())
    if not len(knots) or chance < _SAID:
        return Fade(fade_of(answer == -1), chance, None)
    order = np.cumsum(by_knot) / by_knot.sum()
    low, high = (float(knots[min(int(np.searchsorted(order, part)), len(knots) - 1)]) for part in (0.025, 0.975))
    best = int(np.argmax(by_knot))
    own = answer == best
    steep = float((weight[:, own] * bend[:, own]).sum() / weight[:, own].sum())
    return Fade(fade_of(own), chance, (float(knots[best]), low, high), steep)


def _settling(x: Floats, settles: float | None) -> Floats:
    """The column of first laps that settle; nothing where they do not."""
    return np.zeros(len(x)) if settles is None else np.asarray(np.exp(-(x - x[0]) / settles))


def _ends(n: int) -> Iterator[Floats]:
    """Columns of an end that was driven otherwise: so many laps slower by a step, or more so with each."""
    for laps in _ENDS:
        if laps > n - 4:
            return
        step = np.zeros(n)
        step[-laps:] = 1.0
        yield step
        if laps > 1:
            ramp = np.zeros(n)
            ramp[-laps:] = np.arange(1, laps + 1) / laps
            yield ramp


def _alone(y: Floats) -> np.ndarray:
    """Which laps stand out from both neighbours on either side by far; never the first or last two, which have no neighbours there."""
    alone = np.zeros(len(y), dtype=bool)
    if len(y) < 7:
        return alone
    steps = np.abs(np.diff(y))
    scale = max(1.4826 * float(np.median(steps)) / np.sqrt(2.0), 0.02)
    for k in range(2, len(y) - 2):
        around = np.delete(y[k - 2 : k + 3], 2)
        alone[k] = abs(y[k] - np.median(around)) > _ALONE * scale and not around.min() <= y[k] <= around.max()
    return alone


def _fitted(base: Floats, last: Floats, spread: Floats, y: Floats, kinship: float, rising: np.ndarray) -> _Ways:
    """Normal linear models with normal priors, one for each last column, at every scale of scatter.

    :param base: columns that all have: level, fade, first laps
    :param last: shape [ways, laps]
    :param spread: prior spread of the last coefficient of each way
    :param rising: of which ways the last coefficient is above 0
    """
    from scipy.special import ndtr

    ways, n = last.shape
    x = np.concatenate([np.broadcast_to(base, (ways, n, base.shape[1])), last[:, :, None]], axis=2)
    rest = y - np.median(y)
    # what is akin to the lap before is taken out of both sides (Prais and Winsten)
    whole = math.sqrt(1.0 - kinship**2)
    x_own = np.concatenate([whole * x[:, :1], x[:, 1:] - kinship * x[:, :-1]], axis=1)
    y_own = np.concatenate([whole * rest[:1], rest[1:] - kinship * rest[:-1]])
    innovation = _SCATTERS * whole
    spreads = np.column_stack([np.tile([_LEVEL, _FADE, _SETTLING], (ways, 1)), spread])
    squares, pull = np.swapaxes(x_own, 1, 2) @ x_own, np.swapaxes(x_own, 1, 2) @ y_own
    precision = squares[:, None] / innovation[:, None, None] ** 2 + (np.eye(4) / spreads[:, None] ** 2)[:, None]
    covariance = np.linalg.inv(precision)
    mean = np.einsum("wspq,wq->wsp", covariance, pull) / innovation[:, None] ** 2
    fit = float(y_own @ y_own) / innovation**2 - np.einsum("wsp,wp->ws", mean, pull) / innovation**2
    log = -n * np.log(innovation) + math.log(whole) - 0.5 * fit - 0.5 * np.linalg.slogdet(precision)[1]
    log -= np.log(spreads).sum(axis=1)[:, None] + np.log1p(_SCATTERS**2)  # scatter of seconds is rare
    chance = ndtr(mean[:, :, 3] / np.sqrt(covariance[:, :, 3, 3]))
    log += np.where(rising[:, None], np.log(np.maximum(2.0 * chance, 1e-300)), 0.0)
    return _Ways(log, mean[:, :, 1], np.sqrt(covariance[:, :, 1, 1]), mean[:, :, 3])
