"""Race mode in races that go wrong: stops driven past, windows missed, flags, flat tyres, odd entries, and cars that follow its calls."""

from dataclasses import dataclass, field, replace

import numpy as np
import pytest

from apexcore.errors import NoLegalPlan
from apexcore.race.clock import pace_told_s, rules_now
from apexcore.race.happened import Happened, Mark, Setup, happened
from apexcore.race.legal import breaches, owed
from apexcore.race.live import Advice, advise
from apexcore.race.plans import Plan, plan_time_s, ranked_plans
from apexcore.race.rules import Level, Pace, RaceRules, TyrePace, TyreSets
from apexcore.race.timed import late_stop, plans_in_time
from apexcore.race.weather import WET
from tests.amounts import many

TYRES = (TyrePace("marl", 0.0, 0.12, 0.4, 16, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 2.0, 0.01, 1.0)


def begun(rules: RaceRules, pace: Pace = PACE, stops: int | None = None) -> Setup:
    plans = ranked_plans(rules, pace)
    plan = plans[0] if stops is None else next(one for one in plans if one.stops == stops)
    return Setup(rules, pace, plan, 0.2, 0.4)


def told(setup: Setup, *marks: Mark, following: Plan | None = None) -> tuple[Happened, Advice]:
    now = happened(setup, marks)
    return now, advise(setup, now, following or setup.plan, 1.0)


def laps(count: int, time_s: float = 71.0) -> list[Mark]:
    return [Mark("lap", time_s)] * count


ONE_STOP = RaceRules(laps=20, pit_loss_s=25, tank_l=60, least_stops=1, most_stops=2, refuelling=True)


def test_a_compulsory_stop_that_is_driven_past_stays_owed_to_the_end() -> None:
    setup = begun(ONE_STOP)
    stop = setup.plan.stints[0].last_lap
    following = setup.plan
    for done in range(stop + 1, 20):
        now, advice = told(setup, *laps(done), following=following)
        assert advice.plan is not None and advice.plan.stops + advice.due == 1 and not advice.broken, done
        assert owed(ONE_STOP, now.standing).stops == 1
        assert breaches(ONE_STOP, PACE, now.standing, advice.plan.stints, advice.due) == ()
        following = advice.plan if advice.changed else following


def test_a_compulsory_compound_that_was_not_fitted_stays_owed() -> None:
    rules = ONE_STOP.model_copy(update={"least_stops": 0, "compulsory": ("marl", "slate")})
    setup = begun(rules)
    missed = {"marl", "slate"} - {setup.plan.stints[0].compound}
    for done in range(setup.plan.stints[0].last_lap + 1, 20):
        now, advice = told(setup, *laps(done))
        assert advice.plan is not None and {stint.compound for stint in advice.plan.stints} >= missed and not advice.broken
        assert dict(owed(rules, now.standing).compounds) == dict.fromkeys(missed, 1)


def test_after_a_missed_window_the_least_bad_way_says_what_it_breaks() -> None:
    rules = ONE_STOP.model_copy(update={"first_stop_lap": 6, "last_stop_lap": 10})
    setup = begun(rules)
    _, advice = told(setup, *laps(12))
    assert advice.plan is not None and advice.plan.stops + advice.due == 1
    assert [one.rule for one in advice.broken] == ["last_stop_lap"] and "up to lap 10" in advice.broken[0].words
    following = advice.plan
    _, again = told(setup, *laps(13), following=following)
    assert not again.changed or (again.plan is not None and again.plan.stops == 1)  # it is said once, not at each lap
    full = begun(rules.model_copy(update={"first_stop_lap": 0, "last_stop_lap": 0, "longest_stint": 11}))
    _, late = told(full, *laps(13))
    assert late.due and [one.rule for one in late.broken] in ([], ["longest_stint"])


def test_a_limit_that_was_broken_before_is_said_with_every_plan() -> None:
    rules = ONE_STOP.model_copy(update={"most_stops": 1})
    setup = begun(rules)
    _, advice = told(setup, *laps(4), Mark("pit", None, 10.0, "marl"), *laps(4), Mark("pit", None, 10.0, "marl"), *laps(2))
    assert advice.plan is not None and [one.rule for one in advice.broken] == ["most_stops"]


def test_used_sets_are_as_old_as_they_are() -> None:
    rules = ONE_STOP.model_copy(update={"sets": (TyreSets(compound="slate", count=1, age=9), TyreSets(compound="marl", count=2))})
    setup = begun(rules)
    now, _ = told(setup, *laps(8), Mark("pit", None, 20.0, "slate", 9), *laps(3))
    assert now.standing.age == 12 and now.standing.fitted[-1] == ("slate", 9)
    left = {(key, age): count for key, age, count in owed(rules, now.standing).sets}
    assert left["slate", 9] == 0 and left["marl", 0] == 2 - (setup.plan.stints[0].compound == "marl")


def test_saving_does_not_make_worn_tyres_young() -> None:
    level = Level(10.0, 0.3, 0.9, 0.7)
    pace = replace(PACE, levels=(Level(), level), fuel_s_per_l=0.0)
    rules = RaceRules(laps=10, pit_loss_s=20, tank_l=60, least_stops=0, most_stops=0, barred=("slate",),
        sets=(TyreSets(compound="marl", count=1, age=12),),
    )  # fmt: skip
    plan = ranked_plans(rules, pace)[0]
    for way in (Level(), level):
        driven = replace(plan, stints=(replace(plan.stints[0], level=way),))
        by_hand, work = 0.0, 12.0
        for lap in range(10):
            by_hand += 70.0 + 0.12 * work + 0.2 * max(work - 16, 0.0) + way.cost_s + (0.4 if not lap else 0.0)
            work += way.tyre_share
        assert plan_time_s(rules, pace, driven) == pytest.approx(by_hand, abs=1e-9)


def test_readings_that_cannot_be_are_not_believed() -> None:
    setup = begun(ONE_STOP)
    plain = happened(setup, laps(6))
    for litres in (185.0, 60.8):
        odd = happened(setup, [*laps(6), Mark("fuel", None, litres)])
        assert odd.standing.fuel_l == plain.standing.fuel_l and odd.use_l == plain.use_l and len(odd.doubts) == 1
    low = happened(setup, [*laps(6), Mark("fuel", None, 3.0)])
    assert low.use_l == plain.use_l and low.standing.fuel_l == 3.0 and len(low.doubts) == 1
    much = happened(setup, [*laps(6), Mark("pit", None, 59.0, "marl")])
    assert much.standing.fuel_l == 60.0 and "room" in much.doubts[0]


def test_a_missed_lap_a_lap_too_many_and_another_distance() -> None:
    setup = begun(ONE_STOP)
    missed = happened(setup, [*laps(3), Mark("onlap", value=6.0)])
    assert missed.standing.laps_done == 5 and missed.times_s[3:] == (None, None)
    double = happened(setup, [*laps(5), Mark("onlap", value=5.0), *laps(1)])
    right = happened(setup, laps(5))
    assert double.standing == replace(right.standing, wheel_s=double.standing.wheel_s)
    assert rules_now(setup, happened(setup, [*laps(3), Mark("distance", value=12.0)])).laps == 12
    by_time = happened(setup, [*laps(3), Mark("minutes", value=12.0)])
    assert rules_now(setup, by_time).laps == pytest.approx(12.0 * 60.0 / 71.0, abs=1.0)


def test_flags_closed_lanes_and_flat_tyres() -> None:
    setup = begun(ONE_STOP)
    stop = setup.plan.stints[0].last_lap
    assert told(setup, *laps(stop))[1].due
    now, closed = told(setup, *laps(stop), Mark("closed"))
    assert now.closed and not closed.due and closed.plan is not None and closed.plan.stops == 1
    _, flat = told(setup, *laps(3), Mark("puncture"))
    assert flat.plan is not None and flat.plan.stints[0].last_lap == 4 and flat.plan.stints[1].fitted and flat.plan.stops >= 1
    mended = happened(setup, [*laps(3), Mark("puncture"), Mark("lap", 120.0), Mark("pit", None, 30.0, "marl"), *laps(4, 72.0)])
    assert not mended.flat and pace_told_s(setup, mended) < 2.0
    owing = happened(setup, [*laps(3), Mark("through"), Mark("stopgo", value=10.0)])
    assert owing.penalties == (("through", 0.0), ("stopgo", 10.0))
    assert happened(setup, [*laps(3), Mark("through"), Mark("served")]).penalties == ()
    timed = begun(ONE_STOP.model_copy(update={"minutes": 24.0}))
    red = [*laps(5), Mark("red"), Mark("lap", 1271.0), Mark("restart", value=1200.0, compound="slate"), *laps(2)]
    after = happened(timed, red)
    assert after.standing.compound == "slate" and after.standing.stops == 0
    assert abs(rules_now(timed, after).laps - rules_now(timed, happened(timed, laps(8))).laps) <= 1


def test_the_leader_ends_the_race() -> None:
    rules = ONE_STOP.model_copy(update={"minutes": 24.0})
    setup = begun(rules)
    own = rules_now(setup, happened(setup, laps(5))).laps
    lapped = happened(setup, [*laps(5), Mark("leader", 60.0, value=20.0, laps=1)])
    # he has driven 6 laps in 335 s and ends on the first of his laps that is over at 1,440 s: 6 + 19 laps, at 1,475 s
    ends = np.cumsum([71.0] * 5 + [71.0] * 30)
    by_hand = int(np.searchsorted(ends, 335.0 + 19 * 60.0)) + 1
    assert abs(rules_now(setup, lapped).laps - by_hand) <= 1 and rules_now(setup, lapped).laps >= own
    laps_race = begun(ONE_STOP)
    twice = happened(laps_race, [*laps(10), Mark("leader", 62.0, value=0.0, laps=2)])
    assert rules_now(laps_race, twice).laps < 20


def test_a_race_that_no_plan_reaches_says_so_and_what_would() -> None:
    rules = RaceRules(laps=1, minutes=1200.0, pit_loss_s=40, tank_l=60, most_stops=3, refuelling=True)
    with pytest.raises(NoLegalPlan) as refused:
        plans_in_time(rules, PACE)
    said = str(refused.value)
    assert "No plan reaches the flag" in said and "stops" in said
    for minutes in (180.0, 360.0):
        with pytest.raises(NoLegalPlan, match="reaches the flag"):
            plans_in_time(rules.model_copy(update={"minutes": minutes, "most_stops": 1}), PACE)
    fine = plans_in_time(rules.model_copy(update={"minutes": 120.0}), PACE)
    assert fine[0].laps > 90


def test_an_owed_stop_is_put_off_until_the_time_is_up_where_that_drives_a_lap_more() -> None:
    found = 0
    for minutes in np.arange(24.0, 26.0, 0.05):
        rules = ONE_STOP.model_copy(update={"minutes": float(minutes)})
        over, plans = plans_in_time(rules, PACE)
        late = late_stop(over, PACE)
        if late is None:
            continue
        found += 1
        assert late.stints[-1].laps == 1 and sum(stint.laps for stint in late.stints) == over.laps + 1
        before = plan_time_s(over, PACE, replace(late, stints=late.stints[:-1]))
        assert before < 60.0 * minutes
        assert plans[0].time_s >= 60.0 * minutes  # whoever stops in time crosses the line after it
    assert 2 < found < 35


@dataclass
class _Car:
    """A car that is driven by another hand than the product's: its own laps, its own tank, its own clock."""

    rules: RaceRules
    pace: Pace
    rng: np.random.Generator
    behind_s: float
    use_share: float
    fuel: float
    compound: str
    age: int
    clock_s: float = 0.0
    laps: int = 0
    safety_left: int = 0
    wet: bool = False
    wetter: float = 1.0
    used: dict[str, int] = field(default_factory=dict)
    stops: list[int] = field(default_factory=list)
    lowest_l: float = 99.0

    def lap(self, pits: tuple[str, int, float] | None) -> float:
        """A lap, a stop before it where one is made: tyres, their age, litres."""
        time = 0.0
        if pits is not None:
            compound, age, litres = pits
            self.fuel = min(self.fuel + litres, self.rules.tank_l)
            self.compound, self.age = compound or self.compound, age if compound else self.age
            standing = max(self.rules.tyre_change_s if compound else 0.0, litres / self.rules.refuel_l_per_s)
            time += self.rules.pit_loss_s * (0.5 if self.safety_left else 1.0) + standing
            self.stops.append(self.laps)
        least = min(self.pace.tyres, key=lambda one: one.fade_s)
        tyre = next((one for one in self.pace.tyres if one.key == self.compound), replace(least, key=WET, offset_s=0.0, cliff_age=1e6))
        drive = self.pace.lap_s + self.behind_s + tyre.offset_s + tyre.fade_s * self.age + self.pace.fuel_s_per_l * self.fuel
        drive += tyre.cliff_s * max(self.age - tyre.cliff_age, 0.0) + 0.2 * float(self.rng.standard_normal())
        if self.wet:
            drive += self.wetter * (self.rules.wet_lap_s + (0.0 if self.compound == WET else self.rules.dry_on_wet_s))
        elif self.compound == WET:
            drive += self.rules.wet_on_dry_s
        time += drive * (1.6 if self.safety_left else 1.0)
        self.fuel -= self.pace.fuel_l_per_lap * self.use_share * (0.5 if self.safety_left else 1.0)
        self.safety_left = max(self.safety_left - 1, 0)
        self.age, self.laps, self.clock_s = self.age + 1, self.laps + 1, self.clock_s + time
        self.used[self.compound] = self.used.get(self.compound, 0) + 1
        self.lowest_l = min(self.lowest_l, self.fuel)
        return time


def drive(
    seed: int, rules: RaceRules, sleepy: float = 0.0, rain: bool = False, leader: bool = False
) -> tuple[_Car, list[tuple[int, int, bool]], Advice | None]:  # fmt: skip
    """A race by the page's calls: the car, and at each lap how many the page told, and whether it had three green laps behind it and no
    safety car to come, of which nobody could know.

    :param sleepy: how often a stop that is called is driven past
    :param rain: whether it rains for a while, more or less than the Brief says
    :param leader: whether a quicker car ends the race, of whom one hears every fifth lap
    """
    rng = np.random.default_rng([seed, 90])
    setup = Setup(rules, PACE, plans_in_time(rules, PACE)[1][0], 0.2, 0.5)
    if rules.minutes:
        setup = replace(setup, rules=plans_in_time(rules, PACE)[0])
    first = setup.plan.stints[0]
    car = _Car(
        rules, PACE, rng, float(rng.normal(0.3, 0.6)), float(rng.uniform(0.97, 1.03)),
        first.fuel_l - rules.formation_laps * PACE.fuel_l_per_lap, first.compound, first.age,
    )  # fmt: skip
    marks, following, pits = list[Mark](), setup.plan, None
    seen, green, last = list[tuple[int, int, bool]](), 0, None
    shower = sorted(int(lap) for lap in rng.integers(6, 36, 2)) if rain else [999, 999]
    car.wetter = float(rng.uniform(0.7, 1.3))
    his_lap = float(rng.uniform(0.97, 1.0)) * (PACE.lap_s + 1.5)
    coming = sorted(int(lap) for lap in rng.integers(2, 40, rng.poisson(1.0)))
    for _ in range(200):
        if coming and car.laps >= coming[0] and not car.safety_left:
            coming.pop(0)
            car.safety_left, green = 3, -1
            marks.append(Mark("safety"))
        if car.laps in shower and shower[0] < shower[1]:
            car.wet = car.laps == shower[0]
            green = -1
            marks.append(Mark("wet" if car.wet else "dry"))
        under = bool(car.safety_left)
        time = car.lap(pits)
        if under and not car.safety_left:
            marks.append(Mark("green"))
        green = green + 1 if not under else 0
        marks.append(Mark("lap", time))
        if car.laps % 4 == 0:
            marks.append(Mark("fuel", None, max(car.fuel + 0.1 * float(rng.standard_normal()), 0.0)))
        flag = 60.0 * rules.minutes
        if leader:  # he is slowed as the field is: his laps take what they would, and the safety cars' share of one's own
            lost = car.clock_s - sum(lap or 0.0 for lap in happened(setup, marks).times_s)
            flag = his_lap * np.ceil(flag / his_lap) + lost
            if car.laps % 5 == 0:
                marks.append(Mark("leader", his_lap, value=car.clock_s % his_lap, laps=int(car.clock_s // his_lap) - car.laps))
        ended = car.clock_s >= flag if rules.minutes else car.laps >= rules.laps
        now = happened(setup, marks)
        advice = advise(setup, now, following, 1.0)
        still = max(shower) == 999 or car.laps >= shower[1] + 3 or shower[0] == shower[1]
        seen.append((car.laps, advice.laps, green >= 3 and not coming and still and (not leader or car.laps >= 5)))
        if ended:
            break
        last = advice
        if advice.changed and advice.plan is not None:
            following = advice.plan
        pits = None
        plan = advice.plan
        if plan is not None and (advice.due or (plan.stops and plan.stints[0].last_lap == car.laps)):
            stint = plan.stints[0] if advice.due else plan.stints[1]
            if rng.random() >= sleepy:
                litres = max(stint.fuel_l - car.fuel, 0.0)
                pits = (stint.compound if stint.fitted else "", stint.age, litres)
                marks.append(Mark("pit", None, litres, stint.compound if stint.fitted else "", stint.age))
    return car, seen, last


RACE = RaceRules(
    laps=40, pit_loss_s=22, tank_l=55, least_stops=1, most_stops=4, refuelling=True, tyre_change_s=4, refuel_l_per_s=2.5,
    compulsory=("marl", "slate"), first_stop_lap=5,
)  # fmt: skip


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(2))
def test_cars_that_follow_the_calls_never_run_dry_nor_miss_what_is_owed(block: int) -> None:
    for seed in range(block * many(2, 40), (block + 1) * many(2, 40)):
        car, _, _ = drive(seed, RACE, sleepy=0.4 if seed % 2 else 0.0)
        assert car.laps == 40 and (car.lowest_l >= 0.0 or seed % 2), (seed, car.lowest_l)  # who drives past a stop may run dry
        assert car.stops and min(car.stops) >= 5 and set(car.used) >= {"marl", "slate"}, (seed, car.stops, car.used)


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(2))
def test_laps_to_go_of_a_race_over_time_are_told_right_behind_safety_cars(block: int) -> None:
    right = all_told = 0
    for seed in range(block * many(2, 75), (block + 1) * many(2, 75)):
        rules = RACE.model_copy(update={"laps": 1, "minutes": 50.0})
        sleepy, rain, leader = (0.2 if seed % 3 == 0 else 0.0), seed % 4 == 1, seed % 5 == 4
        car, seen, _ = drive(seed, rules, sleepy, rain, leader)
        assert (car.lowest_l >= 0.0 or not seed % 3) and car.stops, (seed, car.lowest_l)
        for _, told_laps, counts in seen:
            if counts:
                all_told += 1
                right += abs(told_laps - car.laps) <= 1
    assert right >= 0.98 * all_told, (right, all_told)
