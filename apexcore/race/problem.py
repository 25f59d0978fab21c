"""A race as the numbers that the exact plan is found from: what fuel costs and how it is filled, what each option takes, and what must and
may be used."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

#: Time of what cannot be done [s]: finite, so that it can be added to; and from which on a time is that.
NEVER = 1e14
NEVER_FROM = 1e13
#: States of what was used that are told apart at most.
MOST_STATES = 16_384
#: Laps that are whole but for rounding.
_WHOLE = 1e-9


@dataclass(frozen=True, kw_only=True)
class Filling:
    """What fuel costs and how it is filled.

    :param use_l: fuel burnt on a lap [l]
    :param weight_s: what a litre on board costs on a lap [s]
    :param least_l: fuel that must be left where a stint ends [l]
    :param tank_l: most on board [l]
    :param start_l: most on board at the start of the first lap [l]
    :param start_least_l: least there [l]
    :param pit_s: pit lane of a stop [s]
    :param standing_s: t0 [s]
    :param free_l: q [l]
    :param rate: r [l/s]; 0 where nothing can be filled
    :param stay_s: t0 of a stop at which tyres stay on [s]; None where every stop changes them
    :param stay_free_l: its q; what goes in during its t0 where not given [l]
    """

    use_l: float
    weight_s: float
    least_l: float
    tank_l: float
    start_l: float
    start_least_l: float = 0.0
    pit_s: float
    standing_s: float
    free_l: float
    rate: float
    stay_s: float | None = None
    stay_free_l: float | None = None

    def stop_s(self, litres: float, fitted: bool = True) -> float:
        """Time of a stop that fills so much [s]."""
        _, standing, free = self.terms(fitted)
        return self.pit_s + standing + (max(0.0, litres - free) / self.rate if self.rate > 0.0 else 0.0)

    def terms(self, fitted: bool) -> tuple[float, float, float]:
        """Pit lane [s], t0 [s] and q [l] of a stop for tyres, or of one at which they stay on."""
        if fitted or self.stay_s is None:
            return self.pit_s, self.standing_s, self.free_l
        return self.pit_s, self.stay_s, self.rate * self.stay_s if self.stay_free_l is None else self.stay_free_l

    def carried_s(self, laps: int, leaves_l: float, use_l: float | None = None) -> float:
        """What the weight of fuel costs over a stint that leaves with so much [s]."""
        burnt = self.use_l if use_l is None else use_l
        return self.weight_s * (laps * leaves_l - burnt * laps * (laps - 1) / 2)


@dataclass(frozen=True)
class Needed:
    """So many laps that must be driven on some options.

    :param options: which ones count, shape [options]
    :param worth: how many each lap on one of them counts as; 1 where not given
    """

    options: Bools
    laps: int
    worth: Ints | None = None

    def counts(self) -> Ints:
        """What a lap on each option counts as."""
        return np.asarray(self.options * (np.ones(len(self.options), dtype=np.int64) if self.worth is None else self.worth))

    @property
    def longest(self) -> int:
        """Laps on one set from which on more of them add nothing."""
        counts = self.counts()
        return -(-self.laps // int(counts[counts > 0].min())) if (counts > 0).any() else 1


@dataclass(frozen=True)
class Limited:
    """How often some options may be fitted.

    :param options: which ones count, shape [options]
    """

    options: Bools
    most: int


@dataclass(frozen=True, kw_only=True)
class Problem(Filling):
    """A race as numbers.

    :param cost: A, shape [options, laps + 1], or [options, laps, laps + 1] where it depends on the lap that a stint begins behind [s];
        `NEVER` where an option cannot be driven so long
    :param adds: for each option the bits of compulsory things that it uses
    :param wanted: bits that must all be used
    :param stop_laps: whether one may stop behind each lap, shape [laps + 1]
    :param least_stops: fewest stops
    :param most_stops: most
    :param use_shares: fuel that each option burns over `use_l`, shape [options]; 1 where not given
    :param needs: laps that must be driven on options
    :param limited: how often options may be fitted
    :param begins: options that may be on at the start; all where not given
    :param later: options that may be fitted at a stop; all where not given
    :param leg_laps: most laps from pit to pit, whatever the tyres; None for any
    :param first_leg_laps: the same from the start to the first stop, where laps were driven before; as others where not given
    :param staying_laps: the same from leaving the pit behind each lap, where tyres stay on at one end of the leg; as others where empty
    :param leg_l: most fuel burnt from pit to pit [l]
    :param first_leg_l: the same up to the first stop; as others where not given [l]
    :param leg_s: longest time from pit to pit, which holds where every stop changes tyres [s]
    :param first_leg_s: the same up to the first stop; as others where not given [s]
    :param track_s: what the track adds to a lap from lap to lap, which counts to that time and is the same for every plan [s/lap]
    :param late: so many of the last laps take so much longer, whatever the plan; that counts to that time too
    :param behind: race laps that were driven before the first of these
    """

    cost: Floats
    adds: Ints
    wanted: int
    stop_laps: Bools
    least_stops: int
    most_stops: int
    use_shares: Floats | None = None
    needs: tuple[Needed, ...] = ()
    limited: tuple[Limited, ...] = ()
    begins: Bools | None = None
    later: Bools | None = None
    leg_laps: int | None = None
    first_leg_laps: int | None = None
    staying_laps: tuple[int, ...] = ()
    leg_l: float = NEVER
    first_leg_l: float | None = None
    leg_s: float = NEVER
    first_leg_s: float | None = None
    track_s: float = 0.0
    late: tuple[int, float] = (0, 0.0)
    behind: int = 0

    @property
    def laps(self) -> int:
        """Race distance."""
        return int(self.cost.shape[-1]) - 1

    @property
    def uses_l(self) -> Floats:
        """Fuel that each option burns on a lap, shape [options] [l]."""
        return np.full(len(self.cost), self.use_l) if self.use_shares is None else self.use_l * self.use_shares

    def legs(self) -> tuple[Ints, Floats, Floats]:
        """Most laps from leaving the pit behind each lap to coming in, by use and lap, shape [uses, laps]; the longest time of them, shape
        [laps] [s]; and what the track and the late laps add up to each lap, shape [laps + 1] [s]."""
        laps = np.full(self.laps, self.laps if self.leg_laps is None else self.leg_laps)
        litres, seconds = np.full(self.laps, self.leg_l), np.full(self.laps, self.leg_s)
        if self.first_leg_laps is not None:
            laps[0] = self.first_leg_laps
        if self.first_leg_l is not None:
            litres[0] = self.first_leg_l
        if self.first_leg_s is not None:
            seconds[0] = self.first_leg_s
        last = np.floor(np.clip(litres / np.unique(self.uses_l)[:, None], 0.0, self.laps) + _WHOLE).astype(np.int64)
        at = np.arange(self.laps + 1, dtype=np.float64)
        added = self.track_s * at * (self.behind + 0.5 * (at - 1)) + self.late[1] * np.maximum(at - self.laps + self.late[0], 0.0)
        return np.minimum(laps, last).astype(np.int64), seconds, added

    def cost_s(self, option: int, behind: int, laps: int) -> float:
        """A of a stint."""
        return float(self.cost[option, laps] if self.cost.ndim == 2 else self.cost[option, behind, laps])

    def counted(self) -> tuple[Ints, Bools]:
        """What was used, as states: the state after each option and laps, -1 where it is forbidden, shape [states, options, most laps that
        count + 1]; and in which of them nothing is lacking. The first state is that of nothing used.

        :raises InputError: where there are more states than are told apart
        """
        bits = [Needed((self.adds >> bit & 1).astype(bool), 1) for bit in range(self.wanted.bit_length()) if self.wanted >> bit & 1]
        needs, options = (*bits, *self.needs), len(self.adds)
        sizes = [one.laps + 1 for one in needs] + [one.most + 1 for one in self.limited]
        if math.prod(sizes) > MOST_STATES:
            raise InputError("rules", f"{math.prod(sizes)} kinds of what was used", f"at most {MOST_STATES}: fewer of them, or fewer laps")
        cap = max((one.longest for one in needs), default=1)
        # a state is a number whose digits say how far each need is met, and how often each limited kind was fitted
        digits = np.indices(sizes).reshape(len(sizes), -1) if sizes else np.zeros((0, 1), dtype=np.int64)
        weights = np.cumprod([1, *reversed(sizes)])[-2::-1]
        laps = np.arange(cap + 1)
        after = np.zeros((digits.shape[1], options, cap + 1), dtype=np.int64)
        done, forbidden = np.ones(digits.shape[1], dtype=bool), np.zeros((digits.shape[1], options), dtype=bool)
        for digit, weight, need in zip(digits, weights, needs, strict=False):
            after += weight * np.minimum(digit[:, None, None] + laps * need.counts()[:, None], need.laps)
            done &= digit >= need.laps
        for digit, weight, limit in zip(digits[len(needs) :], weights[len(needs) :], self.limited, strict=True):
            forbidden |= (digit[:, None] >= limit.most) & limit.options
            after += weight * (digit[:, None] + limit.options)[:, :, None]
        after[forbidden] = -1
        after[:, :, 0] = -1
        return after, done


def stop_terms(tyres_s: float, least_s: float, rate: float, in_parallel: bool) -> tuple[float, float]:
    """t0 [s] and q [l] of a stop.

    :param tyres_s: change of tyres [s]
    :param least_s: least standing time [s]
    :param rate: of refuelling [l/s]; 0 where there is none
    """
    standing = max(tyres_s, least_s)
    if rate <= 0.0:
        return standing, 0.0
    return standing, rate * standing if in_parallel else rate * max(0.0, least_s - tyres_s)


def longest_laps(use_l: float, least_l: float, most_l: float) -> int:
    """Laps that so much fuel lasts."""
    return max(math.floor((most_l - least_l) / use_l + _WHOLE), 0)
