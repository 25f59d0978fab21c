"""Ten thousand races: what scatter, mistakes, the field, safety cars and stops make of each plan.

Everything random is drawn once for a race and holds for every plan in it, so that plans differ by what they are and not by luck (common
random numbers; Law, Simulation Modeling and Analysis, ch. 11).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .course import course
from .plans import Plan, search
from .races_kernel import races_of
from .replan import SafetyCall
from .rules import Pace, RaceRules, Surroundings, TyrePace

Floats = NDArray[np.float64]

#: Races that are simulated, and draws of the pace that they take turns with.
RACES, _DRAWS = 10_000, 100


@dataclass(frozen=True)
class Driver:
    """:param scatter_s: of clean laps [s]
    :param mistakes: share of laps spoiled [-]
    :param mistake_s: mean loss on one [s]"""

    scatter_s: float
    mistakes: float
    mistake_s: float = 1.5


@dataclass(frozen=True)
class Outcome:
    """What a plan comes to over all races.

    :param time_s: race time at 5, 50 and 95 % [s]
    :param mean_s: its mean [s]
    :param place: mean place
    :param places: chance of each place, from the first [-]
    :param wins: share of races in which it is the quickest of the plans [-]
    :param bad_s: mean time of its slowest twentieth [s]
    :param against_s: mean time against the first plan [s], and its standard error
    :param traffic_s: mean time lost behind others [s]
    :param curve: race times [s] and the share of races about each [-], the same times for every plan
    :param safe: its middle place, and what that place for certain would bring; None likewise
    :param points: mean points, and those against the first plan with their standard error; None where no points were told
    """

    time_s: tuple[float, float, float]
    mean_s: float
    place: float
    places: tuple[float, ...]
    wins: float
    bad_s: float
    against_s: tuple[float, float]
    traffic_s: float
    points: tuple[float, float, float] | None = None
    safe: tuple[int, float] | None = None
    curve: tuple[tuple[float, float], ...] = ()


#: Parts of the race times of all plans together, and the shares of races left out: the quickest and the slowest.
_PARTS, _QUICKEST, _SLOWEST = 60, 0.0005, 0.005


def _curve_edges(times: NDArray[np.float64]) -> NDArray[np.float64]:
    """Edges of the parts into which race times are counted, the same for every plan [s]."""
    low, high = (float(value) for value in np.quantile(times, (_QUICKEST, 1.0 - _SLOWEST)))
    return np.linspace(low, max(high, low + 1.0), _PARTS + 1)


def simulated(
    rules: RaceRules, draws: Sequence[Pace], plans: Sequence[Plan], around: Surroundings, driver: Driver,
    calls: Sequence[Sequence[SafetyCall]] = (), races: int = RACES, seed: int = 1,
) -> list[Outcome]:  # fmt: skip
    """What each plan comes to.

    :param draws: of the pace, of which every race takes one
    :param calls: what each plan does if a safety car comes; none where not given
    """
    times, places, lost = _driven(rules, draws, plans, around, driver, calls, races, seed, -1)
    winner = times.argmin(axis=1)
    table = np.array([0.0, *(around.worth(place) for place in range(1, around.cars + 2))])
    points = table[places]
    edges = _curve_edges(times)
    middles = 0.5 * (edges[1:] + edges[:-1])
    found = []
    for p in range(len(plans)):
        shares = np.histogram(times[:, p], edges)[0] / races
        mine, gaps = np.sort(times[:, p]), times[:, p] - times[:, 0]
        low, middle, high = (float(value) for value in np.quantile(mine, (0.05, 0.5, 0.95)))
        counts = np.bincount(places[:, p], minlength=around.cars + 2)[1:]
        against = float(gaps.mean()), float(gaps.std() / np.sqrt(races))
        found.append(
            Outcome(
                (low, middle, high), float(mine.mean()), float(places[:, p].mean()), tuple(float(c) for c in counts / races),
                float((winner == p).mean()), float(mine[-races // 20 :].mean()), against, float(lost[:, p].mean()),
                _points(points[:, p], points[:, 0]) if around.points else None,
                (middle_place := int(np.median(places[:, p])), float(table[middle_place])) if around.points else None,
                tuple(zip(map(float, middles), map(float, shares), strict=True)),
            )
        )  # fmt: skip
    return found


def _points(mine: Floats, first: Floats) -> tuple[float, float, float]:
    more = mine - first
    return float(mine.mean()), float(more.mean()), float(more.std() / np.sqrt(len(more)))


def _driven(
    rules: RaceRules, draws: Sequence[Pace], plans: Sequence[Plan], around: Surroundings, driver: Driver,
    calls: Sequence[Sequence[SafetyCall]], races: int, seed: int, forced: int,
) -> tuple[Floats, NDArray[np.int64], Floats]:  # fmt: skip
    """Times, places and time lost in traffic of every plan in every race, shape [races, plans].

    :param forced: lap behind which a safety car comes in all of them; -1 for none
    """
    used = draws[:: max(1, len(draws) // _DRAWS)][:_DRAWS]
    laps = rules.laps
    every = [[course(rules, draw, plan) for plan in plans] for draw in used]
    clean = np.array([[one.lap_s - one.stop_s for one in row] for row in every])
    centre = clean.mean(axis=0)
    clean = np.concatenate([centre[None], clean])  # index 0: the mean, from which a switched plan is told
    stops = np.array([one.stop_s for one in every[0]])
    shape = (len(plans), laps if calls else 1, laps)
    stop_calls, switched, switched_stops = np.zeros((len(plans), laps), dtype=bool), np.zeros(shape), np.zeros(shape)
    for p, told in enumerate(calls):
        for call in told:
            if call.gain_s is not None and call.gain_s > 0.0 and call.stop is not None and call.stop is not plans[p] and call.lap < laps:
                rest = course(rules, used[0], call.stop)
                stop_calls[p, call.lap] = True
                switched[p, call.lap, call.lap :] = rest.lap_s - rest.stop_s
                switched_stops[p, call.lap, call.lap :] = rest.stop_s
                # the stop itself, as it costs on any lap
                usual = rules.pit_loss_s * (1.0 - around.safety_pit)
                switched_stops[p, call.lap, call.lap] = call.stop.time_s - float(rest.lap_s.sum()) + usual
    draw_of = 1 + np.arange(races) % len(used)
    found: tuple[Floats, NDArray[np.int64], Floats] = races_of(
        clean, stops, stop_calls, switched, switched_stops, draw_of, _numbers(around), _noise(rules, driver), seed, races, forced
    )
    return found


def _numbers(around: Surroundings) -> Floats:
    return np.array([
        around.cars, min(around.grid, around.cars + 1), around.ahead_s, around.spread_s, around.passing_s,
        around.safety_cars, around.safety_laps if around.counted else 1,
        around.safety_slow if around.counted else 1.0 + around.safety_slow * around.safety_laps, around.safety_pit, around.yellows,
        around.troubles / 100.0, around.trouble_s,
    ])  # fmt: skip


def _noise(rules: RaceRules, driver: Driver) -> Floats:
    return np.array([driver.scatter_s, driver.mistakes, driver.mistake_s, rules.pit_spread_s, rules.pit_loss_s])


#: Races of a lap's call: at first, and where its sign is not sure after them.
_CALL_RACES = (150, 1500)
#: How many standard errors make a sign sure, and what no closed field makes good [s].
_SURE, _HOPELESS_S = 3.0, 40.0


def weighed(
    rules: RaceRules, draws: Sequence[Pace], plan: Plan, calls: Sequence[SafetyCall], around: Surroundings, driver: Driver
) -> list[SafetyCall]:
    """Calls with what they are worth in races in which the safety car comes on their lap: the field closes up behind it, half of it stops
    as well, and what a stop costs in places and traffic is in it."""
    found = list[SafetyCall]()
    for call in calls:
        if call.gain_s is None or call.stop is None or call.stop is plan or abs(call.gain_s) > _HOPELESS_S or not around.cars:
            found.append(call)
            continue
        told = [[replace(call, gain_s=1.0)], list[SafetyCall]()]
        for races in _CALL_RACES:
            times, places, _ = _driven(rules, draws, [plan, plan], around, driver, told, races, 7 + call.lap, call.lap)
            gaps = times[:, 1] - times[:, 0]
            gain, error = float(gaps.mean()), float(gaps.std() / np.sqrt(races))
            if abs(gain) > _SURE * error:
                break
        found.append(replace(call, gain_s=gain, places=float((places[:, 1] - places[:, 0]).mean())))
    return found


@dataclass(frozen=True)
class Rest:
    """The laps of a race by what has been driven and one way on.

    :param clean_s: laps without stops, shape [laps] [s]
    :param stops_s: the stop before each lap, shape [laps] [s]
    """

    clean_s: Floats
    stops_s: Floats


def stop_worth(
    rules: RaceRules, stay: Rest, stop: Rest, lap: int, around: Surroundings, driver: Driver
) -> tuple[float, float]:  # fmt: skip
    """What stopping behind a lap under a safety car gains against staying out: time [s] and places.

    :param stay: with `stop` the same laps up to `lap`
    """
    laps = len(stay.clean_s)
    clean, stops = np.array([[stay.clean_s] * 2] * 2), np.array([stay.stops_s] * 2)
    calls = np.zeros((2, laps), dtype=bool)
    calls[0, lap] = True
    switched, switched_stops = np.zeros((2, laps, laps)), np.zeros((2, laps, laps))
    switched[0, lap], switched_stops[0, lap] = stop.clean_s, stop.stops_s
    races = _CALL_RACES[1]
    times, places, _ = races_of(
        clean, stops, calls, switched, switched_stops, np.ones(races, dtype=np.int64), _numbers(around), _noise(rules, driver), 7, races,
        lap,
    )  # fmt: skip
    return float((times[:, 1] - times[:, 0]).mean()), float((places[:, 1] - places[:, 0]).mean())


def warm() -> None:
    """Compile, or load from the cache, what a request may need."""
    rules, pace = (
        RaceRules(laps=4, most_stops=1, pit_loss_s=1, tank_l=50),
        Pace(60.0, (TyrePace("a", 0.0, 0.1, 0.0, 9.0, 0.0),), 1.0, 0.0, 0.0),
    )
    simulated(rules, [pace], search(rules, pace), Surroundings(), Driver(0.1, 0.0), races=2)
