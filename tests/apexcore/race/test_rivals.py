"""The other cars, against races that are driven lap by lap by a generator of this test's own."""

import math
from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import FileRejected
from apexcore.formats.timing import read_timing, timing_csv
from apexcore.race.happened import Leader, Mark, Setup, happened
from apexcore.race.length import read_stretches, stretches_words
from apexcore.race.live import advise
from apexcore.race.plans import Plan, Stint, ranked_plans
from apexcore.race.replan import standing_of, stopping_now
from apexcore.race.rivals import AtLine, Rival, duels, leader_of, rivals_of, stop_laps, traffic, typed, with_timing
from apexcore.race.rules import Laps, Pace, RaceRules, TyrePace
from apexcore.virtual.field import CARS, virtual_field
from tests.amounts import many

PACE = Pace(75.0, (TyrePace("marl", 0.0, 0.08, 0.8, 40, 0.0),), 1.8, 0.03, 1.0)
RULES = RaceRules(laps=30, pit_loss_s=20, tyre_change_s=5, refuelling=True, tank_l=40, most_stops=2)
PLAN = Plan((Stint("marl", 1, 16, 35.0), Stint("marl", 17, 14, 27.0)), 0.0, 0.0, 0.0, 0.0)
SETUP = Setup(RULES, PACE, PLAN, 0.25, 0.6)


def lines(laps: dict[str, list[float]], pits: dict[str, set[int]] | None = None, groups: dict[str, str] | None = None) -> list[AtLine]:
    return [
        AtLine(car, lap, float(at), lap in (pits or {}).get(car, set()), (groups or {}).get(car, ""))
        for car, times in laps.items()
        for lap, at in enumerate(np.cumsum(times), start=1)
    ]


def test_gaps_stand_at_the_last_lap_that_both_have_ended() -> None:
    told = lines({"7": [80, 75, 75], "4": [78, 75, 74], "9": [82, 76], "3": [70, 70, 70, 70]}, {"9": {1}})
    found = {one.car: one for one in rivals_of(told, "7")}
    assert [one.car for one in rivals_of(told, "7")] == ["3", "4", "9"]
    assert found["4"].gap_s == 3.0 and found["4"].laps == 0
    assert found["9"].gap_s == -3.0 and found["9"].laps == -1 and (found["9"].age, found["9"].stops) == (1, 1)
    assert found["3"].gap_s == 20.0 and found["3"].laps == 1 and found["3"].lap_s == 70.0
    assert rivals_of(told, "nobody") == [] and rivals_of([], "7") == []


def test_the_leader_is_who_has_ended_most_laps_first() -> None:
    told = lines({"7": [80, 75, 75], "4": [78, 75, 74], "3": [70, 70, 70, 70]})
    leader = leader_of(told, "7")
    assert leader == Leader(3, 1, 230.0 - 280.0, 70.0)
    assert leader_of([one for one in told if one.car != "3"], "7") == Leader(3, 0, 3.0, 74.5)
    assert leader_of(told, "3") is None
    now = happened(SETUP, [Mark("lap", 80.0), Mark("lap", 75.0), Mark("lap", 75.0), Mark("leader", 60.0, value=5.0)])
    assert with_timing(now, told, "7").leader == leader
    assert with_timing(now, told, "5") is now and with_timing(now, told, "3").leader is None


def test_a_pace_is_of_laps_at_pace() -> None:
    told = lines({"7": [75] * 9, "4": [90, 75, 76, 74, 120, 100, 75.5, 74.5, 75]}, {"4": {5}})
    (one,) = rivals_of(told, "7")
    assert one.lap_s == 75.0 and one.age == 4  # neither the first lap, nor the slow one, nor the one with the stop


@pytest.mark.parametrize("seed", range(many(6, 40)))
def test_the_chances_of_a_duel_are_those_of_races_driven_by_hand(seed: int) -> None:
    """Three laps of two cars, drawn one by one: one stops a lap before the other."""
    rng = np.random.default_rng([seed, 27])
    gap, his_lap, age, scatter = (
        float(rng.uniform(-4, 6)),
        float(rng.uniform(75, 79)),
        int(rng.integers(4, 20)),
        float(rng.uniform(0.1, 0.6)),
    )
    setup = replace(SETUP, scatter_s=0.25, rules=RULES.model_copy(update={"pit_spread_s": float(rng.choice([0.0, 3.0]))}))
    laps = int(rng.integers(5, 14))
    now = happened(setup, [Mark("lap", None)] * laps)
    rival = Rival("4", gap, his_lap, scatter, age, 0)
    (duel,) = duels(setup, now, setup.rules, PLAN, [rival])
    tyre, n = PACE.tyres[0], 20_000
    draw = np.random.default_rng([seed, 28])

    def ours(lap_age: int, behind: int, fuel_l: float, cold: bool) -> float:
        return 75.0 + tyre.fade_s * lap_age + PACE.fuel_s_per_l * (fuel_l - 1.8 * behind) + (tyre.warm_s if cold else 0.0)

    fuel = now.standing.fuel_l
    old = [ours(laps + k, k, fuel, False) for k in range(3)]
    new = [ours(k, k, 27.0, k == 0) for k in range(2)]
    filling = (27.0 - (fuel - 1.8)) / 2.0
    stop = 20.0 + max(5.0, filling)
    his_old = [his_lap + tyre.fade_s * k for k in range(3)]
    his_new = [his_lap - tyre.fade_s * (age - k) + (tyre.warm_s if k == 0 else 0.0) for k in range(2)]
    pits = max(setup.rules.pit_spread_s, 1.5)
    for told, us, him in (
        (duel.undercut, old[0] + stop + new[0] + new[1], his_old[0] + his_old[1] + stop + his_new[0]),
        (duel.overcut, old[0] + old[1] + stop + new[0], his_old[0] + stop + his_new[0] + his_new[1]),
    ):
        own = us + 0.25 * draw.standard_normal((n, 3)).sum(axis=1) + pits * draw.standard_normal(n)
        pace = scatter / math.sqrt(5) * draw.standard_normal(n)
        other = him + 3 * pace + scatter * draw.standard_normal((n, 3)).sum(axis=1) + pits * draw.standard_normal(n)
        assert told == pytest.approx(float((gap + own - other < 0.0).mean()), abs=0.015)


def test_a_rival_who_has_stopped_is_met_after_ones_own_stop() -> None:
    now = happened(SETUP, [Mark("lap", 75.0)] * 10)
    (near,) = duels(SETUP, now, RULES, PLAN, [Rival("4", -24.0, 76.0, 0.2, 2, 1)])
    assert near.undercut is None and near.stopped_s is not None and near.ahead == pytest.approx(0.5 * math.erfc(
        near.stopped_s / math.sqrt(2 * 0.25**2 + 2 * 0.2**2 + 4 * 0.2**2 / 5 + 1.5**2) / math.sqrt(2)))  # fmt: skip
    (far,) = duels(SETUP, now, RULES, PLAN, [Rival("4", -60.0, 76.0, 0.2, 2, 1)])
    assert far.ahead is not None and near.ahead is not None and far.ahead > 0.99 > near.ahead
    assert duels(SETUP, now, RULES, PLAN, [Rival("4", 1.0, None)]) == []
    assert duels(SETUP, now, RULES, replace(PLAN, stints=PLAN.stints[1:]), [Rival("4", 1.0, 75.0)]) == []


def test_a_stop_lap_costs_what_the_whole_race_costs_with_it() -> None:
    """Against plans of the whole rest in which the next stop is forced to that lap."""
    plan = ranked_plans(RULES, PACE)[0]
    setup = replace(SETUP, plan=plan)
    now = happened(setup, [Mark("lap", None)] * 8)
    found = stop_laps(setup, now, RULES, [Rival("4", 30.0, 75.0), Rival("9", -10.0, 76.0), Rival("8", -40.0, 76.0)], 6)
    totals = {}
    for one in found:
        at = replace(standing_of(RULES, PACE, plan, one.lap), fuel_l=now.standing.fuel_l - 1.8 * (one.lap - 8))
        rest = stopping_now(RULES, PACE, at)
        assert rest is not None
        driven = sum(75.0 + 0.08 * lap + 0.03 * (now.standing.fuel_l - 1.8 * (lap - 8)) for lap in range(8, one.lap))
        totals[one.lap] = driven + rest.time_s
    assert {one.lap: one.cost_s for one in found} == pytest.approx(
        {lap: time - min(totals.values()) for lap, time in totals.items()}, abs=1e-6
    )
    assert [one.places for one in found] == [1] * len(found)  # car 9 passes, car 8 does not
    closed = stop_laps(setup, now, RULES.model_copy(update={"no_stops": (Laps(first=9, last=11),)}), [], 4)
    assert [one.lap for one in closed] == [12]
    assert stop_laps(setup, replace(now, standing=replace(now.standing, fuel_l=2.0)), RULES, [], 6)[-1].lap == 9  # no lap more in the tank


def test_where_one_comes_out_is_told_by_the_road() -> None:
    rules = RULES.model_copy(update={"refuelling": False, "tank_l": 80.0})
    setup = replace(SETUP, rules=rules, plan=Plan((Stint("marl", 1, 16, 60.0), Stint("marl", 17, 14, 31.2)), 0.0, 0.0, 0.0, 0.0))
    now = happened(setup, [Mark("lap", None)] * 10)
    passed = 75.0 + 0.08 * 10 + 0.03 * now.standing.fuel_l  # one's own lap to the stop, which takes 25 s
    others = [Rival("4", -24.0, 76.0), Rival("9", -30.0, 76.0), Rival("30", 200.0, 80.0), Rival("5", -500.0, 76.0)]
    (one,) = stop_laps(setup, now, rules, others, 1)
    after = {rival.car: rival.gap_s + passed - (rival.lap_s or 0.0) + 25.0 for rival in others}
    assert after["4"] > 0.0 > after["9"]
    assert one.ahead is not None and one.behind is not None and (one.ahead[0], one.behind[0]) == ("4", "9")
    assert (one.ahead[1], one.behind[1]) == pytest.approx((after["4"], -after["9"]))
    assert one.places == 1
    (alone,) = stop_laps(setup, now, rules, others[2:3], 1)
    assert alone.ahead is None and alone.behind is not None  # more than half a lap ahead
    assert alone.behind[1] == pytest.approx(80.0 - after["30"] % 80.0)


def test_typed_rivals_go_on_at_their_pace_and_the_box_of_a_team_mate_is_free() -> None:
    marks = [Mark("lap", 75.0)] * 4 + [Mark("rival", 76.0, value=5.0, laps=12, car="4"), Mark("rival", car="9", value=-2.0)]
    now = happened(SETUP, [*marks, Mark("lap", 75.0), Mark("lap", 75.0)])
    assert typed(SETUP, now) == [Rival("4", 3.0, 76.0, 0.0, 14), Rival("9", -2.0, None, 0.0, 2)]
    free = advise(SETUP, now, PLAN, 1.0)
    assert free.plan is not None and free.plan.stints[0].last_lap == 16
    taken = advise(SETUP, happened(SETUP, [*marks, Mark("lap", 75.0), Mark("mate", value=16.0)]), PLAN, 1.0)
    assert taken.plan is not None and taken.plan.stints[0].last_lap in (15, 17)
    freed = advise(SETUP, happened(SETUP, [*marks, Mark("mate", value=16.0), Mark("mate", value=0.0)]), PLAN, 1.0)
    assert freed.plan is not None and freed.plan.stints[0].last_lap == 16


@pytest.mark.parametrize("seed", range(many(4, 30)))
def test_what_another_class_costs_is_found_within_its_spread(seed: int) -> None:
    """Slower cars at known places on the road; a lap is longer by what each that is passed on it costs."""
    rng = np.random.default_rng([seed, 29])
    cost, laps = float(rng.uniform(0.2, 1.0)), 60
    slow = {f"b{k}": 79.0 + rng.uniform(0, 1) + np.zeros(laps) for k in range(6)}
    starts = {car: float(rng.uniform(1, 75)) for car in slow}
    told, clock, count = list[AtLine](), 0.0, 0
    for lap in range(1, laps + 1):
        end = clock + 75.0
        met = 0
        for car, times in slow.items():
            before, after = ((at - starts[car]) / times[0] - done for at, done in ((clock, lap - 1), (end, lap)))
            met += math.floor(before) != math.floor(after)
        began, clock = clock, end + cost * met + 0.15 * float(rng.standard_normal())
        told.append(AtLine("7", lap, clock, False, "A"))
        for car, times in slow.items():  # one that is passed, and passes back in the time that it costs, was not passed
            before, after = ((at - starts[car]) / times[0] - done for at, done in ((began, lap - 1), (clock, lap)))
            count += math.floor(before) != math.floor(after)
    for car, times in slow.items():
        told += [AtLine(car, lap, starts[car] + at, False, "B") for lap, at in enumerate(np.cumsum(times), start=1)]
    (one,) = traffic(told, "7")
    assert one.group == "B" and one.cars == 6 and one.met == pytest.approx(count / laps, abs=0.08)
    assert one.lost_s is not None and abs(one.lost_s[0] - cost) < 3.5 * one.lost_s[1] + 0.1 * cost
    assert traffic([line for line in told if line.lap < 6], "7")[0].lost_s is None


def test_the_stand_in_tells_a_race_that_can_be_read_back() -> None:
    setup = replace(SETUP, plan=ranked_plans(RULES, PACE)[0])
    told = virtual_field(setup, "12", 3)
    assert told == virtual_field(setup, "12", 3) != virtual_field(setup, "12", 4)
    assert len({line.car for line in told}) == CARS and {line.group for line in told} == {"A", "B"}
    assert [line.clock_s for line in told] == sorted(line.clock_s for line in told)
    assert read_timing(timing_csv(told).encode()) == told
    own = [line for line in told if line.car == "12"]
    assert len(own) == 30 and [line.lap for line in own if line.pit] == [stint.last_lap for stint in setup.plan.stints[:-1]]
    assert own[-1].clock_s == pytest.approx(setup.plan.time_s, rel=0.01)


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("car,lap\n7,1\n", "Line 1: the column “clock_s”"), ("car,lap,clock_s\n,1,75\n", "Line 2, column car"),
        ("car,lap,clock_s\n7,0,75\n", "Line 2, column lap"), ("car,lap,clock_s\n7,1.5,75\n", "Line 2, column lap"),
        ("car,lap,clock_s\n7,1,soon\n", "Line 2, column clock_s"), ("car,lap,clock_s\n7,1,-3\n", "Line 2, column clock_s"),
        ("car,lap,clock_s,pit\n7,1,75,perhaps\n", "Line 2, column pit"), ("car,lap,clock_s\n7,1\n", "Line 2: 2 columns"),
        ("car,lap,clock_s\n7,1,75\n7,1,76\n", "Car 7, lap 1"), ("car,lap,clock_s\n7,1,75\n7,2,70\n", "Car 7, lap 2"),
        ("car,lap,clock_s,class\n7,1,75,the class of all classes\n", "Line 2, column class"), ("car,lap,clock_s\n7,1,nan\n", "clock_s"),
    ],
)  # fmt: skip
def test_what_cannot_be_names_its_place(text: str, place: str) -> None:
    with pytest.raises(FileRejected) as caught:
        read_timing(text.encode())
    assert place in caught.value.problems[0]


def test_laps_without_stops_are_read_as_people_write_them() -> None:
    assert stretches_words(read_stretches("12-15, 30", "x")) == "12-15, 30" == stretches_words(read_stretches("laps 12 to 15 and 30", "x"))
    assert read_stretches("16; 12–15", "x") == [Laps(first=12, last=16)] and read_stretches(" ", "x") == []
    for wrong in ("0-3", "15-12", "noon", "12-2000"):
        with pytest.raises(Exception, match="No stop"):
            read_stretches(wrong, "No stop")
