"""A stand-in for a timing service: a race of twenty cars, line by line, in which one's own car follows its plan."""

from dataclasses import replace

import numpy as np

from ..race.course import course
from ..race.happened import Setup
from ..race.plans import Plan
from ..race.rivals import AtLine

#: Cars, and those of them that are of the slower class; how much slower a lap of it is [-].
CARS, SLOWER, SLOWER_BY = 20, 6, 0.06
#: What a car of the slower class costs on the lap on which it is met [s].
MET_S = 0.4
#: Spread of the other cars' pace [-] and of their stops [s]; how far off one's own stops they make theirs [laps].
_PACE, _STOP_S, _LAPS = 0.008, 1.0, 3
#: Grid: from one car to the next as the race begins [s].
_GRID_S = 0.4


def virtual_field(setup: Setup, own: str, seed: int) -> list[AtLine]:
    """Every crossing of a simulated race, the first one first.

    Other cars drive plans like one's own, their stops a few laps earlier or later; each at its own pace, each lap with scatter. One's own
    laps are those of the plan, with scatter, and longer where a car of the slower class is met.

    :param own: name of one's own car
    """
    rng = np.random.default_rng([seed, 20])
    laps = setup.plan.stints[-1].last_lap
    names = [name for name in (str(number) for number in range(2, 100)) if name != own]
    others: dict[str, tuple[np.ndarray, list[int], str]] = {}
    for k in range(CARS - 1):
        slower = k >= CARS - 1 - SLOWER
        plan = _shifted(setup, rng)
        told = course(setup.rules, setup.pace, plan)
        pace = 1.0 + (SLOWER_BY if slower else 0.0) + _PACE * rng.standard_normal()
        times = (told.lap_s - told.stop_s) * pace + told.stop_s + setup.scatter_s * rng.standard_normal(len(told.lap_s))
        times += np.where(told.stop_s > 0.0, _STOP_S * np.abs(rng.standard_normal(len(times))), 0.0)
        clocks = _GRID_S * (k + 1) + np.cumsum(np.maximum(times, 0.5 * setup.pace.lap_s))
        others[names[k]] = clocks, [stint.last_lap for stint in plan.stints[:-1]], "B" if slower else "A"
    ours, clock = list[float](), 0.0
    slow = [told for told, _, group in others.values() if group == "B"]
    planned = course(setup.rules, setup.pace, setup.plan).lap_s
    for lap in range(laps):
        time = float(planned[lap]) + setup.scatter_s * rng.standard_normal()
        clock += max(time + MET_S * _met(slow, clock, clock + time, lap), 0.5 * setup.pace.lap_s)
        ours.append(clock)
    stops = {stint.last_lap for stint in setup.plan.stints[:-1]}
    found = [AtLine(own, lap, round(at, 3), lap in stops, "A") for lap, at in enumerate(ours, start=1)]
    for name, (ends, pits, group) in others.items():
        found += [AtLine(name, lap, round(float(at), 3), lap in pits, group) for lap, at in enumerate(ends, 1) if at < 1.02 * ours[-1]]
    return sorted(found, key=lambda one: (one.clock_s, one.car))


def _met(cars: list[np.ndarray], begin: float, end: float, done: int) -> int:
    """Cars that are passed, or that pass, between two moments in which one lap is driven."""
    count = 0
    for ends in cars:
        laps = np.arange(1, len(ends) + 1)
        apart = [float(np.interp(at, np.concatenate([[0.0], ends]), np.concatenate([[0], laps]))) for at in (begin, end)]
        count += abs(int(np.floor(apart[1] - done - 1)) - int(np.floor(apart[0] - done)))
    return count


def _shifted(setup: Setup, rng: np.random.Generator) -> Plan:
    """A plan like one's own with each stop a little earlier or later; the fuel that it needs is not looked at."""
    stints, first = list(setup.plan.stints), 1
    total = stints[-1].last_lap
    for index, stint in enumerate(stints):
        left = len(stints) - 1 - index
        last = total if not left else min(max(stint.last_lap + int(rng.integers(-_LAPS, _LAPS + 1)), first), total - left)
        stints[index] = replace(stint, first_lap=first, laps=last - first + 1)
        first = last + 1
    return replace(setup.plan, stints=tuple(stints))
