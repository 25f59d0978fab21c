"""Timing of a race that is on: its door, one's own laps and stops from it, and the page of the other cars."""

import json
from datetime import UTC, datetime
from io import StringIO
from typing import Any

import pytest
from django.core.management import CommandError, call_command
from django.test import Client
from django.urls import reverse

from apexcore.formats.timing import timing_csv
from apexcore.race.rivals import AtLine
from apexcore.virtual.field import virtual_field
from apextrim.archive.actions import read_event, write_event
from apextrim.events.models import Event
from apextrim.race import live, queries, tasks
from apextrim.race.models import LiveRace
from apextrim.runs.logger import make_key, withdraw_key
from apextrim.sheets.models import Sheet
from apextrim.work.kinds import Again, Done
from apextrim.work.models import Job
from apextrim.work.worker import QuietLine


@pytest.fixture
def race(event: Event, client_in: Client, first: Sheet) -> LiveRace:
    rules = {"laps": "20", "formation_laps": "1", "pit_loss_s": "22", "tyre_change_s": "6", "least_stops": "1", "most_stops": "3"}
    rules |= {"refuelling": "on", "refuel_l_per_s": "2", "in_parallel": "on", "first_stop_lap": "8", "no_stops": "1-5"}
    assert client_in.post(reverse("save_rules", args=[event.pk]), rules).status_code == 302
    event.refresh_from_db()
    view = queries.race_view(event)
    return live.start(event, view, view.by_stops[0].plan, queries.driver_of(event), 1.0, 1_000_000)


@pytest.fixture
def token(event: Event) -> str:
    return make_key(event, "timing")[1]


def send(token: str, lines: list[AtLine] | str) -> tuple[int, dict[str, Any]]:
    text = lines if isinstance(lines, str) else timing_csv(lines)
    answer = Client().post("/timing/", text, content_type="text/csv", headers={"Authorization": f"Bearer {token}"})
    return answer.status_code, json.loads(answer.content)


def part_of(client: Client, race: LiveRace) -> str:
    return " ".join(client.get(reverse("live_race_part", args=[race.event_id, race.pk])).content.decode().split())


def test_the_door_takes_all_or_nothing_and_a_repeat_adds_nothing(race: LiveRace, token: str) -> None:
    told = [AtLine("7", 1, 76.5), AtLine("4", 1, 75.0, False, "A")]
    assert send(token, told) == (200, {"new": 2, "corrected": 0, "passed_over": 0, "own_car": ""})
    assert send(token, told)[1] == {"new": 0, "corrected": 0, "passed_over": 2, "own_car": ""}
    assert send(token, [AtLine("4", 1, 75.25, True)])[1]["corrected"] == 1
    assert (race.timing.get(car="4").clock_s, race.timing.get(car="4").group, race.timing.get(car="4").pit) == (75.25, "A", True)
    status, answer = send(token, "car,lap,clock_s\n9,1,80\n9,2,x\n")
    assert status == 422 and "Line 3, column clock_s" in answer["problems"][0] and race.timing.count() == 2
    status, answer = send(token, [AtLine("9", 1, 80.0), AtLine("4", 2, 70.0)])  # earlier than its first lap, which is there
    assert status == 422 and "Car 4, lap 2" in answer["problems"][0] and race.timing.count() == 2


def test_who_is_not_let_in_changes_nothing(race: LiveRace, token: str) -> None:
    told = [AtLine("7", 1, 76.5)]
    assert send("nobody's", told)[0] == 401
    live.end(race)
    status, answer = send(token, told)
    assert status == 409 and "none is on" in answer["problems"][0]
    key = race.event.logger_keys.get()
    withdraw_key(key)
    assert send(token, told)[0] == 403
    race.event.deleted_at = datetime.now(UTC)
    race.event.save()
    assert send(make_key(race.event, "late")[1], told)[0] == 403 and race.timing.count() == 0


def drive(client: Client, race: LiveRace, token: str, rows: list[AtLine], laps: range) -> None:
    """Sends a race to the end of each of one's own laps, and looks at the page after each."""
    ends = {row.lap: row.clock_s for row in rows if row.car == "7"}
    for lap in laps:
        assert send(token, [row for row in rows if ends.get(lap - 1, 0.0) < row.clock_s <= ends[lap]])[0] == 200
        part_of(client, race)


def test_a_race_runs_by_itself_from_the_timing(client_in: Client, race: LiveRace, token: str) -> None:
    """Laps, the leader and the stop come from it; what the racer says of the stop corrects it."""
    client_in.post(reverse("connect_timing", args=[race.event_id, race.pk]), {"own_car": "7"})
    race.refresh_from_db()
    setup = live.setup_of(race)
    rows, stop = virtual_field(setup, "7", 5), setup.plan.stints[0].last_lap
    own = [row.clock_s for row in rows if row.car == "7"]
    drive(client_in, race, token, rows, range(1, stop))
    now = live.now_of(race)
    assert now.state.times_s == pytest.approx([b - a for a, b in zip([0.0, *own], own[: stop - 1], strict=False)])
    assert now.state.leader is not None and now.state.standing.stops == 0
    drive(client_in, race, token, rows, range(stop, stop + 1))
    page = part_of(client_in, race)
    assert "entered as planned: press p" in page
    now, planned = live.now_of(race), setup.plan.stints[1]
    assert now.state.standing.stops == 1 and now.state.standing.compound == planned.compound
    assert now.state.standing.fuel_l == pytest.approx(planned.fuel_l, abs=2.5)
    pressed = {"kind": "pit", "litres": "11", "compound": "", "key": "by hand"}
    client_in.post(reverse("mark_race", args=[race.event_id, race.pk]), pressed)
    marks = live.marks_of(race)
    assert [mark.kind for mark in marks].count("pit") == 1 and marks[-1].litres == 11.0
    drive(client_in, race, token, rows, range(stop + 1, 21))
    now = live.now_of(race)
    assert now.state.standing.laps_done == 20 and now.state.standing.stops == 1
    assert sum(time or 0.0 for time in now.state.times_s) == pytest.approx(own[-1])
    assert send(token, rows)[1]["new"] == sum(row.clock_s > own[-1] for row in rows)  # what was sent is there
    assert len(live.marks_of(race)) == 21


def test_lines_that_are_lost_come_late_or_are_corrected(client_in: Client, race: LiveRace, token: str) -> None:
    live.name_own_car(race, "7")
    send(token, [AtLine("7", 1, 80.0), AtLine("7", 4, 320.0)])
    part_of(client_in, race)
    assert live.now_of(race).state.times_s == (80.0, 80.0, 80.0, 80.0)
    send(token, [AtLine("7", 2, 156.0), AtLine("7", 3, 240.0)])
    part_of(client_in, race)
    assert live.now_of(race).state.times_s == (80.0, 76.0, 84.0, 80.0)
    send(token, [AtLine("7", 4, 318.0)])
    part_of(client_in, race)
    assert live.now_of(race).state.times_s == (80.0, 76.0, 84.0, 78.0)


def test_a_lap_by_key_and_by_timing_is_one(client_in: Client, race: LiveRace, token: str) -> None:
    live.name_own_car(race, "7")
    for lap in (1, 2):
        live.add_mark(race, "lap", f"k{lap}", 1_000_000 + 77_000 * lap, {"time_s": 77.0})
    send(token, [AtLine("7", 1, 76.5), AtLine("7", 2, 152.0), AtLine("7", 3, 228.0)])
    part_of(client_in, race)
    assert live.now_of(race).state.times_s == (76.5, 75.5, 76.0)
    live.undo(race, "z")
    part_of(client_in, race)
    assert live.now_of(race).state.times_s == (76.5, 75.5)  # what was taken back stays so
    assert [mark.timing_lap for mark in live.marks_of(race)] == [1, 2]


def test_an_owed_penalty_is_asked_about_rather_than_taken_for_a_stop(client_in: Client, race: LiveRace, token: str) -> None:
    live.name_own_car(race, "7")
    live.add_mark(race, "through", "t", 1_000_000, {})
    send(token, [AtLine("7", 1, 76.5, True)])
    part_of(client_in, race)
    assert [mark.kind for mark in live.marks_of(race)] == ["through", "lap"]


def test_the_page_of_the_other_cars_says_what_the_core_says(client_in: Client, race: LiveRace, token: str) -> None:
    address = reverse("race_rivals", args=[race.event_id, race.pk])
    assert "No other car is known yet" in client_in.get(address).content.decode()
    back = {"kind": "rival", "car": "44", "value": "3.5", "time": "1:17.2", "laps": "6", "back": "rivals"}
    assert client_in.post(reverse("mark_race", args=[race.event_id, race.pk]), back).headers["Location"] == address
    page = " ".join(client_in.get(address).content.decode().split())
    assert "3.5 s ahead" in page and '<td class="n">6</td>' in page and page.count(" %</td>") == 2
    for wrong, words in (({"kind": "rival", "value": "2"}, "Car"), ({"kind": "rival", "car": "4", "value": "far"}, "Ahead")):
        client_in.post(reverse("mark_race", args=[race.event_id, race.pk]), {**wrong, "back": "rivals"})
        assert words in client_in.get(address).content.decode()
    live.name_own_car(race, "7")
    rows = virtual_field(live.setup_of(race), "7", 5)
    end = next(row.clock_s for row in rows if row.car == "7" and row.lap == 6)
    send(token, [row for row in rows if row.clock_s <= end])
    part_of(client_in, race)
    page = " ".join(client_in.get(address).content.decode().split())
    assert "Where you come out" in page and "Other classes" in page
    assert page.count("<tr>") > 20 and "from the timing" in page
    assert client_in.get(reverse("race_rivals_part", args=[race.event_id, race.pk])).status_code == 200


def test_a_box_that_is_taken_moves_the_stop(client_in: Client, race: LiveRace) -> None:
    stop = live.setup_of(race).plan.stints[0].last_lap
    client_in.post(reverse("mark_race", args=[race.event_id, race.pk]), {"kind": "mate", "value": str(stop), "back": "rivals"})
    plan = live.now_of(race).advice.plan
    assert plan is not None and stop not in [stint.last_lap for stint in plan.stints[:-1]]
    assert f"none at the end of laps 1-5, {stop}" in part_of(client_in, race)


def test_the_simulated_timing_drives_the_race(client_in: Client, race: LiveRace, carried: list[int]) -> None:
    client_in.post(reverse("connect_timing", args=[race.event_id, race.pk]), {"own_car": "", "simulate": ""})
    job = Job.objects.get(kind="timing")
    race.refresh_from_db()
    assert race.own_car == tasks.OWN_CAR
    for _ in range(3):
        again = tasks.send_next_lap(job, QuietLine())
        assert isinstance(again, Again)
        job.arguments = again.arguments
        part_of(client_in, race)
    assert live.now_of(race).state.standing.laps_done == 3 and race.timing.values("car").distinct().count() == 20
    live.end(race)
    assert isinstance(tasks.send_next_lap(job, QuietLine()), Done)


def test_the_stand_in_outside_asks_for_a_race_that_is_on(race: LiveRace, token: str) -> None:
    with pytest.raises(CommandError, match="whose race is on"):
        call_command("virtual_timing", token, stdout=StringIO())


def test_rivals_and_timing_go_with_the_events_file(client_in: Client, race: LiveRace, token: str, event: Event) -> None:
    live.name_own_car(race, "7")
    send(token, [AtLine("7", 1, 76.5), AtLine("4", 1, 75.0, True, "A")])
    live.add_mark(race, "rival", "r", 1_000_000, {"car": "9", "value": 2.0, "laps": 4})
    event.name = "as it was before"
    text = write_event(event)
    again, new = read_event(event.owner, text.encode())
    assert new
    there = again.races.get()
    assert there.own_car == "7" and set(there.timing.values_list("car", "lap", "clock_s", "pit", "group")) == {
        ("7", 1, 76.5, False, ""), ("4", 1, 75.0, True, "A"),
    }  # fmt: skip
    assert [(mark.kind, mark.car, mark.value, mark.laps) for mark in there.marks.all()] == [("rival", "9", 2.0, 4)]
