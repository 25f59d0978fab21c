"""Who drives which stint where several share a car: each long enough and not too long, rested, nobody too long at a stretch, and the
quicker ones where that is worth most."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from .rules import RaceRules

#: Ways that are tried.
_TRIED = 50_000
#: Seconds that rounding may take.
_S = 1e-6


@dataclass(frozen=True)
class Crew:
    """What binds those who share a car.

    :param drivers: how many they are
    :param least_s: time that each must drive [s]
    :param most_s: time that each may drive; infinite for any [s]
    :param longest_s: longest time without a change; infinite for any [s]
    :param rest_s: time from leaving the wheel to taking it again [s]
    :param slower_s: how much slower than the pace each is, a lap [s]
    """

    drivers: int
    least_s: float = 0.0
    most_s: float = math.inf
    longest_s: float = math.inf
    rest_s: float = 0.0
    slower_s: tuple[float, ...] = ()

    def slower(self, driver: int) -> float:
        """How much slower a driver is, a lap [s]; as the pace where nothing is told."""
        return self.slower_s[driver] if driver < len(self.slower_s) else 0.0


def crew_of(rules: RaceRules) -> Crew:
    """Those who share the car, as the rules have them."""
    return Crew(
        rules.drivers, 60.0 * rules.driver_least_minutes, 60.0 * rules.driver_most_minutes or math.inf,
        60.0 * rules.wheel_minutes or math.inf, 60.0 * rules.driver_rest_minutes, rules.driver_slower_s[: rules.drivers],
    )  # fmt: skip


def seats(stints_s: Sequence[float], crew: Crew, laps: Sequence[int] = (), stops_s: Sequence[float] = ()) -> list[int] | None:
    """A driver for every stint, from 0, so that the least time is lost to slower ones; None where no split was found.

    Depth first with a bound, who has driven least first, which finds a split in a few steps where there are many; the best of those that
    are found in so many steps.

    :param stints_s: time of each stint at the pace [s]
    :param laps: of each stint; all the same where nobody is slower
    :param stops_s: time of the stop behind each stint, in which one may rest; none where not given [s]
    """
    count, drivers = len(stints_s), crew.drivers
    if drivers > count:
        return None
    laps, stops = laps or [0] * count, list(stops_s) or [0.0] * count
    left, left_laps = [0.0] * (count + 1), [0] * (count + 1)
    slowest, quickest = max(map(crew.slower, range(drivers))), min(map(crew.slower, range(drivers)))
    for k in range(count - 1, -1, -1):
        left[k], left_laps[k] = left[k + 1] + stints_s[k] + max(slowest, 0.0) * laps[k], left_laps[k + 1] + laps[k]
    chosen, totals, off_since = list[int](), [0.0] * drivers, [-math.inf] * drivers
    best: tuple[float, list[int]] | None = None
    tried = 0

    def go(index: int, stretch: float, clock: float, lost: float) -> None:
        nonlocal tried, best
        tried += 1
        if tried > _TRIED or sum(max(crew.least_s - total, 0.0) for total in totals) > left[index] + _S:
            return
        if best is not None and lost + quickest * left_laps[index] >= best[0] - 1e-9:
            return
        if index == count:
            if all(total > 0.0 and total >= crew.least_s - _S for total in totals):
                best = lost, list(chosen)
            return
        for driver in sorted(range(drivers), key=lambda one: (totals[one] >= crew.least_s, crew.slower(one), totals[one])):
            same = bool(chosen) and chosen[-1] == driver
            driving = stints_s[index] + crew.slower(driver) * laps[index]
            at_wheel = driving + (stretch if same else 0.0)
            rested = same or clock - off_since[driver] >= crew.rest_s - _S
            if not rested or at_wheel > crew.longest_s + _S or totals[driver] + driving > crew.most_s + _S:
                continue
            before = off_since[driver]
            chosen.append(driver)
            totals[driver] += driving
            off_since[driver] = clock + driving
            go(index + 1, at_wheel, clock + driving + stops[index], lost + crew.slower(driver) * laps[index])
            off_since[driver] = before
            totals[driver] -= driving
            chosen.pop()

    go(0, 0.0, 0.0, 0.0)
    return best[1] if best is not None else None
