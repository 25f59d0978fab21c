"""The Gibbs sampler behind the lap model (Gelman et al., Bayesian Data Analysis, 3rd ed., ch. 12, 15 and 17).

Whatever can be integrated out is: run shifts out of the coefficients and out of their own spread, every coefficient but the
learning out of a draw's view of an effect. What is left mixes well even where the spread of the runs is near nothing.
"""

import math

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

#: Least standard deviation that is drawn: a millisecond, as a logarithm.
_LEAST_LOG = -7.0


@compiled()
def gibbs(
    x: Floats, y: Floats, run: Ints, runs: int, mean: Floats, sd: Floats, effects: int, seed: int, burn: int, draws: int,
    tails: int, scatter_prior: float, shift_prior: float, history: Floats, learning_prior: float, alike_prior: float,
    spoiled: Floats,
) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:  # fmt: skip
    """Draws of the coefficients with the run shifts behind them; of the shifts' spread, the scatter and the share of spoiled laps;
    and of every effect the conditional mean and standard deviation at each draw, whose mixture is its posterior.

    Given weights, delays and spreads, coefficients and shifts are jointly normal with precision [[A, C'], [C, D]], D diagonal:
    the shifts are integrated out (Schur complement A - C' D^-1 C). The last coefficient, what learning still costs, is at
    least 0 and drawn from its own marginal; the effects stand before it.

    :param x: columns, the last but `effects` + 1 of which are everything else, then the effects, then the learning
    :param history: of earlier runs: sum of squares, degrees of freedom, variance that laps explain, weight of the guard, share of
        the likelihood, its normalisation; no freedom means none
    :param alike_prior: scale of the half-normal prior of the effects' own spread; 0 where they are flat
    :param spoiled: mean delay [s], and the two counts of the beta prior of their share
    """
    np.random.seed(seed)
    n, p = x.shape
    weight, delay = np.ones(n), np.zeros(n)
    sigma2, tau2, share, shrink, alike2 = 0.04, 0.01, 0.05, 1.0, 0.04
    out = np.empty((draws, p + runs))
    out_tau, out_sigma, out_share = np.empty(draws), np.empty(draws), np.empty(draws)
    middle, width = np.empty((draws, effects)), np.empty((draws, effects))
    a, b, beta = np.empty((p, p)), np.empty(p), np.zeros(p)
    cross, known, pull = np.empty((runs, p)), np.empty(runs), np.empty(runs)
    own_mean, shift = np.empty(runs), np.zeros(runs)
    first = p - 1 - effects
    for step in range(burn + draws):
        a[:, :], cross[:, :], pull[:], known[:] = 0.0, 0.0, 0.0, 0.0
        for k in range(p):
            a[k, k] = 1.0 / (sd[k] * sd[k])
            b[k] = mean[k] / (sd[k] * sd[k])
        a[p - 1, p - 1] = shrink / (learning_prior * learning_prior)
        if alike_prior > 0.0:
            for k in range(effects):
                for m in range(k + 1):
                    a[first + k, first + m] += ((1.0 if k == m else 0.0) - 1.0 / (effects + 1)) / alike2
        for i in range(n):
            w = weight[i] / sigma2
            r = run[i]
            target = y[i] - delay[i]
            for k in range(p):
                wx = w * x[i, k]
                if wx != 0.0:
                    for m in range(k + 1):
                        a[k, m] += wx * x[i, m]
                    cross[r, k] += wx
                    b[k] += wx * target
            known[r] += w
            pull[r] += w * target
        for r in range(runs):
            for k in range(p):
                part = cross[r, k] / (known[r] + 1.0 / tau2)
                b[k] -= part * pull[r]
                for m in range(k + 1):
                    a[k, m] -= part * cross[r, m]
        kept = step - burn
        _draw_normal(a, b, beta, effects, middle[max(kept, 0)], width[max(kept, 0)])
        learnt = beta[p - 1] / learning_prior
        # half-Cauchy as a scale mixture: N+(0, prior2/k) with k exponential of rate (1 + (a/prior)2)/2
        shrink = -math.log(1.0 - np.random.random()) / (0.5 * (1.0 + learnt * learnt))
        if alike_prior > 0.0:
            total, square = 0.0, 0.0
            for k in range(effects):
                total += beta[first + k]
                square += beta[first + k] ** 2
            alike2 = _scale_step(alike2, square - total * total / (effects + 1), effects, alike_prior)
        for r in range(runs):
            own_mean[r] = pull[r]
            for k in range(p):
                own_mean[r] -= cross[r, k] * beta[k]
            own_mean[r] /= known[r]
        tau2 = _shift_step(tau2, own_mean, known, shift_prior, history)
        for r in range(runs):
            precision = known[r] + 1.0 / tau2
            shift[r] = known[r] * own_mean[r] / precision + np.random.standard_normal() / math.sqrt(precision)
        square, late = 0.0, 0
        for i in range(n):
            e = y[i] - shift[run[i]]
            for k in range(p):
                e -= x[i, k] * beta[k]
            delay[i] = _delay(e, math.sqrt(sigma2 / weight[i]), share, spoiled[0])
            late += delay[i] > 0.0
            e -= delay[i]
            weight[i] = _half_chi_square(tails + 1) / (0.5 * (tails + e * e / sigma2))
            square += weight[i] * e * e
        share = np.random.beta(spoiled[1] + late, spoiled[2] + n - late)
        sigma2 = _scale_step(sigma2, square, n, scatter_prior)
        if kept >= 0:
            for k in range(p):  # a slice assigned to a slice costs the compiler five seconds
                out[kept, k] = beta[k]
            for r in range(runs):
                out[kept, p + r] = shift[r]
            out_tau[kept], out_sigma[kept], out_share[kept] = math.sqrt(tau2), math.sqrt(sigma2), share
    return out, out_tau, out_sigma, out_share, middle, width


@compiled()
def _draw_normal(a: Floats, b: Floats, out: Floats, effects: int, middle: Floats, width: Floats) -> None:
    """A draw of N(A^-1 b, A^-1), its last coordinate at least 0, into `out`; and the effects' conditional means and widths.

    Only the lower half of `a` is read, and overwritten by its Cholesky factor L: L z = b, then L' out = z + noise. Backwards,
    each coordinate is drawn given those after it with all before it integrated out.
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
    out[p - 1] = at_least_0(out[p - 1] / a[p - 1, p - 1], 1.0 / a[p - 1, p - 1])
    for k in range(p - 2, -1, -1):
        total = out[k]
        for q in range(k + 1, p):
            total -= a[q, k] * out[q]
        centre = total / a[k, k]
        place = k - (p - 1 - effects)
        if place >= 0:
            middle[place], width[place] = centre, 1.0 / a[k, k]
        out[k] = centre + np.random.standard_normal() / a[k, k]


@compiled()
def at_least_0(mean: float, sd: float) -> float:
    """A draw of N(mean, sd2) that is at least 0.

    Source: Robert, Statistics and Computing 5 (1995): plain rejection near the middle, an exponential one in the tail.
    """
    edge = -mean / sd
    if edge < 0.45:
        while True:
            z = np.random.standard_normal()
            if z >= edge:
                return mean + sd * z
    rate = 0.5 * (edge + math.sqrt(edge * edge + 4.0))
    while True:
        z = edge - math.log(1.0 - np.random.random()) / rate
        if math.log(1.0 - np.random.random()) <= -0.5 * (z - rate) ** 2:
            return mean + sd * z


@compiled()
def _delay(rest: float, sd: float, share: float, typical: float) -> float:
    """What a lap lost to a mistake or traffic: nothing, or an exponential time of this mean [s].

    Whether it is spoiled is drawn with the delay integrated out (a normal convolved with an exponential), then the delay, which
    is a normal cut at nothing.
    """
    drag = sd / typical
    z = rest / sd
    plain = (1.0 - share) * math.exp(-0.5 * min(z * z, 1400.0)) / (sd * math.sqrt(2.0 * math.pi))
    # Phi(u) exp(g) with u = z - drag, g = drag2/2 - z drag: far below the mean Phi is below any number, and so is the product
    u = z - drag
    if u < -30.0:
        return 0.0
    late = share / typical * math.exp(min(0.5 * drag * drag - z * drag, 700.0)) * 0.5 * math.erfc(-u / math.sqrt(2.0))
    if np.random.random() * (plain + late) >= late:
        return 0.0
    return at_least_0(rest - sd * drag, sd)


@compiled()
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


@compiled()
def _scale_step(variance: float, square: float, count: int, prior: float) -> float:
    """A few Metropolis steps for a standard deviation s given sum of squares: p(s) s^-n exp(-S/2s2) exp(-s2/2 prior2)."""
    log_s = 0.5 * math.log(variance)
    width = 1.2 / math.sqrt(0.5 * count + 1.0)

    for _ in range(4):
        new = log_s + width * np.random.standard_normal()
        if new < _LEAST_LOG:
            continue
        old_v, new_v = math.exp(2.0 * log_s), math.exp(2.0 * new)
        gain = (count - 1) * (log_s - new) + 0.5 * square * (1.0 / old_v - 1.0 / new_v)
        gain += (old_v - new_v) / (2.0 * prior * prior)
        if math.log(np.random.random() + 1e-300) < gain:
            log_s = new
    return math.exp(2.0 * log_s)


@compiled()
def _shift_step(variance: float, own_mean: Floats, known: Floats, prior: float, history: Floats) -> float:
    """Metropolis steps for the spread T of the runs with the shifts themselves integrated out.

    :param own_mean: what each run's laps are off on average [s], with variance T2 + 1/known
    :param history: see `gibbs`
    """
    log_t = 0.5 * math.log(variance)
    now = _log_shift(log_t, own_mean, known, prior, history)
    width = 1.6 / math.sqrt(0.25 * own_mean.size + 1.0)
    for _ in range(5):
        new = log_t + width * np.random.standard_normal()
        if new < _LEAST_LOG or new > 5.0:
            continue
        then = _log_shift(new, own_mean, known, prior, history)
        if math.log(np.random.random() + 1e-300) < then - now:
            log_t, now = new, then
    return math.exp(2.0 * log_t)


@compiled()
def _log_shift(log_t: float, own_mean: Floats, known: Floats, prior: float, history: Floats) -> float:
    t2 = math.exp(2.0 * log_t)
    total = log_t - math.log(1.0 + t2 / (prior * prior))  # half-Cauchy, on the logarithm
    for r in range(own_mean.size):
        v = t2 + 1.0 / known[r]
        total -= 0.5 * (math.log(v) + own_mean[r] * own_mean[r] / v)
    square, freedom, noise, guard, share, norm = history
    if freedom > 0.0:
        v = t2 + noise
        total += math.log(guard + (1.0 - guard) * math.exp(-0.5 * share * (freedom * math.log(v) + square / v) - norm))
    return total
