"""The compiled loop over simulated races, alone in its file as every compiled function. What it means stands in `simulation`."""

# mypy: allow-untyped-defs

import numpy as np

from ..compiled import compiled

#: Time between cars at the start, and how near one follows [s].
_GRID_S, _FOLLOW_S = 0.6, 0.7
#: Part of a gap that is left after each lap behind a safety car.
_CLOSES = 0.35
#: Scatter of others over four laps [s], laps by which their stops lie off a plan's, and what each place costs on the first lap [s].
_OTHERS_S, _OTHERS_LAPS, _FIRST_LAP_S = 0.7, 2.0, 0.25
#: Laps over which others' scatter is drawn at once, and what spreads one draw over many cars.
_OTHERS_EVERY, _GOLDEN = 4, 0.6180339887498949


@compiled()
def races_of(laps_s, stops_at, calls, switched, switched_stops, draw_of, around, noise, seed, races, forced):
    """Times and places of every plan in every race.

    :param laps_s: laps without stops, by draw (the mean first), plan and lap [s]
    :param stops_at: stop before each lap, by plan [s]
    :param calls: whether a plan stops if a safety car comes behind a lap, by plan and lap
    :param switched: laps without stops after such a stop, by plan, lap of the call and lap [s]; and their stops
    :param around: numbers of the surroundings
    :param noise: numbers of the driver
    :param forced: lap from which on a safety car is out in every race; -1 for none
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
        if forced > 0:
            for lap in range(forced, min(forced + sc_laps, laps)):
                state[lap] = 1
            if state[forced - 1] == 1:  # it comes now, not on the heels of another
                state[forced - 1] = 0
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
