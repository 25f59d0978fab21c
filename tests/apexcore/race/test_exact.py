"""The exact plan with free fuel against every shape with a linear programme, and against a mixed-integer programme over everything."""

import numpy as np
import pytest

from apexcore.race import exact
from apexcore.race.exact import Best, Planner, chain_s
from apexcore.race.problem import NEVER, Problem, stop_terms
from tests.amounts import many
from tests.apexcore.race.exact_reference import brute_force, by_milp, fuel_s, random_problem, tyres_s, with_every_rule


def told_s(problem: Problem, best: Best) -> float:
    """What a plan takes, lap by lap; infinite where it is not legal."""
    p, total, lap, before = problem, 0.0, 0, None
    sets, options, uses = list[int](), list[int](), p.uses_l
    for leg in best.legs:
        if leg.leaves_l > p.tank_l + 2e-6 or (before is None and not p.start_least_l - 2e-6 <= leg.leaves_l <= p.start_l + 2e-6):
            return np.inf
        if before is not None:
            filled = leg.leaves_l - before
            if filled < -1e-6 or (p.rate <= 0.0 and filled > 1e-6) or not p.stop_laps[lap] or (not leg.fitted and p.stay_s is None):
                return np.inf
            standing, free = (p.standing_s, p.free_l) if leg.fitted else (float(p.stay_s or 0.0), p.rate * float(p.stay_s or 0.0))
            total += p.pit_s + standing + (max(0.0, filled - free) / p.rate if p.rate > 0.0 else 0.0)
        if leg.fitted:
            sets.append(0)
            options.append(leg.option)
        elif leg.option != options[-1]:
            return np.inf
        sets[-1] += leg.laps
        board = leg.leaves_l
        for _ in range(leg.laps):
            total += p.weight_s * board
            board -= float(uses[leg.option])
        if abs(board - leg.arrives_l) > 1e-5 or board < p.least_l - 2e-6:
            return np.inf
        lap, before = lap + leg.laps, leg.arrives_l
    tyres = tyres_s(p, tuple(options), tuple(sets))
    return total + tyres if lap == p.laps and tyres < NEVER / 10 else np.inf


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(many(1, 6)))
def test_it_is_the_least_under_every_kind_of_rule(block: int) -> None:
    legal = stays = saves = 0
    for seed in range(5000 + block * 50, 5000 + block * 50 + many(15, 50)):
        problem = with_every_rule(seed)
        planner, brute = Planner(problem), brute_force(problem)
        for stops in range(problem.least_stops, problem.most_stops + 1):
            best = planner.best(stops)
            assert (best is None) == (stops not in brute), (seed, stops)
            if best is None:
                continue
            legal += 1
            stays += any(not leg.fitted for leg in best.legs)
            saves += len({float(problem.uses_l[leg.option]) for leg in best.legs}) > 1
            assert best.time_s == pytest.approx(brute[stops], abs=2e-5), (seed, stops)
            assert planner.time_s(stops) == best.time_s
            assert told_s(problem, best) == pytest.approx(best.time_s, abs=4e-5), (seed, stops)
            firsts = [planner.best(stops, first) for first in range(len(problem.adds))]
            times = [one.time_s for one in firsts if one is not None]
            assert min(times) == pytest.approx(best.time_s, abs=2e-5)
            for first, one in enumerate(firsts):
                assert one is None or (one.legs[0].option == first and told_s(problem, one) == pytest.approx(one.time_s, abs=4e-5))
    assert legal >= many(4, 15) and stays >= many(1, 3) and saves >= many(0, 1)


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(many(1, 6)))
def test_it_is_the_least_over_every_shape_and_every_filling(block: int) -> None:
    legal = more = 0
    for seed in range(1000 + block * 45, 1045 + block * 45):
        problem = random_problem(seed)
        planner, brute = Planner(problem), brute_force(problem)
        for stops in range(problem.least_stops, problem.most_stops + 1):
            best = planner.best(stops)
            assert (best is None) == (stops not in brute), (seed, stops)
            if best is None:
                continue
            legal += 1
            assert best.time_s == pytest.approx(brute[stops], abs=2e-5), (seed, stops)
            assert told_s(problem, best) == pytest.approx(best.time_s, abs=2e-5), (seed, stops)
            assert len(best.legs) == stops + 1
            more += any(leg.arrives_l > problem.least_l + 0.01 for leg in best.legs[:-1])
            firsts = [planner.best(stops, first) for first in range(len(problem.adds))]
            times = [one.time_s for one in firsts if one is not None]
            assert min(times) == pytest.approx(best.time_s, abs=2e-5)  # the kinds by first option hold the best
            for first, one in enumerate(firsts):
                assert one is None or (one.legs[0].option == first and told_s(problem, one) == pytest.approx(one.time_s, abs=2e-5))
    assert legal >= 20 and more >= 3  # some stints carry more than their own need


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(many(1, 4)))
def test_it_is_what_a_mixed_integer_programme_finds(block: int) -> None:
    checked = 0
    for seed in range(3000 + block * 20, 3020 + block * 20):
        problem = random_problem(seed, most_laps=18)
        planner = Planner(problem)
        for stops in range(problem.least_stops, min(problem.most_stops, 3) + 1):
            best, known = planner.best(stops), by_milp(problem, stops)
            assert (best is None) == (known is None), (seed, stops)
            if best is not None and known is not None:
                checked += 1
                assert best.time_s == pytest.approx(known, abs=1e-4), (seed, stops)
    assert checked >= 8


@pytest.mark.parametrize("seed", [7012, 7028, 7064, 7094])
def test_a_bound_that_is_the_plan_itself_leaves_it_in(seed: int) -> None:
    """Races where the bound's own shape is the best plan: rounding left it out once."""
    problem = random_problem(seed, most_laps=18)
    planner = Planner(problem)
    for stops in range(problem.least_stops, min(problem.most_stops, 3) + 1):
        best, known = planner.best(stops), by_milp(problem, stops)
        assert (best is None) == (known is None) and (best is None or best.time_s == pytest.approx(known, abs=1e-4))


def test_plans_asked_to_be_exact_are_those_of_the_search_without_bounds() -> None:
    for seed in range(2000, 2060):
        problem = random_problem(seed, most_laps=14)
        bounded, whole = Planner(problem, 6.0), Planner(problem, 1e9)
        for stops in range(problem.least_stops, problem.most_stops + 1):
            one, other = bounded.best(stops), whole.best(stops)
            assert (one is None) == (other is None) and (one is None or other is None or abs(one.time_s - other.time_s) < 2e-5), seed
            for first in range(len(problem.adds)):
                one, other = bounded.best(stops, first), whole.best(stops, first)
                if one is not None and other is not None:
                    assert one.time_s == pytest.approx(other.time_s, abs=2e-5), seed
                else:  # only what is slower than was asked for may be missing
                    assert one is None and (other is None or other.time_s > bounded.limits[stops] - 1e-6), seed


def test_a_few_numbers_of_stops_are_as_exact_as_all() -> None:
    for seed in range(6000, 6060):
        problem = with_every_rule(seed)
        whole = Planner(problem)
        times = {k: whole.time_s(k) for k in range(problem.least_stops, problem.most_stops + 1)}
        known = sorted(time for time in times.values() if time is not None)
        for nearest in (1, 2):
            few = Planner(problem, nearest=nearest)
            found = sorted(time for k in times if (time := few.time_s(k)) is not None)
            assert bool(found) == bool(known) and (not found or found[0] == pytest.approx(known[0], abs=2e-5)), (seed, nearest)


def test_given_stints_are_filled_as_a_linear_programme_fills_them() -> None:
    rng = np.random.default_rng(4)
    for seed in range(150):
        problem = random_problem(seed)
        cuts = sorted(rng.choice(range(1, problem.laps), size=min(int(rng.integers(0, 4)), problem.laps - 1), replace=False))
        lengths = tuple(int(n) for n in np.diff([0, *cuts, problem.laps]))
        known = fuel_s(problem, lengths)
        if np.isfinite(known):
            costs = rng.uniform(50, 90, len(lengths))
            assert chain_s(problem, np.array(lengths), costs) == pytest.approx(known + costs.sum(), abs=2e-5), seed


def test_stops_stand_as_their_rules_say() -> None:
    assert stop_terms(4.0, 0.0, 2.0, True) == (4.0, 8.0) and stop_terms(4.0, 0.0, 2.0, False) == (4.0, 0.0)
    assert stop_terms(4.0, 10.0, 2.0, True) == (10.0, 20.0) and stop_terms(4.0, 10.0, 2.0, False) == (10.0, 12.0)
    assert stop_terms(4.0, 10.0, 0.0, True) == (10.0, 0.0)


def test_a_day_and_a_tank_that_just_holds_a_stint() -> None:
    """Known by hand: no wear, no weight: the fewest stops, each filled no more than it must be."""
    laps, use = 60, 2.0
    cost = np.full((1, laps + 1), NEVER)
    cost[0, 1:] = 80.0 * np.arange(1, laps + 1)
    stops = np.ones(laps + 1, dtype=bool)
    problem = Problem(
        cost=cost, adds=np.array([0]), wanted=0, use_l=use, weight_s=0.0, least_l=0.0, tank_l=40.0, start_l=40.0, pit_s=20.0,
        standing_s=0.0, free_l=0.0, rate=2.0, stop_laps=stops, least_stops=0, most_stops=4,
    )  # fmt: skip
    planner = Planner(problem)
    assert planner.best(0) is None and planner.best(1) is None
    best = planner.best(2)
    assert best is not None and [leg.laps for leg in best.legs] == [20, 20, 20]
    assert best.time_s == pytest.approx(80.0 * 60 + 2 * 20 + (120.0 - 40.0) / 2.0, abs=1e-4)


@pytest.mark.thorough
@pytest.mark.parametrize("much", [1e8, 0.0])
def test_a_large_search_goes_number_by_number_and_leaves_out_only_what_is_far(monkeypatch: pytest.MonkeyPatch, much: float) -> None:
    """Small races as if they were large, under one bound and under three, against the search of all at once and against every shape."""
    left_out = compared = 0
    for seed in range(5300, 5300 + many(14, 200)):
        problem = with_every_rule(seed)
        whole, brute = Planner(problem, 1e9), brute_force(problem)
        times = {k: whole.time_s(k) for k in range(problem.least_stops, problem.most_stops + 1)}
        best = min((time for time in times.values() if time is not None), default=np.inf)
        with monkeypatch.context() as large:
            large.setattr(exact, "_ONE_BY_ONE", 0.0)
            large.setattr(exact, "_MUCH", much)
            each, near = Planner(problem, 2.0), Planner(problem, 2.0, far_s=3.0)
        for stops, time in times.items():
            found = each.best(stops)
            assert (found is None) == (time is None) == (stops not in brute), (seed, stops)
            if found is not None and time is not None:
                compared += 1
                assert found.time_s == pytest.approx(time, abs=2e-5) and told_s(problem, found) == pytest.approx(time, abs=4e-5), seed
                for first in range(len(problem.adds)):
                    one, other = each.best(stops, first), whole.best(stops, first)
                    assert one is None or (other is not None and one.time_s == pytest.approx(other.time_s, abs=2e-5)), seed
                    if other is not None and other.time_s < best + 2.0:
                        assert one is not None, (seed, stops, first)
            kept = near.best(stops)
            if kept is None and time is not None:
                left_out += 1
                assert time > best + 3.0 - 1e-6, (seed, stops)
            elif kept is not None:
                assert kept.time_s == pytest.approx(time, abs=2e-5), (seed, stops)
    assert compared > many(5, 100) and left_out > many(-1, 0)
