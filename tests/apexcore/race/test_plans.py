"""The plan search against brute force, and the sentences when no plan is legal."""

import itertools
import math

import numpy as np
import pytest
from scipy.optimize import linprog

from apexcore.errors import InputError, NoLegalPlan
from apexcore.race.fuel import FuelUse, margin_l, measured_use
from apexcore.race.plans import Plan, best_by_stops, chances_of_best, plan_time_s, ranked_plans
from apexcore.race.rules import Pace, RaceRules, TyrePace
from tests.amounts import many


def filled_s(rules: RaceRules, pace: Pace, lengths: tuple[int, ...]) -> float:
    """Stops and weight of given stints, filled at least cost, by a linear programme written from the rules; infinite where the fuel does
    not last. Shares no code with the search."""
    n, use, rate = len(lengths), pace.fuel_l_per_lap, rules.refuel_l_per_s
    # leaves of each stint, filled and standing time of each stop
    cost = [pace.fuel_s_per_l * laps for laps in lengths] + [0.0] * (n - 1) + [1.0] * (n - 1)
    above, limit, equal, right = list[list[float]](), list[float](), list[list[float]](), list[float]()
    for i in range(1, n):
        row = [0.0] * (3 * n - 2)
        row[i], row[i - 1], row[n + i - 1] = 1.0, -1.0, -1.0
        equal.append(row)
        right.append(-use * lengths[i - 1])  # leaves = what was left + filled
        filling = 1.0 / rate if rules.refuelling else 0.0
        row = [0.0] * (3 * n - 2)
        row[n + i - 1], row[2 * n + i - 2] = filling, -1.0
        above.append(row)
        limit.append(0.0 if rules.in_parallel else -rules.tyre_change_s)
    standing = [(max(rules.tyre_change_s, rules.least_standing_s), None)] * (n - 1)
    most = [rules.tank_l - (0 if i else rules.formation_laps * use) for i in range(n)]
    bounds = [(use * laps + pace.margin_l, top) for laps, top in zip(lengths, most, strict=True)]
    if any(low > top + 1e-9 for low, top in bounds):
        return math.inf
    bounds = [(low, max(low, top)) for low, top in bounds]
    filled = [(0.0, None if rules.refuelling else 0.0)] * (n - 1)
    found = linprog(cost, above or None, limit or None, equal or None, right or None, [*bounds, *filled, *standing], method="highs")
    if found.status != 0 or found.fun is None:
        return math.inf
    weight = -sum(pace.fuel_s_per_l * use * laps * (laps - 1) / 2 for laps in lengths)
    return float(found.fun) + weight + (n - 1) * rules.pit_loss_s


def lap_by_lap_s(rules: RaceRules, pace: Pace, shape: list[tuple[int, int]], kept: dict[tuple[int, ...], float] | None = None) -> float:
    """Race time by adding up every lap, filled at least cost; infinite where the fuel does not last or a rule forbids it.

    :param kept: fuel and stops of lengths that were looked at
    """
    lengths, kept = tuple(laps for _, laps in shape), {} if kept is None else kept
    done = list(itertools.accumulate(lengths))[:-1]
    if any(lap < rules.first_stop_lap or lap > (rules.last_stop_lap or rules.laps) for lap in done):
        return math.inf
    if rules.longest_stint and max(lengths) > rules.longest_stint:
        return math.inf
    if lengths not in kept:
        kept[lengths] = filled_s(rules, pace, lengths)
    total = kept[lengths]
    for c, laps in shape:
        tyre = pace.tyres[c]
        for age in range(laps):
            total += pace.lap_s + tyre.offset_s + tyre.fade_s * age + tyre.cliff_s * max(age - tyre.cliff_age, 0.0)
            total += tyre.warm_s if age == 0 else 0.0
    return total


def all_shapes(rules: RaceRules, kinds: int):  # type: ignore[no-untyped-def]
    for stops in range(rules.least_stops, rules.most_stops + 1):
        for cuts in itertools.combinations(range(1, rules.laps), stops):
            lengths = np.diff([0, *cuts, rules.laps])
            for compounds in itertools.product(range(kinds), repeat=stops + 1):
                yield [(c, int(n)) for c, n in zip(compounds, lengths, strict=True)]


def random_race(seed: int) -> tuple[RaceRules, Pace]:
    rng = np.random.default_rng(seed)
    kinds = int(rng.integers(1, 4))
    tyres = tuple(TyrePace(f"c{c}", *(float(v) for v in rng.uniform([0, 0, 0, 2, 0], [1.5, 0.6, 1.0, 8, 1.0]))) for c in range(kinds))
    pace = Pace(60.0, tyres, float(rng.uniform(1, 3)), float(rng.uniform(0, 0.05)), float(rng.uniform(0, 2)))
    compulsory = tuple(t.key for t in tyres if rng.random() < 0.4)
    rules = RaceRules(
        laps=int(rng.integers(3, 10)), compulsory=compulsory, least_stops=int(rng.integers(0, 2)), most_stops=int(rng.integers(0, 4)),
        pit_loss_s=float(rng.uniform(0, 8)), tyre_change_s=float(rng.uniform(0, 6)), refuelling=bool(rng.random() < 0.5),
        refuel_l_per_s=float(rng.uniform(0.5, 4)), in_parallel=bool(rng.random() < 0.5), tank_l=float(rng.uniform(8, 40)),
        formation_laps=float(rng.integers(0, 2)), least_standing_s=float(rng.choice([0.0, 0.0, 7.0])),
        first_stop_lap=int(rng.choice([0, 0, 0, 2, 4])), last_stop_lap=int(rng.choice([0, 0, 0, 5, 7])),
        longest_stint=int(rng.choice([0, 0, 0, 4])),
    )  # fmt: skip
    return rules, pace


def used_all(rules: RaceRules, pace: Pace, shape: list[tuple[int, int]]) -> bool:
    return set(rules.compulsory) <= {pace.tyres[c].key for c, _ in shape}


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(many(3, 10)))
def test_search_equals_brute_force_on_random_races(block: int) -> None:
    legal = 0
    for seed in range(block * 30, block * 30 + 30):
        rules, pace = random_race(seed)
        brute, kept = dict[int, float](), dict[tuple[int, ...], float]()
        for shape in all_shapes(rules, len(pace.tyres)):
            if used_all(rules, pace, shape):
                time = lap_by_lap_s(rules, pace, shape, kept)
                brute[len(shape) - 1] = min(time, brute.get(len(shape) - 1, math.inf))
        brute = {stops: time for stops, time in brute.items() if math.isfinite(time)}
        if not brute:
            with pytest.raises(NoLegalPlan):
                ranked_plans(rules, pace)
            continue
        legal += 1
        found = {plan.stops: plan.time_s for plan in best_by_stops(ranked_plans(rules, pace))}
        assert found == pytest.approx(brute, abs=2e-5), seed
    assert legal >= 10  # the draw must not be empty of races that can be driven


def simple(**changes: object) -> tuple[RaceRules, Pace]:
    rules = RaceRules(laps=20, pit_loss_s=20, tank_l=60, most_stops=2).model_copy(update=changes)
    tyres = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
    return rules, Pace(70.0, tyres, 2.0, 0.01, 1.0)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"least_stops": 3, "most_stops": 1}, ["at most 1 stop", "at least 3 stops"]),
        ({"compulsory": ("marl", "slate"), "most_stops": 0}, ["at most 0 stops", "compulsory marl and slate"]),
        ({"tank_l": 30.0}, ["the tank of 30 l", "no refuelling", "need 43.0 l"]),
    ],
)
def test_colliding_rules_are_named(changes: dict[str, object], words: list[str]) -> None:
    with pytest.raises(NoLegalPlan) as error:
        ranked_plans(*simple(**changes))
    for word in words:
        assert word in str(error.value)


def test_a_plan_tells_its_parts(  # the parts of a plan's time add up to it
) -> None:
    rules, pace = simple(compulsory=("marl", "slate"))
    plans = ranked_plans(rules, pace)
    for plan in plans:
        assert plan.time_s == pytest.approx(20 * 70.0 + plan.pit_s + plan.tyre_s + plan.fuel_s)
        assert plan_time_s(rules, pace, plan) == pytest.approx(plan.time_s)
        assert sum(stint.laps for stint in plan.stints) == 20
        assert {"marl", "slate"} <= set(plan.compounds)
    assert [plan.time_s for plan in plans] == sorted(plan.time_s for plan in plans)


def test_fuel_on_board_covers_formation_laps_race_and_margin() -> None:
    rules, pace = simple()
    plan: Plan = ranked_plans(rules, pace)[0]
    assert plan.stints[0].fuel_l == pytest.approx(20 * 2.0 + 2.0 + 1.0)


def test_unknown_compulsory_compound_is_named() -> None:
    with pytest.raises(InputError, match="compulsory compound: “flint”"):
        ranked_plans(*simple(compulsory=("flint",)))


def test_many_laps_on_many_compounds_are_counted_in_time_or_refused_with_the_reason() -> None:
    tyres = tuple(TyrePace(f"c{k}", 0.2 * k, 0.12 - 0.02 * k, 0.4, 40, 0.1) for k in range(4))
    rules = RaceRules(laps=50, pit_loss_s=10, tank_l=200, most_stops=4, compulsory=("c0", "c1", "c2"), compulsory_laps=9)
    plan = ranked_plans(rules, Pace(60.0, tyres, 2.0, 0.01, 1.0))[0]
    for key in rules.compulsory:
        assert sum(stint.laps for stint in plan.stints if stint.compound == key) >= 9
    for changes in ({"compulsory_laps": 60}, {"laps": 1000, "most_stops": 40, "compulsory_laps": 14, "refuelling": True}):
        with pytest.raises(InputError, match="kinds of what was used"):
            ranked_plans(rules.model_copy(update=changes), Pace(60.0, tyres, 2.0, 0.01, 1.0))


def test_margin_covers_99_of_100_races() -> None:
    rng = np.random.default_rng(5)
    dry = 0
    for _ in range(2000):
        use = measured_use(list(rng.normal(2.0, 0.05, 25)))
        assert use is not None
        dry += rng.normal(2.0, 0.05, 30).sum() > 30 * use.mean_l + margin_l(use, 30)
    assert dry / 2000 < 0.02
    assert measured_use([2.0, 2.1]) is None
    assert FuelUse(2.0, 0.0, 0).error_l == 0.1


def test_chances_count_the_quickest() -> None:
    assert list(chances_of_best(np.array([[1.0, 2.0], [3.0, 2.0], [1.0, 5.0], [1.0, 9.0]]))) == [0.75, 0.25]
