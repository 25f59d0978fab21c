"""The lap model: lap times corrected for fuel and tyre age.

lap time = level of the sheet (or of every other tagged choice) + fuel x weight + compound + tyre age x its fade
           + cold tyres + track temperature + session trend + shift of the run + scatter

The run's shift is shared by all laps of a run (six laps in one run are not six independent runs); the scatter has heavy
tails (Student t with four degrees of freedom). Priors for weight and fade come from the vehicle model. The posterior is
drawn by Gibbs sampling (Gelman et al., Bayesian Data Analysis, 3rd ed., ch. 12 and 15; the t as a scale mixture, ch. 17)
with a fixed seed, so that the same laps always give the same verdict.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

TAILS = 4  #: degrees of freedom of the lap scatter
DRAWS = 3000  #: posterior draws kept
_BURN = 300  #: draws thrown away first

#: Scale of a Student t of that many degrees of freedom over the median of its absolute values.
_SCALE_OVER_MEDIAN = 1.35

#: Half-normal priors: scatter of a driver's laps and shift between runs [s]. Sources: both are wide around what club
#: racers show (a few tenths from lap to lap, about a tenth from run to run); the data take over from the third run on.
SCATTER_PRIOR_S = 1.0
SHIFT_PRIOR_S = 0.15

#: Share of the time lost to cold tyres that is left one lap later. Source: the demo car's modelled stints.
COLD_STAY = 0.4

#: Prior spread of the difference between two levels [s]: so wide that it never decides.
LEVEL_PRIOR_S = 5.0


def information_of(scatter_s: float) -> float:
    """What one lap of this scatter tells [1/s2]: a Student t carries (nu+1)/(nu+3) of the information of a normal one of the
    same scale (Fisher information of the location of a t)."""
    return (TAILS + 1.0) / (TAILS + 3.0) / scatter_s**2


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
    :param trend: lap time added by an hour of the session, rubber and learning together [s/h]
    """

    fuel: Prior
    fade: tuple[Prior, ...]
    offset: tuple[Prior, ...] = ()
    cold: Prior = Prior(0.0, 0.5)
    track: Prior = Prior(0.0, 0.02)
    trend: Prior = Prior(0.0, 0.1)

    def __post_init__(self) -> None:
        if len(self.offset) != len(self.fade) - 1:
            raise ValueError("every compound but the first needs a prior of its offset")


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


@dataclass(frozen=True)
class Reference:
    """What lap times are moved to: the mean of the laps judged.

    :param fuel_kg: [kg]
    :param tyre_age: [laps]
    :param track_c: [degC]
    :param hours: since the session's first run [h]
    """

    fuel_kg: float
    tyre_age: float
    track_c: float
    hours: float


def reference_of(laps: Sequence[Observed]) -> Reference:
    """The mean of these laps."""
    rows = np.array([(lap.fuel_kg, lap.tyre_age, lap.track_c, lap.hours) for lap in laps])
    kg, age, track, hours = (float(value) for value in rows.mean(axis=0))
    return Reference(kg, age, track, hours)


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


@njit(cache=True, nogil=True, error_model="numpy")
def _gibbs(
    x: Floats, y: Floats, run: Ints, runs: int, mean: Floats, sd: Floats, seed: int, burn: int, draws: int, tails: int,
    scatter_prior: float, shift_prior: float,
) -> tuple[Floats, Floats, Floats]:  # fmt: skip
    """Draws of the coefficients with the run shifts behind them, of the shifts' spread and of the scatter.

    Given the weights, coefficients and shifts are jointly normal with precision [[A, C'], [C, D]], D diagonal: the shifts
    are integrated out (Schur complement A - C' D^-1 C), the coefficients drawn, then each shift given them.
    """
    np.random.seed(seed)
    n, p = x.shape
    weight = np.ones(n)
    sigma2, tau2 = 0.09, 0.01
    out = np.empty((draws, p + runs))
    out_tau, out_sigma = np.empty(draws), np.empty(draws)
    a, b, beta = np.empty((p, p)), np.empty(p), np.zeros(p)
    cross, own, pull, shift = np.empty((runs, p)), np.empty(runs), np.empty(runs), np.zeros(runs)
    for step in range(burn + draws):
        a[:, :], cross[:, :], pull[:] = 0.0, 0.0, 0.0
        own[:] = 1.0 / tau2
        for k in range(p):
            a[k, k] = 1.0 / (sd[k] * sd[k])
            b[k] = mean[k] / (sd[k] * sd[k])
        for i in range(n):
            w = weight[i] / sigma2
            r = run[i]
            for k in range(p):
                wx = w * x[i, k]
                if wx != 0.0:
                    for m in range(k + 1):
                        a[k, m] += wx * x[i, m]
                    cross[r, k] += wx
                    b[k] += wx * y[i]
            own[r] += w
            pull[r] += w * y[i]
        for r in range(runs):
            for k in range(p):
                share = cross[r, k] / own[r]
                b[k] -= share * pull[r]
                for m in range(k + 1):
                    a[k, m] -= share * cross[r, m]
        _draw_normal(a, b, beta)
        total, square = 0.0, 0.0
        for r in range(runs):
            centre = pull[r]
            for k in range(p):
                centre -= cross[r, k] * beta[k]
            shift[r] = centre / own[r] + np.random.standard_normal() / math.sqrt(own[r])
            total += shift[r] * shift[r]
        for i in range(n):
            e = y[i] - shift[run[i]]
            for k in range(p):
                e -= x[i, k] * beta[k]
            weight[i] = _half_chi_square(tails + 1) / (0.5 * (tails + e * e / sigma2))
            square += weight[i] * e * e
        # half-normal priors on both standard deviations: random-walk steps on the logarithm
        sigma2 = _scale_step(sigma2, square, n, scatter_prior)
        tau2 = _scale_step(tau2, total, runs, shift_prior)
        if step >= burn:
            out[step - burn, :p] = beta
            out[step - burn, p:] = shift
            out_tau[step - burn], out_sigma[step - burn] = math.sqrt(tau2), math.sqrt(sigma2)
    return out, out_tau, out_sigma


@njit(cache=True, nogil=True, error_model="numpy")
def _draw_normal(a: Floats, b: Floats, out: Floats) -> None:
    """A draw of N(A^-1 b, A^-1) into `out`; only the lower half of `a` is read, and overwritten by its Cholesky factor L.

    L z = b + noise, then L' out = z: the noise enters between the two triangular solves.
    """
    p = b.size
    for k in range(p):
        for m in range(k + 1):
            total = a[k, m]
            for q in range(m):
                total -= a[k, q] * a[m, q]
            a[k, m] = math.sqrt(max(total, 1e-300)) if k == m else total / a[m, m]
    for k in range(p):
        total = b[k]
        for q in range(k):
            total -= a[k, q] * out[q]
        out[k] = total / a[k, k]
    for k in range(p):
        out[k] += np.random.standard_normal()
    for k in range(p - 1, -1, -1):
        total = out[k]
        for q in range(k + 1, p):
            total -= a[q, k] * out[q]
        out[k] = total / a[k, k]


@njit(cache=True, nogil=True, error_model="numpy")
def _half_chi_square(freedom: int) -> float:
    """Half a draw of chi-square with so many degrees of freedom, which is Gamma(freedom / 2, 1).

    Each two degrees are an exponential, an odd one is the square of a normal; several times quicker than a general gamma.
    Source: definition of chi-square as a sum of squares.
    """
    product = 1.0
    for _ in range(freedom // 2):
        product *= 1.0 - np.random.random()
    odd = np.random.standard_normal() if freedom % 2 else 0.0
    return 0.5 * odd * odd - math.log(product)


@njit(cache=True, nogil=True, error_model="numpy")
def _scale_step(variance: float, square: float, count: int, prior: float) -> float:
    """A few Metropolis steps for a standard deviation s given sum of squares: p(s) s^-n exp(-S/2s2) exp(-s2/2 prior2)."""
    log_s = 0.5 * math.log(variance)
    width = 1.2 / math.sqrt(0.5 * count + 1.0)

    for _ in range(4):
        new = log_s + width * np.random.standard_normal()
        if new < -7.0:  # a millisecond
            continue
        old_v, new_v = math.exp(2.0 * log_s), math.exp(2.0 * new)
        gain = (count - 1) * (log_s - new) + 0.5 * square * (1.0 / old_v - 1.0 / new_v)
        gain += (old_v - new_v) / (2.0 * prior * prior)
        if math.log(np.random.random() + 1e-300) < gain:
            log_s = new
    return math.exp(2.0 * log_s)


def columns_of(laps: Sequence[Observed]) -> int:
    """Columns that tell levels apart: one a level, or one for all and one a difference judged at once."""
    return 1 + len(laps[0].marks) if laps[0].marks else max(lap.level for lap in laps) + 1


def design(laps: Sequence[Observed], levels: int, compounds: int, reference: Reference) -> Floats:
    """Columns of the lap model, shape [laps, levels + 1 + compounds + (compounds - 1) + 3].

    Levels, weight, fade of each compound, offset of each compound but the first, cold tyres, track, trend.

    :param levels: of `columns_of`
    """
    fade = levels + 1
    offset = fade + compounds - 1  # the first compound has none
    x = np.zeros((len(laps), levels + 2 * compounds + 3))
    for row, lap in enumerate(laps):
        if lap.marks:
            x[row, 0] = 1.0
            x[row, 1:levels] = lap.marks
        else:
            x[row, lap.level] = 1.0
        x[row, levels] = lap.fuel_kg - reference.fuel_kg
        x[row, fade] -= reference.tyre_age  # levels refer to the first compound at that age, offsets to new tyres
        x[row, fade + lap.compound] += lap.tyre_age
        if lap.compound:
            x[row, offset + lap.compound] = 1.0
        x[row, -3] = COLD_STAY ** max(lap.since_pit - 1, 0)
        x[row, -2] = lap.track_c - reference.track_c
        x[row, -1] = lap.hours - reference.hours
    return x


def prior_columns(priors: Priors, levels: int) -> tuple[Floats, Floats]:
    """Prior means and standard deviations of the columns of `design`."""
    rest = [priors.fuel, *priors.fade, *priors.offset, priors.cold, priors.track, priors.trend]
    mean = np.array([0.0] * levels + [prior.mean for prior in rest])
    sd = np.array([LEVEL_PRIOR_S] * levels + [prior.sd for prior in rest])
    return mean, sd


def fit(laps: Sequence[Observed], priors: Priors, seed: int = 20_261) -> Posterior:
    """Posterior of the lap model.

    :param laps: timed laps only, of at least one level
    :raises ValueError: without laps
    """
    if not laps:
        raise ValueError("the lap model needs at least one timed lap")
    levels = columns_of(laps)
    compounds = len(priors.fade)
    order: dict[int, int] = {}
    for lap in laps:
        order.setdefault(lap.run, len(order))
    times = np.array([lap.time_s for lap in laps])
    reference = reference_of(laps)
    centre = float(np.median(times))
    x = design(laps, levels, compounds, reference)
    mean, sd = prior_columns(priors, levels)
    run = np.array([order[lap.run] for lap in laps], dtype=np.int64)
    draws, shift, scatter = _gibbs(x, times - centre, run, len(order), mean, sd, seed, _BURN, DRAWS, TAILS, SCATTER_PRIOR_S, SHIFT_PRIOR_S)
    fade, p = levels + 1, x.shape[1]
    offset = np.column_stack([np.zeros(len(draws)), draws[:, fade + compounds : p - 3]])
    marked = bool(laps[0].marks)
    effects = draws[:, 1:levels] if marked else draws[:, 1:levels] - draws[:, :1]
    return Posterior(
        (draws[:, :1] if marked else draws[:, :levels]) + centre, effects, draws[:, levels], draws[:, fade : fade + compounds], offset,
        draws[:, p - 3], draws[:, p - 2], draws[:, p - 1], shift, scatter, reference, draws[:, p:],
    )  # fmt: skip


def corrected_times(laps: Sequence[Observed], posterior: Posterior) -> Floats:
    """Lap times with fuel, compound, tyre age, cold tyres, track and trend moved to the posterior's reference [s]."""
    compounds = posterior.fade.shape[1]
    levels = columns_of(laps)
    x = design(laps, levels, compounds, posterior.reference)
    rest = [
        posterior.fuel.mean(), *posterior.fade.mean(axis=0), *posterior.offset.mean(axis=0)[1:], posterior.cold.mean(),
        posterior.track.mean(), posterior.trend.mean(),
    ]  # fmt: skip
    return np.asarray(np.array([lap.time_s for lap in laps]) - x[:, levels:] @ np.array(rest), dtype=np.float64)


def warm() -> None:
    """Compile, or load from the cache, what a request may need."""
    laps = [Observed(i // 3, i % 2, 0, 30.0 - i, float(i % 3), 70.0 + 0.1 * (i % 3)) for i in range(6)]
    fit(laps, Priors(Prior(0.03, 0.01), (Prior(0.05, 0.05),)))
