"""Ten thousand races: what scatter, mistakes, the field, safety cars and stops make of each plan.

Everything random is drawn once for a race and holds for every plan in it, so that plans differ by what they are and not by luck (common
random numbers; Law, Simulation Modeling and Analysis, ch. 11).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from .course import course
from .plans import Plan, search
from .replan import SafetyCall
from .rules import Pace, RaceRules, Surroundings, TyrePace

Floats = NDArray[np.float64]

#: Races that are simulated, and draws of the pace that they take turns with.
RACES, _DRAWS = 10_000, 100
#: Time between cars at the start, and how near one follows [s].
_GRID_S, _FOLLOW_S = 0.6, 0.7
#: Part of a gap that is left after each lap behind a safety car.
_CLOSES = 0.35
#: Scatter of others over four laps [s], laps by which their stops lie off a plan's, and what each place costs on the first lap [s].
_OTHERS_S, _OTHERS_LAPS, _FIRST_LAP_S = 0.7, 2.0, 0.25
#: Laps over which others' scatter is drawn at once, and what spreads one draw over many cars.
_OTHERS_EVERY, _GOLDEN = 4, 0.6180339887498949


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
    """

    time_s: tuple[float, float, float]
    mean_s: float
    place: float
    places: tuple[float, ...]
    wins: float
    bad_s: float
    against_s: tuple[float, float]
    traffic_s: float


@njit(cache=True, nogil=True, error_model="numpy")
def _races(laps_s, stops_at, calls, switched, switched_stops, draw_of, around, noise, seed, races):  # type: ignore[no-untyped-def]
    """Times and places of every plan in every race.

    :param laps_s: laps without stops, by draw (the mean first), plan and lap [s]
    :param stops_at: stop before each lap, by plan [s]
    :param calls: whether a plan stops if a safety car comes behind a lap, by plan and lap
    :param switched: laps without stops after such a stop, by plan, lap of the call and lap [s]; and their stops
    :param around: numbers of the surroundings
    :param noise: numbers of the driver
    """
    plans, laps = stops_at.shape
    cars, grid, ahead, spread, passing = int(around[0]), int(around[1]), around[2], around[3], around[4]
    rate, sc_laps, slow, pit_share, yellow, trouble, trouble_s = (
        around[5], int(around[6]), around[7], around[8], around[9], around[10], around[11],
    )  # fmt: skip
    scatter, mistakes, mistake_s, pit_sd, lane = noise[0], noise[1], noise[2], noise[3], noise[4]
    saved = lane * (1.0 - pit_share)  # of a stop under the safety car
    np.random.seed(seed)
    times, places, lost = np.zeros((races, plans)), np.zeros((races, plans), dtype=np.int64), np.zeros((races, plans))
    others, pace = np.zeros((cars, laps + 1)), np.zeros(cars)
    state = np.zeros(laps + 1, dtype=np.int64)  # 0 green, 1 behind the safety car, 2 yellow
    own, luck, pass_luck = np.zeros(laps), np.zeros(laps), np.zeros(laps)
    for r in range(races):
        state[:] = 0
        for kind, mean in ((1, rate), (2, yellow)):
            for _ in range(np.random.poisson(mean)):
                first = np.random.randint(1, laps) if laps > 1 else 0
                for lap in range(first, min(first + (sc_laps if kind == 1 else 2), laps)):
                    if state[lap] == 0:
                        state[lap] = kind
        for lap in range(laps):
            own[lap] = scatter * np.random.standard_normal()
            if np.random.random() < mistakes:
                own[lap] += mistake_s * np.random.exponential()
            if np.random.random() < trouble:
                own[lap] += trouble_s
            luck[lap] = pit_sd * np.random.standard_normal()
            pass_luck[lap] = np.random.random()
        # the field: its cars drive one of the plans each, a little earlier or later, and are held up by nobody
        for o in range(cars):
            place = o if o < grid - 1 else o + 1  # its place on the grid, from 0
            share = (place + 3.0 * np.random.standard_normal()) / max(cars, 1)
            pace[o] = -ahead + spread * min(max(share, 0.0), 1.2)
            plan, shift = np.random.randint(0, plans), round(_OTHERS_LAPS * np.random.standard_normal())
            t = _GRID_S * place + _FIRST_LAP_S * place
            others[o, 0], turned = t, -1
            for lap in range(laps):
                at = min(max(lap - shift, 0), laps - 1)
                clean, stop = laps_s[0, plan, at], stops_at[plan, at] if 0 < lap - shift < laps else 0.0
                if turned < 0 and lap > 0 and state[lap] == 1 and state[lap - 1] != 1 and calls[plan, lap]:
                    turned = lap  # they know as well what a safety car is worth
                if turned >= 0:
                    clean, stop = switched[plan, turned, lap], switched_stops[plan, turned, lap]
                t += (clean + pace[o]) * (slow if state[lap] == 1 else 1.3 if state[lap] == 2 else 1.0)
                t += stop - (saved if state[lap] == 1 and stop > 0.0 else 0.0)
                if lap % _OTHERS_EVERY == 0:
                    t += _OTHERS_S * np.random.standard_normal()
                others[o, lap + 1] = t
        lead = np.full(laps + 1, 1e14)
        for lap in range(laps + 1):
            for o in range(cars):
                lead[lap] = min(lead[lap], others[o, lap])
        # behind a safety car the field closes up
        for lap in range(laps):
            if state[lap] == 1 and cars > 0:
                for o in range(cars):
                    shrunk = (1.0 - _CLOSES) * (others[o, lap + 1] - lead[lap + 1])
                    for later in range(lap + 1, laps + 1):
                        others[o, later] -= shrunk
                for later in range(lap + 1, laps + 1):
                    lead[later] = 1e14
                    for o in range(cars):
                        lead[later] = min(lead[later], others[o, later])
        d = draw_of[r]
        for p in range(plans):
            t, turned = _GRID_S * (grid - 1) + _FIRST_LAP_S * (grid - 1), -1
            for lap in range(laps):
                if turned < 0 and lap > 0 and state[lap] == 1 and state[lap - 1] != 1 and calls[p, lap]:
                    turned = lap  # a safety car came as the lap before ended, and one stops
                clean, stop = laps_s[d, p, lap], stops_at[p, lap]
                if turned >= 0:
                    clean, stop = clean + switched[p, turned, lap] - laps_s[0, p, lap], switched_stops[p, turned, lap]
                before = t
                free = t + clean * (slow if state[lap] == 1 else 1.3 if state[lap] == 2 else 1.0) + own[lap]
                if stop > 0.0:
                    free += stop + luck[lap] - (saved if state[lap] == 1 else 0.0)
                t = free
                if state[lap] == 0:
                    for o in range(cars):
                        if others[o, lap] <= before and others[o, lap + 1] + _FOLLOW_S > t:  # it was ahead, and is in the way
                            gain = (others[o, lap + 1] - others[o, lap]) - (t - before)
                            chance = 1.0 / (1.0 + np.exp(-3.0 * (gain / max(passing, 1e-3) - 1.0)))
                            if (pass_luck[lap] + _GOLDEN * o) % 1.0 > chance:  # one draw a lap, spread over the cars
                                t = others[o, lap + 1] + _FOLLOW_S
                elif state[lap] == 1 and cars > 0:
                    t = lead[lap + 1] + _CLOSES * (t - lead[lap + 1])
                lost[r, p] += t - free if state[lap] == 0 else 0.0
            times[r, p] = t
            place = 1
            for o in range(cars):
                if others[o, laps] < t:
                    place += 1
            places[r, p] = place
    return times, places, lost


def simulated(
    rules: RaceRules, draws: Sequence[Pace], plans: Sequence[Plan], around: Surroundings, driver: Driver,
    calls: Sequence[Sequence[SafetyCall]] = (), races: int = RACES, seed: int = 1,
) -> list[Outcome]:  # fmt: skip
    """What each plan comes to.

    :param draws: of the pace, of which every race takes one
    :param calls: what each plan does if a safety car comes; none where not given
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
    numbers = np.array([
        around.cars, min(around.grid, around.cars + 1), around.ahead_s, around.spread_s, around.passing_s,
        around.safety_cars, around.safety_laps if around.counted else 1,
        around.safety_slow if around.counted else 1.0 + around.safety_slow * around.safety_laps, around.safety_pit, around.yellows,
        around.troubles / 100.0, around.trouble_s,
    ])  # fmt: skip
    noise = np.array([driver.scatter_s, driver.mistakes, driver.mistake_s, rules.pit_spread_s, rules.pit_loss_s])
    draw_of = 1 + np.arange(races) % len(used)
    times, places, lost = _races(clean, stops, stop_calls, switched, switched_stops, draw_of, numbers, noise, seed, races)
    winner = times.argmin(axis=1)
    found = []
    for p in range(len(plans)):
        mine, gaps = np.sort(times[:, p]), times[:, p] - times[:, 0]
        low, middle, high = (float(value) for value in np.quantile(mine, (0.05, 0.5, 0.95)))
        counts = np.bincount(places[:, p], minlength=around.cars + 2)[1:]
        against = float(gaps.mean()), float(gaps.std() / np.sqrt(races))
        found.append(
            Outcome(
                (low, middle, high), float(mine.mean()), float(places[:, p].mean()), tuple(float(c) for c in counts / races),
                float((winner == p).mean()), float(mine[-races // 20 :].mean()), against, float(lost[:, p].mean()),
            )
        )  # fmt: skip
    return found


def warm() -> None:
    """Compile, or load from the cache, what a request may need."""
    rules, pace = (
        RaceRules(laps=4, most_stops=1, pit_loss_s=1, tank_l=50),
        Pace(60.0, (TyrePace("a", 0.0, 0.1, 0.0, 9.0, 0.0),), 1.0, 0.0, 0.0),
    )
    simulated(rules, [pace], search(rules, pace), Surroundings(), Driver(0.1, 0.0), races=2)
