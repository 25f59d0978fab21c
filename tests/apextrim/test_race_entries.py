"""Entries of a race that is driven: odd ones are asked about, wrong ones refused, every one corrected later, and what is owed is shown."""

import json
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.formats.race_file import PlanValue
from apexcore.race.course import course
from apexcore.race.kinds import Rid
from apexcore.race.plans import Plan, Stint
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.race import after, live, live_presenters, presenters, queries
from apextrim.race.models import LiveRace
from apextrim.sheets.models import Sheet

BEGAN_MS = 1_000_000_000


@pytest.fixture
def race(event: Event, client_in: Client, first: Sheet) -> LiveRace:
    rules = {"laps": "20", "formation_laps": "1", "pit_loss_s": "22", "tyre_change_s": "6", "least_stops": "1", "most_stops": "3"}
    rules |= {"refuelling": "on", "refuel_l_per_s": "2", "in_parallel": "on", "last_stop_lap": "12"}
    assert client_in.post(reverse("save_rules", args=[event.pk]), rules).status_code == 302
    event.refresh_from_db()
    view = queries.race_view(event)
    return live.start(event, view, view.by_stops[0].plan, queries.driver_of(event), 1.0, BEGAN_MS)


def press(client: Client, race: LiveRace, kind: str, at_s: float, **values: Any) -> dict[str, Any]:
    address = f"/events/{race.event_id}/race/live/{race.pk}/mark/"
    told = {"kind": kind, "at": str(BEGAN_MS + int(1000 * at_s)), "key": f"{kind}-{at_s}-{values.get('sure', '')}", **values}
    answer = client.post(address, told, headers={"Accept": "application/json"})
    assert answer.status_code == 200
    return dict(json.loads(answer.content))


def laps_of(race: LiveRace) -> list[float | None]:
    return [mark.time_s for mark in live.marks_of(race) if mark.kind == "lap"]


def test_an_early_press_and_a_missed_lap_are_asked_about(client_in: Client, race: LiveRace) -> None:
    lap = live.setup_of(race).pace.lap_s
    press(client_in, race, "lap", lap)
    early = press(client_in, race, "lap", 1.55 * lap)
    assert "Has a lap ended?" in early["asked"] and not early["two"] and len(laps_of(race)) == 1
    late = press(client_in, race, "lap", 3 * lap)
    assert "Was one missed?" in late["asked"] and late["two"] and len(laps_of(race)) == 1
    assert press(client_in, race, "lap", 3 * lap, sure="two")["problem"] == ""
    assert laps_of(race) == [pytest.approx(lap, abs=2e-3)] * 3
    press(client_in, race, "lap", 3.6 * lap, sure="one")
    assert laps_of(race)[3] == pytest.approx(0.6 * lap, abs=2e-3)
    assert "not counted" in press(client_in, race, "lap", 3.65 * lap)["problem"]
    press(client_in, race, "safety", 3.7 * lap)
    assert press(client_in, race, "lap", 6 * lap) == {"problem": "", "asked": "", "two": False}  # behind it a lap is long


def test_what_cannot_be_is_refused_with_its_place(client_in: Client, race: LiveRace) -> None:
    for kind, values, words in (
        ("fuel", {"litres": "185"}, "62"), ("pit", {"litres": "500"}, "62"), ("lap", {"time": "x"}, "lap time"),
        ("onlap", {"value": "0"}, "On lap"), ("onlap", {}, "On lap"), ("distance", {"value": "9999"}, "Race now"),
        ("served", {}, "none is owed"), ("pit", {"compound": "chalk"}, "tyres"), ("pit", {"compound": "marl@x"}, "Laps of the set"),
        ("party", {}, "mark"),
    ):  # fmt: skip
        assert words in press(client_in, race, kind, 10.0, **values)["problem"], kind
    assert live.marks_of(race) == []


def test_every_entry_can_be_corrected_or_taken_back_later(client_in: Client, race: LiveRace, stranger: Client) -> None:
    base = f"/events/{race.event_id}/race/live/{race.pk}/marks/"
    for k in range(1, 4):
        press(client_in, race, "lap", 75.0 * k, time="1:15.0")
    press(client_in, race, "pit", 230.0, litres="10", compound="slate")
    press(client_in, race, "lap", 330.0, time="1:40.0")
    page = client_in.get(base).content.decode()
    assert "4. Pit stop" in page and 'value="1:15.000"' in page
    client_in.post(f"{base}2/", {"time": "1:17.5"})
    assert laps_of(race) == [75.0, 77.5, 75.0, 100.0]
    client_in.post(f"{base}4/", {"litres": "12.5", "compound": ""})
    pit = next(mark for mark in live.marks_of(race) if mark.kind == "pit")
    assert pit.litres == 12.5 and pit.compound == ""
    refused = client_in.post(f"{base}1/", {"time": "quick"}, follow=True).content.decode()
    assert "quick" in refused and laps_of(race)[0] == 75.0
    client_in.post(f"{base}1/", {"remove": "1"})
    assert len(laps_of(race)) == 3
    assert stranger.post(f"{base}2/", {"remove": "1"}).status_code == 404 and len(laps_of(race)) == 3
    assert client_in.post(f"{base}77/", {"remove": "1"}, follow=True).status_code == 200


def test_plans_that_were_made_after_a_corrected_entry_are_forgotten(client_in: Client, race: LiveRace) -> None:
    for k in range(1, 4):
        press(client_in, race, "lap", 75.0 * k, time="1:15.0")
    race.refresh_from_db()
    race.followed = [[number, PlanValue.of(live.setup_of(race).plan).model_dump(mode="json"), f"after {number}"] for number in (1, 2, 3)]
    race.save()
    live.correct(race, 2, {"time_s": 75.5})
    assert [entry[2] for entry in LiveRace.objects.get(pk=race.pk).followed] == ["after 1"]


def test_what_is_owed_stands_on_the_page_to_the_end(client_in: Client, race: LiveRace) -> None:
    part = f"/events/{race.event_id}/race/live/{race.pk}/part/"
    assert "1 compulsory stop still owed, the window closes in 12 laps" in client_in.get(part).content.decode()
    for k in range(1, 15):
        press(client_in, race, "lap", 75.0 * k, time="1:15.0")
        live.follow(race)
        page = client_in.get(part).content.decode()
        assert "1 compulsory stop still owed" in page and "No further stop" not in page, k
    assert "No way on keeps all rules" in page and "allowed up to lap 12" in page and "window closed 2 laps ago" in page
    press(client_in, race, "through", 1060.0)
    assert "Drive-through owed" in client_in.get(part).content.decode()
    press(client_in, race, "served", 1061.0)
    assert "Drive-through owed" not in client_in.get(part).content.decode()
    press(client_in, race, "closed", 1062.0)
    assert "Pit lane closed" in client_in.get(part).content.decode()
    press(client_in, race, "red", 1063.0)
    assert "Red flag" in client_in.get(part).content.decode()
    press(client_in, race, "restart", 1663.0)
    assert live.now_of(race).state.stood_s == pytest.approx(600.0)
    press(client_in, race, "distance", 1700.0, value="16")
    assert "of 16" in client_in.get(part).content.decode()


def test_numbers_of_a_race_under_way_and_afterwards_are_those_of_its_entries(client_in: Client, race: LiveRace) -> None:
    setup = live.setup_of(race)
    use = setup.pace.fuel_l_per_lap
    start = setup.plan.stints[0].fuel_l - setup.rules.formation_laps * use
    for k in range(1, 7):
        press(client_in, race, "lap", 75.0 * k, time="1:15.0")
    press(client_in, race, "fuel", 455.0, litres=f"{start - 6 * 1.2 * use:.2f}")
    now = live.now_of(race)
    at, car = now.state.standing, cases.car_of(race.event)
    assert use < now.state.use_l < 1.2 * use
    shown = live_presenters.live_view(now, car, BEGAN_MS)
    assert shown.fuel_laps.startswith(f"lasts {at.fuel_l / now.state.use_l:.1f} laps")
    press(client_in, race, "pit", 460.0, litres="5", compound="slate")
    press(client_in, race, "lap", 575.0, time="1:55.0")
    for k in range(3):
        press(client_in, race, "lap", 650.0 + 75.0 * k, time="1:15.0")
    found = after.compared(live.now_of(race))
    ((lap, _, lost),) = found.stops_s
    assert lap == 6 and lost == pytest.approx(40.0)
    rows = {row.what: row for row in live_presenters.after_view(found, car).rows}
    fuel = rows["Fuel of a lap"]
    assert fuel.apart.startswith("+") and fuel.planned == f"{use:.2f} l" and float(fuel.driven.split()[0]) > use


def test_being_rid_of_a_compound_costs_what_it_is_behind(event: Event) -> None:
    stints = (Stint("slate", 1, 5, 30.0), Stint("marl", 6, 15, 30.0))
    rid = [Rid("slate", True, Plan(stints, 1007.5, 0.0, 0.0, 0.0)), Rid("slate", False, Plan(stints, 1000.0, 0.0, 0.0, 0.0))]
    early, late = presenters.rid_words(rid, 1000.0, cases.car_of(event))
    assert "+7.5 s" in early and "the best plan" in late


def test_hours_without_stops_by_the_clock_are_typed_kept_to_and_told(client_in: Client, event: Event, first: Sheet) -> None:
    rules = {"laps": "20", "formation_laps": "1", "pit_loss_s": "22", "tyre_change_s": "6", "least_stops": "1", "most_stops": "3"}
    rules |= {"refuelling": "on", "refuel_l_per_s": "2", "in_parallel": "on", "no_stop_minutes": "0:00-8, 15 to 60"}
    address = reverse("save_rules", args=[event.pk])
    refused = client_in.post(address, rules | {"no_stop_minutes": "8-5"}).content.decode()
    assert "minutes such as 0-25, 35-60" in refused and "8-5" in refused
    assert client_in.post(address, rules).status_code == 302
    event.refresh_from_db()
    assert 'value="0-8, 15-60"' in client_in.get(reverse("brief", args=[event.pk])).content.decode()
    view = queries.race_view(event)
    for ranked in view.by_stops:
        ends = course(view.rules, view.pace.pace, ranked.plan).passed_s
        assert all(480.0 <= ends[stint.last_lap - 1] < 900.0 for stint in ranked.plan.stints[:-1])
    race = live.start(event, view, view.by_stops[0].plan, queries.driver_of(event), 1.0, BEGAN_MS)
    lap, page = live.setup_of(race).pace.lap_s, f"/events/{event.pk}/race/live/{race.pk}/"
    for k in range(1, 8):
        press(client_in, race, "lap", 1.03 * k * lap)
    told = client_in.get(page).content.decode()
    assert ("Stops until minute 15" in told) == (1.03 * 7 * lap >= 480.0) and "compulsory stop" in told
    past = 1 + int(900.0 / (1.03 * lap))
    for k in range(8, past + 1):
        press(client_in, race, "lap", 1.03 * k * lap)
    told = client_in.get(page).content.decode()
    assert "No stop until minute 60" in told and "not allowed in minutes 15 to 60" in told
