"""The race as it is driven, through the site: marks taken once, wrong ones taken back, plans that change and stay, and what is kept."""

import itertools
import re
import time

import pytest
from django.test import Client
from django.urls import reverse

from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.race import live, odds
from apextrim.race.models import KeptPlan, LiveRace, RaceMark
from apextrim.race.queries import driver_of, race_view
from apextrim.runs.models import Lap, LoggerKey, Run
from apextrim.sheets.models import Sheet
from tests.apextrim.lap.test_corner_page import words
from tests.apextrim.test_access import begun
from tests.apextrim.test_race_bench import save


@pytest.fixture
def race(event: Event, first: Sheet) -> LiveRace:
    """A race of ten laps on one set of tyres that has begun."""
    return begun(event)


def press(client: Client, race: LiveRace, kind: str, **values: object) -> str:
    answer = client.post(
        reverse("mark_race", args=[race.event_id, race.pk]), {"kind": kind, **values}, headers={"accept": "application/json"}
    )
    assert answer.status_code == 200
    return str(answer.json()["problem"])


def laps(race: LiveRace) -> list[float | None]:
    return [mark.time_s for mark in race.marks.filter(kind="lap", undone=False)]


def test_a_key_is_taken_once_and_a_wrong_one_taken_back_once(client_in: Client, race: LiveRace) -> None:
    at = race.started_ms
    assert press(client_in, race, "lap", key="a", at=at + 71_000) == "" == press(client_in, race, "lap", key="a", at=at + 71_000)
    assert laps(race) == [71.0]
    assert "not counted" in press(client_in, race, "lap", key="b", at=at + 75_000)  # twice, by mistake
    assert press(client_in, race, "lap", key="c", at=at + 142_500) == ""
    assert laps(race) == [71.0, 71.5]
    undo = reverse("undo_mark", args=[race.event_id, race.pk])
    for _ in range(2):  # the answer was lost, and it is sent again
        assert client_in.post(undo, {"key": "u"}, headers={"accept": "application/json"}).json()["problem"] == ""
    assert laps(race) == [71.0]
    assert press(client_in, race, "lap", key="d", at=at - 5_000_000) == ""  # the clock was set back
    assert laps(race) == [71.0, None]
    assert client_in.post(undo, {"key": "v"}).status_code == 302 and laps(race) == [71.0]


@pytest.mark.parametrize(
    ("kind", "values", "said"),
    [
        ("turn", {}, "lap, pit, fuel"), ("fuel", {}, "Fuel on board"), ("fuel", {"litres": "full"}, "Fuel"),
        ("fuel", {"litres": "9999"}, "Fuel"), ("pit", {"compound": "chalk"}, "marl"), ("pit", {"litres": "-3"}, "Fuel"),
        ("lap", {"at": "99999999999999999999"}, ""), ("lap", {"at": "soon"}, ""),
    ],
)  # fmt: skip
def test_what_is_no_mark_is_said_and_changes_nothing(
    client_in: Client, race: LiveRace, kind: str, values: dict[str, str], said: str
) -> None:
    problem = press(client_in, race, kind, **values)
    assert (said in problem) if said else problem == ""
    assert race.marks.count() == (0 if said else 1)


def test_the_screen_says_what_to_do_and_a_second_phone_only_reads(client_in: Client, race: LiveRace) -> None:
    page = reverse("live_race", args=[race.event_id, race.pk])
    answer = client_in.get(page)
    assert "To the flag: 10 laps" in words(answer) and "Take back" in words(answer)
    assert (answer.context["view"].laps_done, answer.context["view"].laps) == (0, 10)
    follows = words(client_in.get(page + "?follow=1"))
    assert "To the flag: 10 laps" in follows and "Take back" not in follows and "Out of the pit" not in follows
    for k in range(1, 11):
        press(client_in, race, "lap", key=f"k{k}", at=race.started_ms + 70_500 * k)
    assert "at most 10" in press(client_in, race, "lap", key="k11", at=race.started_ms + 70_500 * 11)
    assert "Race over" in words(client_in.get(page))
    part = client_in.get(reverse("live_race_part", args=[race.event_id, race.pk]))
    assert "What came of it" in words(part)


def test_a_safety_car_and_wet_are_said_until_they_are_over(client_in: Client, race: LiveRace) -> None:
    page = reverse("live_race", args=[race.event_id, race.pk])
    press(client_in, race, "safety", key="s")
    press(client_in, race, "wet", key="w")
    shown = words(client_in.get(page))
    assert "Safety car: " in shown and "planned as if it stayed so" in shown and "Wet tyres" in shown
    assert press(client_in, race, "pit", key="p", compound="wet") == ""
    press(client_in, race, "green", key="g")
    press(client_in, race, "dry", key="d")
    shown = words(client_in.get(page))
    assert "Safety car: " not in shown and "planned as if it stayed so" not in shown


def test_a_plan_changes_for_more_than_its_threshold_and_back_with_the_key_that_did_it(
    client_in: Client, event: Event, first: Sheet
) -> None:
    assert save(client_in, event, laps="24", pit_loss_s="15") == 302
    event.refresh_from_db()
    view = race_view(event)
    race = live.start(event, view, view.by_stops[0].plan, driver_of(event), 1.0, 1_000_000)
    lap = view.pace.pace.lap_s
    for k in range(1, 4):
        press(client_in, race, "lap", key=f"k{k}", at=int(1_000_000 + 1000 * (lap + 1.0) * k))
    race.refresh_from_db()
    assert race.followed == []  # as planned: nothing is said
    assert press(client_in, race, "fuel", key="f", litres="3.0") == ""  # a leak
    race.refresh_from_db()
    assert len(race.followed) == 1 and "After lap 3" in race.followed[0][2]
    assert "Plan changed." in words(client_in.get(reverse("live_race", args=[event.pk, race.pk])))
    live.undo(race, "u")
    race.refresh_from_db()
    assert race.followed == []


def test_laps_of_a_logger_come_in_by_themselves_and_meet_those_of_the_keys(client_in: Client, race: LiveRace, first: Sheet) -> None:
    key = LoggerKey.objects.create(event=race.event, name="box", digest="d", made_at=race.started_at)
    run = Run.objects.create(
        event=race.event, sheet=first, number=90, front="marl", rear="marl", tyre_age=0, fuel_l=30, logger=key, logger_run="r",
        closed=False, conditions={}, made_at=race.started_at,
    )  # fmt: skip
    Lap.objects.create(run=run, number=1, time_s=71.25)
    assert live.take_from_logger(race) == 1 == race.marks.count() and live.take_from_logger(race) == 0
    now = int(time.time() * 1000)
    live.add_mark(race, "lap", "by key", now, {"time_s": 70.0})
    Lap.objects.create(run=run, number=2, time_s=71.5)
    assert live.take_from_logger(race) == 0  # the key was quicker: the lap only gets its time
    assert laps(race) == [71.25, 71.5]
    silent = live.silent_s(live.now_of(race), now + 200_000)
    assert silent is not None and silent > 190 and live.silent_s(live.now_of(race), now + 20_000) is None
    client_in.post(reverse("keep_race_runs", args=[race.event_id, race.pk]))
    assert race.event.runs.count() == 1  # they are in the logbook already


def test_afterwards_the_laps_go_into_the_logbook_once(client_in: Client, race: LiveRace, first: Sheet) -> None:
    at = race.started_ms
    for k in range(1, 6):
        press(client_in, race, "lap", key=f"k{k}", at=at + 72_000 * k)
    press(client_in, race, "pit", key="p", compound="marl", litres="12")
    for k in range(6, 10):
        press(client_in, race, "lap", key=f"k{k}", at=at + 72_000 * k + 25_000)
    assert client_in.post(reverse("end_race", args=[race.event_id, race.pk])).status_code == 302
    assert "ended" in press(client_in, race, "lap", key="late")
    page = words(client_in.get(reverse("race_after", args=[race.event_id, race.pk])))
    assert "9 of 10 laps driven" in page and "Stop behind lap 5" in page and "not planned there" in page and "25.0 s" in page
    for _ in range(2):
        client_in.post(reverse("keep_race_runs", args=[race.event_id, race.pk]))
    runs = list(race.event.runs.order_by("number"))
    assert [run.laps.count() for run in runs] == [5, 4] and [run.front for run in runs] == ["marl", "marl"]
    assert runs[1].fuel_l == pytest.approx(28.0 - 10.0 + 12.0) and runs[1].tyre_age == 0
    assert "R" in words(client_in.get(reverse("race_after", args=[race.event_id, race.pk])))


def test_a_race_is_begun_with_a_plan_that_there_is_and_one_at_a_time(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("start_race", args=[event.pk])
    assert client_in.post(address, {"stops": "9"}).status_code == 422
    assert client_in.post(address, {"stops": "1", "threshold": "soon"}).status_code == 422
    stops = race_view(event).by_stops[0].plan.stops
    for _ in range(2):
        assert client_in.post(address, {"stops": str(stops), "threshold": "2,5", "at": "1000000"}).status_code == 302
    assert event.races.count() == 2 and event.races.filter(ended_at=None).count() == 1
    on = event.races.get(ended_at=None)
    assert on.threshold_s == 2.5
    assert client_in.get(reverse("begin_race", args=[event.pk])).url == reverse("live_race", args=[event.pk, on.pk])  # type: ignore[attr-defined]
    old = on.setup["rules"]["laps"]
    assert save(client_in, event, laps="7", most_stops="1") == 302  # the rules are edited while it is on
    event.refresh_from_db()
    assert facts.rules_of(event).laps == 7 and live.now_of(on).rules.laps == old != 7


def test_a_stranger_reaches_nothing_of_a_race(stranger: Client, race: LiveRace) -> None:
    for name in ("live_race", "live_race_part", "race_after"):
        assert stranger.get(reverse(name, args=[race.event_id, race.pk])).status_code == 404
    for name in ("mark_race", "undo_mark", "end_race", "keep_race_runs"):
        assert stranger.post(reverse(name, args=[race.event_id, race.pk]), {"kind": "lap"}).status_code == 404
    assert RaceMark.objects.count() == 0


def test_rules_that_races_have_are_read_kept_and_planned(client_in: Client, event: Event, first: Sheet) -> None:
    rules = {
        "laps": "40 min + 1 lap", "mixed": "on", "tyres_may_stay": "on", "compulsory": "slate", "compulsory_laps": "3", "sets_marl": "2 new, 1 at 6",
        "savings_pct": "3", "ballast_kg": "10", "drivers": "2", "wheel_minutes": "35", "driver_least_minutes": "10",
        "driver_change_s": "20", "driver_slower_s": "0, 0.5", "driver_most_minutes": "35", "driver_rest_minutes": "1",
        "pit_spread_s": "1.5", "wear_factor": "3", "crew_work": "max(tyres, fuel) + driver", "stint_l": "90", "race_l": "900",
        "jokers": "1", "joker_s": "4.5",
    }  # fmt: skip
    assert save(client_in, event, **rules) == 302
    event.refresh_from_db()
    told = facts.rules_of(event)
    assert (told.minutes, told.laps_after, told.mixed, told.compulsory, told.compulsory_laps) == (40.0, 1, True, ("slate",), 3)
    assert [(one.compound, one.count, one.age) for one in told.sets] == [("marl", 2, 0), ("marl", 1, 6)] and told.savings_pct == (3.0,)
    assert (told.crew_work, told.stint_l, told.race_l, told.jokers, told.joker_s) == ("max(tyres, fuel) + driver", 90.0, 900.0, 1, 4.5)
    assert (told.driver_slower_s, told.driver_most_minutes, told.driver_rest_minutes) == ((0.0, 0.5), 35.0, 1.0)
    shown = client_in.get(reverse("race_bench", args=[event.pk]))
    page = words(shown)
    assert "40 min + 1 lap" in page and "laps by this plan" in page and "Pairs of tyres" in page and "Drivers by stint" in page
    assert "Their pace makes it" in page and "longer than planned" in page
    view = shown.context["view"]
    assert {tyre.key for tyre in view.pace.pace.tyres} == {"marl", "slate", "marl/slate", "slate/marl"}
    for ranked in view.by_stops:
        used = [stint.compound.split("/") for stint in ranked.plan.stints if stint.fitted]
        marl = [(pair, stint.age) for pair, stint in zip(used, [s for s in ranked.plan.stints if s.fitted], strict=True)]
        assert (
            sum(pair[0] == "marl" and age == 0 for pair, age in marl) <= 2
            and sum(pair[-1] == "marl" and age == 0 for pair, age in marl) <= 2
        )
        assert sum(stint.laps for stint in ranked.plan.stints if "slate" in stint.compound) >= 3
    brief = client_in.get(reverse("brief", args=[event.pk])).content.decode()
    assert 'value="40 min + 1 lap"' in brief and 'value="2 new, 1 at 6 laps"' in brief
    assert 'value="0, 0.5"' in brief
    client_in.post(reverse("leave_out_pairs", args=[event.pk]))
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200


@pytest.mark.parametrize(
    ("field", "text", "said"),
    [
        ("laps", "two hours", "Race length"), ("sets_marl", "many", "2 new, 1 at 6"), ("savings_pct", "1 2 3 4 5", "at most 4"),
        ("savings_pct", "90", "saving"), ("compulsory_laps", "0", "1"), ("drivers", "12", "8"),
    ],
)  # fmt: skip
def test_rules_that_cannot_be_are_said_and_nothing_typed_is_lost(client_in: Client, event: Event, field: str, text: str, said: str) -> None:
    before = dict(event.rules)
    answer = client_in.post(reverse("save_rules", args=[event.pk]), {"laps": "31", "pit_loss_s": "22", "tyre_change_s": "6", "formation_laps": "1",
        "least_stops": "1", "most_stops": "3", "refuel_l_per_s": "2", field: text})  # fmt: skip
    assert answer.status_code == 422 and said in words(answer) and text in answer.content.decode()
    event.refresh_from_db()
    assert event.rules == before


def test_heats_are_planned_on_the_sets_that_there_are(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, laps="12", least_stops="0", heats="3", sets_marl="1 new", sets_slate="1 at 4") == 302
    page = client_in.get(reverse("race_bench", args=[event.pk]))
    heats = page.context["heats"]
    assert len(heats) == 3 and "Sets over 3 heats" in words(page) and all(lost > 0 for _, lost in heats)
    assert save(client_in, event, laps="12", least_stops="0", heats="3", sets_marl="40") == 302
    assert "at most 8 heats and 12 sets" in words(client_in.get(reverse("race_bench", args=[event.pk])))
    assert save(client_in, event, laps="12", least_stops="0", heats="2", sets_marl="1", sets_slate="0", compulsory="slate") == 302
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200


@pytest.mark.thorough_only
def test_what_chance_makes_of_the_plans_is_shown_and_the_field_is_kept(client_in: Client, event: Event, first: Sheet) -> None:
    page = client_in.get(reverse("race_odds", args=[event.pk]))
    assert page.status_code == 200 and re.search(r"quickest most often, in .* of races", words(page))
    rows = page.context["rows"]
    assert sum(row.outcome.wins for row in rows) == pytest.approx(1.0)
    part = client_in.get(reverse("odds_turns", args=[event.pk]), headers={"hx-request": "true"})
    told = {turn.what: turn for _, _, turn in part.context["turns"]}
    assert set(told) == {"cars", "place", "passing"} and all(len(turn.points) >= 4 for turn in told.values())
    for turn in told.values():
        signs = {gap < 0.0 for _, gap, _ in turn.points}
        assert (turn.turns is not None) == (len(signs) == 2)
    field = {
        "cars": "4", "grid": "2", "ahead_s": "-0.5", "spread_s": "1", "passing_s": "0.5", "safety_cars": "2", "safety_laps": "2",
        "safety_slow": "1.5", "safety_pit": "0.4", "counted": "on", "yellows": "0", "troubles": "0", "trouble_s": "20",
    }  # fmt: skip
    address = reverse("save_field", args=[event.pk])
    assert client_in.post(address, field | {"grid": "6"}).status_code == 422
    assert client_in.post(address, field).status_code == 302
    event.refresh_from_db()
    around = facts.rules_of(event).around
    assert (around.cars, around.grid, around.ahead_s, around.safety_pit) == (4, 2, -0.5, 0.4)
    assert save(client_in, event) == 302  # the Brief's rules leave it alone
    event.refresh_from_db()
    assert facts.rules_of(event).around == around
    calls = client_in.get(reverse("race_odds", args=[event.pk])).context["calls"]
    assert calls[0].first == 1 and all(a.last + 1 == b.first for a, b in itertools.pairwise(calls))
    assert odds.call_ranges([]) == []


def test_a_kept_plan_is_a_card_with_stops_plan_b_and_calls(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, laps="20", pit_loss_s="10", wear_factor="4") == 302
    event.refresh_from_db()
    view = race_view(event)
    client_in.post(reverse("keep_plan", args=[event.pk]), {"stops": str(view.by_stops[0].plan.stops)})
    row = KeptPlan.objects.get(event=event)
    page = client_in.get(reverse("kept_plan", args=[event.pk, row.pk]))
    card, shown = page.context["card"], words(page)
    ends = [stint.last_lap for stint in view.by_stops[0].plan.stints[:-1]]
    assert [stop.lap for stop in card.stops] == ends and "Plan B" in shown and "If a safety car comes" in shown
    assert card.targets[-1].lap == 20 and card.targets[-1].passed_s == pytest.approx(view.by_stops[0].plan.time_s, abs=0.5)
    assert card.calls[0].first == 1 and card.calls[-1].last == 19
    event.rules["pit_loss_s"] = 22.0
    event.rules["least_stops"], event.rules["most_stops"] = 9, 2  # no plan is legal any more
    event.save()
    assert client_in.get(reverse("kept_plan", args=[event.pk, row.pk])).status_code == 200
