"""A race as it is driven: by plan, burning and fading more than was known, with stops missed, and over time."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.race.clock import ahead_s, pace_now, rules_now
from apexcore.race.course import course
from apexcore.race.happened import Happened, Mark, Setup, happened
from apexcore.race.legal import breaches
from apexcore.race.live import advise, followed_s, under_safety_car
from apexcore.race.plans import Plan, Stint, ranked_plans
from apexcore.race.replan import Standing, standing_of
from apexcore.race.rules import Pace, RaceRules, TyrePace

TYRES = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 2.0, 0.01, 1.0)
RULES = RaceRules(laps=30, pit_loss_s=20, tank_l=50, most_stops=3, refuelling=True, tyre_change_s=4, compulsory=("marl", "slate"))
PLAN = ranked_plans(RULES, PACE)[0]
SETUP = Setup(RULES, PACE, PLAN, 0.2, 0.4)


def as_planned(setup: Setup, laps: int, slower: float = 0.0) -> list[Mark]:
    """Marks of a race that goes by its plan."""
    known, found = course(setup.rules, setup.pace, setup.plan), list[Mark]()
    for index, stint in enumerate(setup.plan.stints):
        if index and stint.first_lap - 1 <= laps:
            before = known.left_l[stint.first_lap - 2]
            found.append(Mark("pit", None, stint.fuel_l - float(before), stint.compound))
        for lap in range(stint.first_lap, min(stint.last_lap, laps) + 1):
            found.append(Mark("lap", float(known.lap_s[lap - 1]) + slower))
    return found


@pytest.mark.parametrize("laps", [1, 5, 14, 20, 29])
def test_a_race_by_its_plan_stands_where_the_plan_does_and_stays_on_it(laps: int) -> None:
    marks = as_planned(SETUP, laps)
    while marks and marks[-1].kind == "pit":
        marks.pop()
    now = happened(SETUP, marks)
    known = standing_of(RULES, PACE, PLAN, laps)
    assert (now.standing.compound, now.standing.age, now.standing.stops) == (known.compound, known.age, known.stops)
    assert now.standing.fuel_l == pytest.approx(known.fuel_l, abs=1e-5) and now.standing.driven == known.driven
    advice = advise(SETUP, now, PLAN, 1.0)
    assert not advice.changed and advice.plan is not None and advice.gain_s == pytest.approx(0.0, abs=0.6)
    assert advice.due == (laps == PLAN.stints[0].last_lap)
    assert [stint.last_lap for stint in advice.plan.stints] == [stint.last_lap for stint in PLAN.stints if stint.last_lap > laps]
    assert now.elapsed_s == pytest.approx(float(course(RULES, PACE, PLAN).passed_s[laps - 1]), abs=1e-5)


def test_more_fuel_than_known_is_learnt_from_readings_and_brings_the_stop_forward() -> None:
    marks, board = list[Mark](), PLAN.stints[0].fuel_l - 2.0
    for lap in range(1, 13):
        board -= 2.5
        marks += [Mark("lap", 70.0)] + ([Mark("fuel", None, board)] if lap % 3 == 0 else [])
    now = happened(SETUP, marks)
    assert 2.25 < now.use_l < 2.5 and now.standing.fuel_l == pytest.approx(board)
    assert pace_now(SETUP, now).margin_l > PACE.margin_l
    advice = advise(SETUP, now, PLAN, 1.0)
    assert advice.plan is not None
    ends = advice.plan.stints[0].last_lap
    assert (ends - 12) * now.use_l <= board + 1e-6
    odd = happened(SETUP, [*marks, Mark("fuel", None, 400.0)])  # a reading that cannot be is no use
    assert odd.use_l == now.use_l


def test_tyres_that_fade_faster_are_seen_and_bring_the_stop_forward() -> None:
    setup = Setup(RULES, replace(PACE, margin_l=0.0), PLAN, 0.15, 0.4)
    rng = np.random.default_rng(4)
    tyre = next(one for one in TYRES if one.key == PLAN.stints[0].compound)
    marks = [Mark("lap", 71.0 + 3.0 * tyre.fade_s * k - 0.02 * k + 0.1 * rng.standard_normal()) for k in range(11)]
    now = happened(setup, marks)
    assert now.fade > 1.8
    calm = happened(setup, [Mark("lap", 71.0 + tyre.fade_s * k - 0.02 * k + 0.05 * rng.standard_normal()) for k in range(11)])
    assert calm.fade == pytest.approx(1.0, abs=0.3)
    assert pace_now(setup, now).tyres[0].fade_s == pytest.approx(now.fade * TYRES[0].fade_s)
    many = Setup(RULES.model_copy(update={"pit_loss_s": 6.0, "tyre_change_s": 1.0}), setup.pace, PLAN, 0.15, 0.4)
    kept, more = advise(many, calm, PLAN, 0.5), advise(many, replace(now, fade=3.0), PLAN, 0.5)
    assert kept.plan is not None and more.plan is not None and more.plan.stops > kept.plan.stops
    behind = [Mark("lap", 140.0 if k in (3, 4) else 71.0) for k in range(8)]
    slow = [Mark("lap", 71.0), Mark("safety"), Mark("lap", 130.0), Mark("lap", 130.0), Mark("green"), *behind]
    assert happened(setup, slow).fade < 1.6  # laps behind a safety car tell nothing


def test_a_stop_that_was_missed_changes_the_plan_at_once() -> None:
    late = [Mark("lap", 70.0)] * (PLAN.stints[0].last_lap + 2)
    now = happened(SETUP, late)
    advice = advise(SETUP, now, PLAN, 1.0)
    if followed_s(RULES, pace_now(SETUP, now), now.standing, PLAN) is None:
        assert advice.changed or advice.short_l > 0.0
    assert advice.plan is None or advice.plan.stints[0].first_lap == len(late) + 1


def test_without_fuel_for_a_lap_one_is_told_to_stop_and_how_much_lacks() -> None:
    now = happened(SETUP, [*[Mark("lap", 70.0)] * 10, Mark("fuel", None, 0.5)])
    advice = advise(SETUP, now, PLAN, 1.0)
    assert advice.changed and advice.plan is not None and advice.plan.stints[0].first_lap == 11 and advice.short_l > 30.0
    bare = Setup(RULES.model_copy(update={"refuelling": False, "tank_l": 90.0}), PACE, PLAN, 0.2, 0.4)
    dry = happened(bare, [*[Mark("lap", 70.0)] * 10, Mark("fuel", None, 0.5)])
    assert advise(bare, dry, PLAN, 1.0).plan is None and advise(bare, dry, PLAN, 1.0).short_l > 30.0


def test_over_time_the_distance_follows_the_clock() -> None:
    rules = RULES.model_copy(update={"minutes": 36.0})
    setup = Setup(rules, PACE, PLAN, 0.2, 0.4)
    usual, slower = (rules_now(setup, happened(setup, as_planned(setup, 10, s))).laps for s in (0.0, 7.0))
    assert usual > slower and abs(usual - 30) <= 1
    unknown = happened(setup, [Mark("lap", None)] * 10)
    assert rules_now(setup, unknown).laps == 30 and unknown.elapsed_s is None
    over = happened(setup, [Mark("lap", 300.0)] * 8)
    assert rules_now(setup, over).laps == 8 and advise(setup, over, PLAN, 1.0).plan is None


def test_a_safety_car_near_the_stop_is_a_call_to_stop() -> None:
    near = happened(SETUP, as_planned(SETUP, PLAN.stints[0].last_lap - 2))
    early = happened(SETUP, as_planned(SETUP, 1))
    one, other = under_safety_car(SETUP, near), under_safety_car(SETUP, early)
    assert one is not None and one.gain_s is not None and one.gain_s > 0.0
    assert other is not None and other.gain_s is not None and other.gain_s < 0.0
    assert under_safety_car(SETUP, happened(SETUP, as_planned(SETUP, 29))) is None


def test_a_race_begins_before_its_first_mark() -> None:
    now: Happened = happened(SETUP, [])
    assert now.standing.laps_done == 0 and not now.safety and now.stint_lap == 1
    advice = advise(SETUP, now, PLAN, 1.0)
    assert advice.plan is not None and not advice.changed


@pytest.mark.parametrize("fade", [0.5, 1.0, 1.8])
def test_cold_tyres_of_the_first_lap_are_no_tyres_that_hardly_fade(fade: float) -> None:
    tyre = TyrePace("marl", 0.0, 0.06, 1.6, 60, 0.0)
    pace = Pace(70.0, (tyre,), 1.5, 0.02, 1.0)
    rules = RaceRules(laps=30, pit_loss_s=20, tank_l=80, most_stops=1, formation_laps=0.0)
    setup = Setup(rules, pace, Plan((Stint("marl", 1, 30, 46.0),), 0.0, 0.0, 0.0, 0.0), 0.02, 0.6)
    laps = [70.0 + 0.06 * fade * k + 0.02 * (46.0 - 1.5 * k) + (1.6 if not k else 0.0) for k in range(16)]
    assert happened(setup, [Mark("lap", time) for time in laps]).fade == pytest.approx(fade, rel=0.05)


def test_a_stint_counts_the_laps_before_and_the_time_is_not_all_of_a_race() -> None:
    """Closed forms: eight laps driven and seven more are fifteen; a lap after the time is a lap more; three laps behind the safety car are
    slow."""
    rules = RaceRules(laps=30, pit_loss_s=20, tank_l=80, most_stops=2, longest_stint=14, formation_laps=0)
    pace = Pace(60.0, (TyrePace("marl", 0.0, 0.0, 0.0, 99, 0.0),), 1.0, 0.0, 0.0)
    at = Standing(8, 40.0, "marl", 8, 8, 0, (("marl", 8),), (("marl", 0),))
    rest = (Stint("marl", 9, 7, 40.0, 8, False), Stint("marl", 16, 14, 40.0))
    told = {one.rule: one.words for one in breaches(rules, pace, at, rest)}
    assert told["longest_stint"] == "a stint of 15 laps instead of at most 14"
    plan = Plan((Stint("marl", 1, 30, 30.0),), 0.0, 0.0, 0.0, 0.0)
    timed = rules.model_copy(update={"minutes": 20.5, "longest_stint": 0})
    setup = Setup(timed, pace, plan, 0.1, 0.6)
    laps = [Mark("lap", 60.0)] * 5
    assert rules_now(setup, happened(setup, laps)).laps == 21
    after = replace(setup, rules=timed.model_copy(update={"laps_after": 2}))
    assert rules_now(after, happened(after, laps)).laps == 23
    slow = ahead_s(setup, happened(setup, [*laps, Mark("safety")]), plan, 6)
    assert slow[:3] == [96.0] * 3 and slow[3:] == [60.0] * 3
