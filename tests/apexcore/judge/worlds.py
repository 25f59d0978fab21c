"""Worlds in which a verdict can be wrong: lap times by rules of their own, none of which the lap model is made from."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.special import stdtrit

from apexcore.judge.history import History
from apexcore.judge.model import Observed, Prior, Priors

#: What the book says everywhere; a world may be otherwise.
BOOK = Priors(
    Prior(0.030, 0.006), (Prior(0.03, 0.02), Prior(0.03, 0.02)), (Prior(0.3, 0.4),), Prior(0.4, 0.4), Prior(0.015, 0.0135), Prior(0.0, 0.6)
)
_LAP_S, _STOP_S = 70.0, 300.0


@dataclass(frozen=True)
class World:
    """How lap times come about.

    :param order: side of each run
    :param laps: timed laps a run
    :param scatter_s: scale of the laps; `tails` degrees of freedom, `kinship` from one lap to the next
    :param shift_s: spread of the runs
    :param trend: lap time that an hour adds [s/h]; `rubber` what the track gains in all, most of it at first [s]
    :param learning: that the driver gains over the day, a twelfth of it a lap [s]
    :param fuel: true weight cost over the book's; `fuel_kg` at the start of the runs of either side
    :param age: of the tyres at the start of the runs of either side [laps]
    :param spoiled: share of the laps of either side that are spoiled, by a time within `lost_s`
    :param compounds: of either side; `offset_s` of the second
    :param cliff: age at which tyres go off on either side
    :param day_s: what the second side's day is slower; then it is another day
    :param bend: squared effect of track temperature, over 10 K [s]
    """

    order: Sequence[int] = (0, 1, 0, 1, 0, 1)
    laps: int = 6
    scatter_s: float = 0.2
    tails: int = 4
    kinship: float = 0.0
    shift_s: float = 0.1
    trend: float = 0.0
    rubber: float = 0.0
    learning: float = 0.0
    fuel: float = 1.0
    fuel_kg: tuple[float, ...] = (25.0, 25.0)
    age: tuple[float, ...] = (1.0, 1.0)
    spoiled: tuple[float, ...] = (0.0, 0.0)
    lost_s: tuple[float, float] = (0.3, 2.5)
    compounds: tuple[int, ...] = (0, 0)
    offset_s: float = 0.3
    cliff: tuple[float, ...] = (99.0, 99.0)
    day_s: float | None = None
    bend: float = 0.0
    book: Priors = field(default=BOOK)

    def driven(self, seed: int, gap_s: float) -> list[Observed]:
        """The laps of one test in which side 1 is slower by this."""
        rng = np.random.default_rng(seed)
        found, before, clock = [], 0, 0.0
        for run, side in enumerate(self.order):
            shift, near = self.shift_s * rng.standard_normal(), 0.0
            before, clock = before + 1, clock + _LAP_S  # the out-lap
            for k in range(self.laps):
                kg, age = self.fuel_kg[side] - 1.5 * k, self.age[side] + k
                hours = clock / 3600.0
                own = rng.standard_t(self.tails) if self.tails < 50 else rng.standard_normal()
                near = self.kinship * near + np.sqrt(1 - self.kinship**2) * own
                time = _LAP_S + gap_s * side + self.fuel * 0.030 * kg + 0.03 * age + 0.4 * 0.4**k + shift + self.scatter_s * near
                time += self.trend * hours - self.rubber * (1.0 - np.exp(-hours)) + self.learning * np.exp(-before / 12.0)
                time += self.offset_s * self.compounds[side] + 0.05 * max(age - self.cliff[side], 0.0) ** 2
                time += (self.day_s or 0.0) * side
                if rng.random() < self.spoiled[side]:
                    time += rng.uniform(*self.lost_s)
                track = 25.0 + 6.0 * hours
                time += self.bend * ((track - 28.0) / 10.0) ** 2 + 0.015 * track
                day = int(self.day_s is not None and side == 1)
                found.append(Observed(run, side, self.compounds[side], kg, age, time, 1 + k, track, hours, (), float(before), day))
                before, clock = before + 1, clock + time
            before, clock = before + 1, clock + _STOP_S  # the in-lap
        return found


def history(seed: int, shift_s: float, scatter_s: float = 0.2, tests: int = 2, runs: int = 5, laps: int = 6) -> History:
    """What two earlier tests of one driver leave, from the definition of a sum of squares."""
    rng = np.random.default_rng(seed)
    square = 0.0
    for _ in range(tests):
        means = shift_s * rng.standard_normal(runs) + scatter_s * np.sqrt(1.4 / laps) * rng.standard_normal(runs)
        square += float(((means - means.mean()) ** 2).sum())
    return History(square, float(tests * (runs - 1)), 1.4 * scatter_s**2 / laps)


BASE = World()
ABBA = (0, 1, 1, 0)
BLOCKS = (0, 0, 0, 1, 1, 1)

#: The worlds of the proof page with the least power at 0.25 s (settled the right way) that is wanted of each, and whether its runs
#: of another day or book make a bias of their own, so that only the false verdicts count.
WORLDS: dict[str, World] = {
    "base": BASE,
    "A B B A A B B A": replace(BASE, order=ABBA * 2),
    "A B B A B A": replace(BASE, order=(0, 1, 1, 0, 1, 0)),
    "laps with heavier tails": replace(BASE, tails=3),
    "laps akin to the one before": replace(BASE, kinship=0.5),
    "ten laps akin": replace(BASE, kinship=0.5, laps=10),
    "learns 1.5 s, alternating": replace(BASE, learning=1.5),
    "learns 1.5 s, A B B A A B": replace(BASE, learning=1.5, order=(0, 1, 1, 0, 0, 1)),
    "rubber 0.8 s": replace(BASE, rubber=0.8),
    "track temperature bent": replace(BASE, bend=0.5),
    "no run shift": replace(BASE, shift_s=0.0),
    "run shift 0.2 s": replace(BASE, shift_s=0.2),
    "run shift 0.3 s": replace(BASE, shift_s=0.3),
    "run shift 0.5 s": replace(BASE, shift_s=0.5),
    "run shift 0.5 s, four runs": replace(BASE, shift_s=0.5, order=ABBA),
    "run shift 0.3 s, two runs of 3": replace(BASE, shift_s=0.3, order=(0, 1), laps=3),
    "15 % spoiled": replace(BASE, spoiled=(0.15, 0.15)),
    "15 % spoiled by 0.2 to 0.8 s": replace(BASE, spoiled=(0.15, 0.15), lost_s=(0.2, 0.8)),
    "15 % spoiled on B": replace(BASE, spoiled=(0.0, 0.15)),
    "30 % spoiled on B": replace(BASE, spoiled=(0.0, 0.3)),
    "30 % spoiled on B by 0.2 to 0.8 s": replace(BASE, spoiled=(0.0, 0.3), lost_s=(0.2, 0.8)),
    "one run against six": replace(BASE, order=(0, 0, 0, 1, 0, 0, 0)),
    "one run against six, shift 0.3 s": replace(BASE, order=(0, 0, 0, 1, 0, 0, 0), shift_s=0.3),
    "all A before all B": replace(BASE, order=BLOCKS),
    "all A before all B, -0.5 s/h": replace(BASE, order=BLOCKS, trend=-0.5),
    "all A before all B, +0.5 s/h": replace(BASE, order=BLOCKS, trend=0.5),
    "all A before all B, learns 1.5 s": replace(BASE, order=BLOCKS, learning=1.5),
    "A on one day, B on another, 0.4 s apart": replace(BASE, order=BLOCKS, day_s=0.4),
    "50 against 15 kg, as the book": replace(BASE, fuel_kg=(50.0, 15.0)),
    "50 against 15 kg, 1.5 times the book": replace(BASE, fuel_kg=(50.0, 15.0), fuel=1.5),
    "50 against 15 kg, 2 times the book": replace(BASE, fuel_kg=(50.0, 15.0), fuel=2.0),
    "B's tyres five laps older": replace(BASE, age=(1.0, 6.0)),
    "cliff on B only": replace(BASE, age=(1.0, 4.0), cliff=(99.0, 7.0), order=ABBA),
    "cliff on both, four runs": replace(BASE, cliff=(5.0, 5.0), order=ABBA, laps=9),
    "two compounds, offset as the book": replace(BASE, compounds=(0, 1)),
    "two compounds, 2.5 sd off": replace(BASE, compounds=(0, 1), offset_s=1.3),
    "a day like a club's": replace(BASE, tails=3, shift_s=0.15, spoiled=(0.1, 0.1), rubber=0.4, learning=0.5, kinship=0.2),
}

Interval = tuple[float, float]


def by_world(
    world: World, trials: int, judged: Callable[[list[Observed], int], tuple[Interval, Interval]], gap_s: float = 0.25
) -> tuple[float, float, float]:
    """Share of intervals that hold the truth, of verdicts that are false without a difference, and of differences settled rightly.

    :param judged: the 95 % interval and the one that settles, of laps and their seed
    """
    covered = false = right = 0
    for seed in range(trials):
        (low, high), strict = judged(world.driven(seed, gap_s), seed)
        covered += low <= gap_s <= high
        right += strict[0] > 0.0
        (low, high), strict = judged(world.driven(seed + 50_000, 0.0), seed)
        covered += low <= 0.0 <= high
        false += strict[0] > 0.0 or strict[1] < 0.0
    return covered / (2 * trials), false / trials, right / trials


def random_world(seed: int) -> World:
    """A world of which nobody chose anything."""
    rng = np.random.default_rng(seed)
    runs = int(rng.choice([4, 5, 6, 7, 8, 10, 12]))
    blocks = [0] * (runs // 2) + [1] * (runs - runs // 2)
    orders = [(ABBA * 3)[:runs], [0, 1] * 6, blocks, list(rng.permutation(blocks))]
    order = tuple(int(side) for side in list(orders[int(rng.integers(4))])[:runs])
    fuel_kg = (25.0, 25.0) if rng.random() < 0.6 else (float(rng.uniform(15, 50)), float(rng.uniform(15, 50)))
    return World(
        order, int(rng.integers(3, 13)), float(rng.uniform(0.08, 0.35)), int(rng.choice([3, 4, 6, 60])), float(rng.choice([0.0, 0.0, 0.3, 0.5])),
        float(min(abs(rng.standard_cauchy() * 0.08), 0.5)), float(rng.normal(0, 0.4)), float(rng.choice([0.0, 0.4, 0.8])),
        float(rng.choice([0.0, 0.0, 0.5, 1.5])), float(np.exp(rng.normal(0, 0.25))), fuel_kg,
        (1.0, 1.0 if rng.random() < 0.7 else float(rng.integers(2, 9))), (float(rng.choice([0.0, 0.1, 0.2])), float(rng.choice([0.0, 0.1, 0.2]))),
        compounds=(0, int(rng.random() < 0.2)), offset_s=float(rng.normal(0.3, 0.5)), bend=float(rng.choice([0.0, 0.5])),
        day_s=float(rng.normal(0, 0.3)) if rng.random() < 0.1 else None,
    )  # fmt: skip


def mixed_effects(laps: Sequence[Observed]) -> Interval:
    """The 95 % interval of a textbook's mixed model: side and hour fixed, run random, normal laps, the book's effects taken for true;
    variance components by REML on a grid, the t quantile of the runs less what is fixed (Pinheiro & Bates, Mixed-Effects Models,
    ch. 2)."""
    y = np.array(
        [
            lap.time_s - BOOK.fuel.mean * lap.fuel_kg - 0.03 * lap.tyre_age - 0.4 * 0.4 ** (lap.since_pit - 1) - 0.3 * lap.compound
            - 0.015 * lap.track_c for lap in laps
        ]
    )  # fmt: skip
    run = np.array([lap.run for lap in laps])
    x = np.column_stack([np.ones(len(laps)), [lap.level for lap in laps], [lap.hours for lap in laps]])
    same = (run[:, None] == run[None, :]).astype(float)
    best: tuple[float, float, float] = (math.inf, 0.0, 1.0)
    for ratio in np.concatenate([[0.0], np.geomspace(0.003, 30.0, 40)]):
        inverse = np.linalg.inv(np.eye(len(y)) + ratio * same)
        normal = x.T @ inverse @ x
        beta = np.linalg.solve(normal, x.T @ inverse @ y)
        rest = y - x @ beta
        freedom = len(y) - x.shape[1]
        sigma2 = float(rest @ inverse @ rest) / freedom
        cost = freedom * math.log(sigma2) - np.linalg.slogdet(inverse)[1] + np.linalg.slogdet(normal)[1]
        if cost < best[0]:
            best = (float(cost), float(beta[1]), float(np.sqrt(sigma2 * np.linalg.inv(normal)[1, 1])))
    runs = len(set(run))
    half = float(stdtrit(max(runs - 3, 1), 0.975)) * best[2]
    return best[1] - half, best[1] + half
