"""One lap from a track of several, driven with a receiver that scatters and wanders: parted, averaged, and bent no more than roads bend."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from ..errors import InputError
from .line import racing_line
from .points import LENGTH_BOUNDS_M, Point, checked_points, scatter_m
from .track import MOST_SPREAD, Circuit

Floats = NDArray[np.float64]
Ring = NDArray[np.complex128]

#: Spacing of the averaged lap [m], finer where the lap is short.
_SPACING_M, _FINEST_M = 3.0, 1.5
#: Below this scatter a single lap is taken as it is surveyed [m].
_EXACT_M = 0.25
#: How little roads change their curvature: weights of its squared rate [m³], of which points that were not used choose one, and with which
#: they begin; that one lets it change by 1/70 m in 20 m. Source: an assumption of this product, tried on random circuits.
_STIFFNESS, _BEGIN = (1e3, 1e4, 1e5, 1e6, 1e7), 2
#: How firmly the places stay evenly apart [1/m].
_EVENLY = 1000.0
#: Laps that are read at most, and those left out by turns to choose the stiffness.
_MOST_LAPS, _LEFT_OUT = 20, 3
#: A car stands where it moves slower than this share of its middle speed [-], for so many points, and less far than that [m].
_STANDS, _STANDS_FOR, _STANDS_M = 0.15, 10, 15.0
#: Points that are read at most; further laps add little. Places of a ring at most, however it winds.
_MOST_READ, _MOST_PLACES = 40_000, 12_000
#: Share by which laps of one circuit differ in length at most [-], and the least way between two passages of the start [m].
_LIKE, _LEAST_LAP_M = 0.05, LENGTH_BOUNDS_M[0]
#: Way over which neighbouring points miss alike as far as curvature goes, beyond which they wander without bending the lap, and of pieces
#: that tell the stiffness each for itself [m].
_NEAR_M, _FAR_M, _APART_M = 20.0, 150.0, 50.0
#: Least and most scatter that is believed [m], how far from where it was thought to be a point is looked for [m], and how many times the
#: scatter it may lie off before it counts less.
_LEAST_M, _MOST_M, _REACH_M, _FAR_OFF = 0.05, 10.0, 60.0, 2.5
#: Circuits drawn that the points leave possible; by how much more they miss than those drawn, since roads bend in steps and not as the
#: fit's prior has it (random circuits: 1.0 to 1.4) [-]; and the least spread of times on a recorded lap (spacing, the line taken for
#: the middle of the road) [-].
_DRAWS, _MORE, _LEAST_SPREAD = 10, 1.3, 0.001
#: Spread of times where the points leave no other circuit possible that can be driven [-].
_WIDEST = 0.1
#: Stations of a lap by which times are compared, and the greatest distance between them [m].
_COARSE, _COARSEST_M = 500, 7.0
#: Grip and power per mass of the car by which times are compared [m/s²], [m²/s³]; any car's times differ by nearly the same share.
_GRIP_MS2, _POWER, _TOP_MS = 13.0, 250.0, 75.0


@dataclass(frozen=True)
class Averaged:
    """One lap of a driven track.

    :param points: of the lap in driving order, the first where the track passes its start [m]
    :param laps: that it is the mean of
    :param spread: of the lap's time, as far as the points leave it open, one standard deviation, `MOST_SPREAD` at most [-]
    """

    points: tuple[Point, ...]
    laps: int
    spread: float


def averaged(points: list[Point], width_m: float, place: str) -> Averaged:
    """The lap that a track drives, once or more often.

    Positions are fitted by a ring whose curvature changes little (a smoothing spline in the road's own directions: Reinsch, Numerische
    Mathematik 10, 1967; its prior and the draws from it: Wahba, *Spline Models for Observational Data*, ch. 5), each point laid where it is
    nearest; how little is chosen by the laps that were left out. What neighbouring points miss alike counts as one.

    :param points: in the order of driving, in metres
    :param width_m: width of the road [m]
    :param place: what the points are of, for errors
    :raises InputError: if they are no lap
    """
    track = np.array([complex(x, y) for x, y, _ in points])
    scatter = scatter_m(np.array(points, dtype=float))
    smooth = _quiet(track, scatter)
    moving = _moving(smooth)
    points, track, smooth = [point for point, kept in zip(points, moving, strict=True) if kept], track[moving], smooth[moving]
    laps = _parted(smooth)[:_MOST_LAPS]
    total = np.cumsum([lap.stop - lap.start for lap in laps])
    laps = laps[: max(int((total <= _MOST_READ).sum()), 1)]
    if not laps:
        checked_points(points, place)  # one lap that ends before it comes back to its first point, or none
        laps = [slice(0, len(points))]
    if len(laps) == 1 and scatter < _EXACT_M:
        return Averaged(tuple(points[laps[0]]), 1, 0.0)
    every = max(-(-(laps[0].stop - laps[0].start) // _MOST_READ), 1)
    read = [np.arange(lap.start, lap.stop, every) for lap in laps]
    fit = _Fit([track[lap] for lap in read], [smooth[lap] for lap in read], scatter)
    heights = fit.heights(np.array([points[k][2] for k in np.concatenate(read)]))
    return _told(fit, heights, width_m)


def through_laps(laps: Sequence[Ring], width_m: float) -> Averaged:
    """The lap that laps drove which are parted already, without heights: see `averaged`.

    :param laps: positions of each as east + north·i in the order of driving [m]
    """
    kept = list(laps)[:_MOST_LAPS]
    thinned = [one[:: max(len(one) * len(kept) // _MOST_READ, 1)] for one in kept]
    scatter = float(np.median([scatter_m(np.column_stack([one.real, one.imag])) for one in thinned]))
    fit = _Fit(thinned, [_quiet(one, scatter) for one in thinned], scatter)
    return _told(fit, np.zeros(len(fit.ring)), width_m)


def _told(fit: "_Fit", heights: Floats, width_m: float) -> Averaged:
    spread = round(min(math.hypot(fit.spread(width_m), _LEAST_SPREAD), MOST_SPREAD), 5)
    rows = tuple((round(float(at.real), 3), round(float(at.imag), 3), round(float(z), 4)) for at, z in zip(fit.ring, heights, strict=True))
    return Averaged(rows, fit.laps, spread)


def _quiet(track: Ring, scatter: float) -> Ring:
    """A track smoothed along its samples, just so much that its way is not made longer by scatter."""
    from scipy.ndimage import gaussian_filter1d

    step = max(float(np.median(np.abs(np.diff(track)))), 1e-6)
    width = min(max((12.0 * scatter / step) ** (2.0 / 3.0), 0.5), 12.0)
    return np.asarray(gaussian_filter1d(track.real, width) + 1j * gaussian_filter1d(track.imag, width))


def _moving(track: Ring) -> NDArray[np.bool_]:
    """Which points are not of a car that stands: on the grid, or in the pits."""
    moving, step = np.ones(len(track), dtype=bool), np.abs(np.gradient(track))
    slow = np.concatenate([[False], step < _STANDS * float(np.median(step)), [False]])
    edges = np.flatnonzero(np.diff(slow))
    for first, after in zip(edges[::2], edges[1::2], strict=True):
        if after - first >= _STANDS_FOR and abs(track[after - 1] - track[first]) < _STANDS_M:
            moving[first + 1 : after] = False
    return moving


def _parted(track: Ring) -> list[slice]:
    """Where the laps of a track lie: between passages of its first point, or of the first that it comes back to.

    Laps of another length than most (the pits, a short cut) are left out.
    """
    ahead = np.gradient(track)
    way = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(track)))])
    reach = max(12.0, 1.5 * float(np.median(np.abs(np.diff(track)))))
    for start in range(0, max(len(track) // 2, 1), max(len(track) // 100, 1)):
        near = (np.abs(track - track[start]) < reach) & (np.real(np.conj(ahead[start]) * ahead) > 0.0)
        passed = [start]
        edges = np.flatnonzero(np.diff(np.concatenate([[False], near, [False]])))
        for first, after in zip(edges[::2], edges[1::2], strict=True):
            away = np.abs(track[first:after] - track[start])
            closest = int(first) + int(np.argmin(away))
            if way[closest] - way[passed[-1]] > _LEAST_LAP_M:
                ends = closest == len(track) - 1 and away.min() > 0.5 * abs(track[-1] - track[-2])  # a lap without its first point again
                passed.append(closest + 1 if ends else closest)
        if len(passed) > 1:
            lengths = np.diff(np.append(way, way[-1])[passed])
            like = np.abs(lengths / np.median(lengths) - 1.0) <= _LIKE
            like[0] |= not like.any()  # two laps that are unlike: the first
            return [slice(a, b) for a, b, kept in zip(passed[:-1], passed[1:], like, strict=True) if kept]
    return []


class _Fit:
    """A ring through the points of laps.

    :param laps: positions of each [m]
    :param quiet: the same, smoothed
    :param scatter: of a point [m]
    """

    def __init__(self, laps: list[Ring], quiet: list[Ring], scatter: float) -> None:
        self.points, self.laps = np.concatenate(laps), len(laps)
        self.every = np.ones(len(self.points), dtype=bool)
        self.lap = np.repeat(np.arange(len(laps)), [len(one) for one in laps])
        length = float(np.abs(np.diff(np.append(quiet[0], quiet[0][0]))).sum())
        self.spacing = min(max(length / 1000.0, _FINEST_M), _SPACING_M) if length < 3000.0 else max(_SPACING_M, length / 5000.0)
        self.ring, self.ds = _even(quiet[0], self.spacing)
        starts = []
        for one in quiet:
            way = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(one)))])
            whole = way[-1] + abs(one[0] - one[-1])
            starts.append(self._laid(one, way / whole * self.length_m, _REACH_M))
        self.at = np.concatenate(starts)
        self.scatter = min(max(scatter, _LEAST_M), _MOST_M)
        self.stiffness = self._chosen((self.ring, self.ds, self.at))
        self._fitted(self.every, self.stiffness, 4)
        self.scatter = min(max(self._alike(), self.scatter), _MOST_M)
        self._fitted(self.every, self.stiffness, 3)

    @property
    def length_m(self) -> float:
        """Length of the ring [m]."""
        return self.ds * len(self.ring)

    def _chosen(self, begin: tuple[Ring, float, Floats]) -> float:
        """The stiffness with which it begins, unless the points left out lie surely nearer under another.

        Source: cross-validation and its standard error (Hastie and others, *The Elements of Statistical Learning*, ch. 7), over pieces of
        the way. Too much takes the bends away, and too little makes some: without a sure reason neither is wanted.
        """
        folds = self.lap if self.laps > 1 else np.arange(len(self.points)) % _LEFT_OUT
        pieces = max(int(self.length_m / _APART_M), 8)
        piece = np.minimum((self.at / self.length_m * pieces).astype(int), pieces - 1)

        @cache
        def missed(step: int) -> Floats:
            found = []
            for fold in range(min(int(folds.max()) + 1, _LEFT_OUT)):
                self.ring, self.ds, self.at = begin
                self._fitted(folds != fold, _STIFFNESS[step], 3)
                off = np.minimum(np.abs(self._off()), 4.0 * self.scatter)[folds == fold]
                found.append(np.bincount(piece[folds == fold], off**2, minlength=pieces))
            return np.concatenate(found)

        def nearer(one: int, than: int) -> bool:
            """Whether the points lie nearer by more than a standard error."""
            more = missed(than) - missed(one)
            return float(more.mean()) > float(more.std()) / math.sqrt(len(more))

        best = _BEGIN
        for way in (1, -1):
            while 0 <= best + way < len(_STIFFNESS) and (way > 0 or best <= _BEGIN) and nearer(best + way, best):
                best += way
        self.ring, self.ds, self.at = begin
        return _STIFFNESS[best]

    def _fitted(self, used: NDArray[np.bool_], stiffness: float, rounds: int) -> None:
        """The ring laid through the points that are used, all points laid on it anew."""
        for _ in range(rounds):
            self._system(used, stiffness)
            found = self._solve(self.pull)
            length = self.length_m
            self.ring, self.ds = _even(found, self.spacing)
            self.at = self._laid(self.points, self.at * self.length_m / length, 5.0 * self.scatter + 5.0)

    def _system(self, used: NDArray[np.bool_], stiffness: float) -> None:
        """The equations of the ring that fits best, about the ring as it is: x of all places, then y."""
        from scipy.sparse import block_diag, csr_matrix, diags, hstack, identity
        from scipy.sparse.linalg import splu

        n, ds = len(self.ring), self.ds
        off = np.abs(self._off())
        weight = np.where(used, np.minimum(1.0, _FAR_OFF * self.scatter / np.maximum(off, 1e-9)), 0.0) / self.scatter**2
        first = np.floor(self.at / ds).astype(int)
        u = self.at / ds - first
        cubic = np.column_stack(
            [-u * (u - 1) * (u - 2) / 6, (u + 1) * (u - 1) * (u - 2) / 2, -(u + 1) * u * (u - 2) / 2, (u + 1) * u * (u - 1) / 6]
        )
        places = (first[:, None] + np.arange(-1, 3)) % n
        rows = np.repeat(np.arange(len(u)), 4)
        self.reads = csr_matrix((cubic.ravel(), (rows, places.ravel())), shape=(len(u), n))
        here = identity(n, format="csr")
        step = here[np.roll(np.arange(n), -1)] - here
        ahead = _ahead(self.ring)
        between = np.roll(ahead, -1) + np.roll(ahead, -2)
        between /= np.maximum(np.abs(between), 1e-12)
        twice, thrice = step @ step, step @ step @ step
        bends = hstack([diags(-between.imag) @ thrice, diags(between.real) @ thrice]) * (math.sqrt(stiffness * ds) / ds**3)
        mid = np.roll(ahead, -1)
        evenly = hstack([diags(mid.real) @ twice, diags(mid.imag) @ twice]) * (math.sqrt(_EVENLY * ds) / ds**2)
        self.rules = csr_matrix(bends), csr_matrix(evenly)
        self.weight = weight
        self.pull = weight * self.points
        read: Any = self.reads.T @ diags(weight) @ self.reads
        bent, even = (rule.T @ rule for rule in self.rules)
        whole: Any = block_diag([read, read]) + bent + even + 1e-9 * identity(2 * n)
        self.solver = splu(whole.tocsc())

    def _solve(self, pull: Ring, rules: Floats | None = None) -> Ring:
        """The ring that a pull on each point, and on each rule of smoothness, leads to."""
        n = self.reads.shape[1]
        right = np.concatenate([self.reads.T @ pull.real, self.reads.T @ pull.imag])
        if rules is not None:
            right += self.rules[0].T @ rules[:n] + self.rules[1].T @ rules[n:]
        found = self.solver.solve(right)
        return np.asarray(found[:n] + 1j * found[n:])

    def _laid(self, points: Ring, near: Floats, reach_m: float) -> Floats:
        """Where each point is nearest to the ring, about where it was thought to be [m]."""
        n, ds = len(self.ring), self.ds
        around = np.arange(-int(reach_m / ds) - 1, int(reach_m / ds) + 2)
        about = np.round(near / ds).astype(int)
        away = np.abs(self.ring[(about[:, None] + around) % n] - points[:, None])
        k = (about + around[np.argmin(away, axis=1)]) % n
        along = np.real(np.conj(_ahead(self.ring)[k]) * (points - self.ring[k]))
        return np.asarray(np.mod(k * ds + np.clip(along, -ds, ds), n * ds))

    def _off(self) -> Floats:
        """How far each point lies left of the ring [m]."""
        n = len(self.ring)
        closed = np.append(self.ring, self.ring[0])
        at = np.minimum(self.at / self.ds, n)
        ring = np.interp(at, np.arange(n + 1), closed.real) + 1j * np.interp(at, np.arange(n + 1), closed.imag)
        ahead = _ahead(self.ring)[np.round(at).astype(int) % n]
        return np.asarray(np.imag(np.conj(ahead) * (self.points - ring)))

    def _blocks(self, way_m: float) -> tuple[Floats, Floats, NDArray[np.int64]]:
        """What the points of each lap miss in the mean over pieces of the way: their means [m], the numbers of points, the lap of each."""
        pieces = max(int(self.length_m / way_m), 4)
        index = self.lap * pieces + np.minimum((self.at / self.length_m * pieces).astype(int), pieces - 1)
        count = np.bincount(index, minlength=pieces * self.laps).astype(float)
        mean = np.bincount(index, self._off(), minlength=len(count)) / np.maximum(count, 1.0)
        return mean, count, np.arange(len(count)) // pieces

    def _alike(self) -> float:
        """The scatter of a point of its own that would make pieces of the way miss as they do, without what wanders slowly [m].

        By the differences of neighbouring pieces, each of points that may miss alike; with one lap nothing tells.
        """
        if self.laps < 2:
            return self.scatter
        mean, count, lap = self._blocks(_NEAR_M)
        good = (lap[1:] == lap[:-1]) & (count[1:] > 0) & (count[:-1] > 0)
        if int(good.sum()) < 20:
            return self.scatter
        squared = (mean[1:] - mean[:-1])[good] ** 2 / (1.0 / count[1:][good] + 1.0 / count[:-1][good])
        return float(math.sqrt(np.median(squared) / 0.4549 * self.laps / (self.laps - 1)))

    def _wandered(self) -> list[Ring]:
        """What each lap misses along the ring without what scatters from point to point [m]; of one lap, what is assumed of a receiver."""
        from scipy.ndimage import gaussian_filter1d

        n, laps = len(self.ring), self.laps
        left = 1j * _ahead(self.ring)
        if laps < 2:
            return [self.scatter * _slow(n, self.ds, left)]
        off, place, width = self._off(), np.round(self.at / self.ds).astype(int) % n, _NEAR_M / self.ds
        found = []
        for lap in range(laps):
            of = self.lap == lap
            count = gaussian_filter1d(np.bincount(place[of], minlength=n).astype(float), width, mode="wrap")
            miss = gaussian_filter1d(np.bincount(place[of], off[of], minlength=n), width, mode="wrap")
            found.append(miss / np.maximum(count, 1e-3) * left / math.sqrt(laps * (laps - 1)))
        return found

    def spread(self, width_m: float) -> float:
        """How far times on the circuits that the points leave possible lie apart, and from that on the ring, as a share of it.

        Drawn are rings by the fit's own equations, moved by what whole laps miss (a bootstrap of laps: Efron & Tibshirani, *An Introduction
        to the Bootstrap*, ch. 9); what the next smaller stiffness would change is added, since the points hardly tell the two.
        """
        self._system(self.every, self.stiffness)
        rng = np.random.default_rng(20)
        n = len(self.ring)
        known, wandered = _time_s(self.ring, width_m), self._wandered()
        times = []
        for _ in range(_DRAWS):
            pull = self.pull + np.sqrt(self.weight) * (rng.normal(size=len(self.weight)) + 1j * rng.normal(size=len(self.weight)))
            moved = sum(rng.normal() * one for one in wandered)
            times.append(_time_s(self._solve(pull, rng.normal(size=2 * n)) + moved, width_m))
        kept = self.ring, self.ds, self.at
        self._fitted(self.every, 0.1 * self.stiffness, 3)
        looser = _time_s(self.ring, width_m)
        self.ring, self.ds, self.at = kept
        if known is None:  # no circuit: whoever asked will say why
            return 0.0
        shares = [time / known - 1.0 for time in times if time is not None]
        wide = float(np.mean(np.square(shares))) if shares else _WIDEST**2
        return _MORE * math.sqrt(wide + (_WIDEST if looser is None else looser / known - 1.0) ** 2)

    def heights(self, measured: Floats) -> Floats:
        """Height along the ring [m], of slopes that change little (a smoothing spline); what laps differ by as a whole is taken out."""
        from scipy.sparse import csc_matrix, diags, identity
        from scipy.sparse.linalg import splu

        if not np.any(measured):
            return np.zeros(len(self.ring))
        means = np.bincount(self.lap, measured) / np.bincount(self.lap)
        level = measured - means[self.lap] + means.mean()
        scatter = max(float(np.median(np.abs(np.diff(level, n=3)))) / 0.6745 / math.sqrt(20.0), _LEAST_M)
        self._system(self.every, self.stiffness)
        n, ds = len(self.ring), self.ds
        here = identity(n, format="csr")
        step = here[np.roll(np.arange(n), -1)] - here
        bend = step @ step * (math.sqrt(_SLOPES * ds) / ds**2)
        whole = self.reads.T @ diags(np.full(len(level), 1.0 / scatter**2)) @ self.reads + bend.T @ bend
        return np.asarray(splu(csc_matrix(whole)).solve(self.reads.T @ level / scatter**2))


#: How little slopes change: weight of the squared rate [m]; a slope changes by 5 % in 60 m. Source: an assumption of this product.
_SLOPES = 2.4e4


def _ahead(ring: Ring) -> Ring:
    """Direction of travel at each place."""
    way = np.roll(ring, -1) - np.roll(ring, 1)
    return np.asarray(way / np.maximum(np.abs(way), 1e-12))


def _even(ring: Ring, spacing_m: float) -> tuple[Ring, float]:
    """A ring at even places from the same start, and how far they lie apart [m]."""
    from scipy.interpolate import CubicSpline

    closed = np.append(ring, ring[0])
    way = np.concatenate([[0.0], np.cumsum(np.maximum(np.abs(np.diff(closed)), 1e-6))])
    n = min(max(round(float(way[-1]) / spacing_m), 32), _MOST_PLACES)
    return np.asarray(CubicSpline(way, closed, bc_type="periodic")(np.arange(n) * way[-1] / n)), float(way[-1]) / n


def _slow(n: int, ds: float, left: Ring) -> Ring:
    """A slow shift of places to the left and right along a ring, of one metre in the mean."""
    from scipy.ndimage import gaussian_filter1d

    slow = gaussian_filter1d(np.random.default_rng(21).normal(size=n), max(_FAR_M / ds, 2.0), mode="wrap")
    return np.asarray(slow / max(float(np.sqrt(np.mean(slow**2))), 1e-12) * left)


def _time_s(ring: Ring, width_m: float) -> float | None:
    """Lap time of a point of mass on the line of least curvature of the road along a ring [s]; None where it is no circuit.

    Source: quasi-steady lap of a point mass (Milliken & Milliken, *Race Car Vehicle Dynamics*, ch. 9).

    :param width_m: width of the road [m]
    """
    points = tuple((float(at.real), float(at.imag), 0.0) for at in ring)
    length = float(np.abs(np.diff(np.append(ring, ring[0]))).sum())
    spacing = min(max(length / _COARSE, _FINEST_M), _COARSEST_M)
    try:
        line = racing_line(Circuit(key="drawn", name="drawn", layout="drawn", width_m=width_m, points_m=points), spacing)
    except (InputError, ValidationError):
        return None
    bend, ds = np.abs(line.road[:, 0]), line.ds
    speed = np.minimum(np.sqrt(_GRIP_MS2 / np.maximum(bend, 1e-6)), _TOP_MS)
    ahead, back = speed.tolist(), range(len(speed) - 1, -1, -1)
    for k in [*range(len(speed)), *range(len(speed))]:
        _no_faster(ahead, k - 1, k, bend, ds, True)
    for k in [*back, *back]:
        _no_faster(ahead, (k + 1) % len(ahead), k, bend, ds, False)
    return float((ds / np.array(ahead)).sum())


def _no_faster(speeds: list[float], known: int, at: int, bend: Floats, ds: Floats, driven: bool) -> None:
    """The speed at a place is not above what the grip left over, or the power, reaches from the place beside it."""
    there = speeds[known]
    used = there * there * float(bend[known]) / _GRIP_MS2
    force = _GRIP_MS2 * math.sqrt(max(1.0 - used * used, 0.0))
    if driven:
        force = min(force, _POWER / max(there, 1.0))
    speeds[at] = min(speeds[at], math.sqrt(there * there + 2.0 * force * float(ds[min(known, at) if abs(known - at) == 1 else -1])))
