"""The trainer's page: feelings in two keys, samples of the virtual driver, turns taken back; and the lap in ten lines."""

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.lap import asked, trainer, trainer_presenters
from apextrim.lap.models import TrainedMark
from apextrim.runs.models import LapTrace, Run
from apextrim.runs.recorded import put_samples
from apextrim.sheets.models import Sheet
from tests.apextrim.lap.test_corner_page import words


def at(event: Event, name: str) -> str:
    return reverse(name, args=[event.pk])


def student(event: Event, number: int) -> trainer.Student:
    return next(one for one in trainer.students(event, asked.shown_case(event)) if one.number == number)


def test_feelings_move_marks_and_a_turn_is_taken_back(client_in: Client, event: Event, first: Sheet) -> None:
    begun = student(event, 1)
    assert begun.advice.word == "begin" and begun.next_m < begun.model_m - 10
    response = client_in.post(at(event, "trainer_felt"), {"felt_1": "e", "felt_3": "late", "mark_3": "bump +20"}, follow=True)
    assert "Turn 1: 2 corners told" in words(response)
    later, back = student(event, 1), student(event, 3)
    assert later.advice.word == "on" and later.next_m > begun.next_m and back.told[0].at_m == 865.0
    assert "Go on" in words(response) and TrainedMark.objects.filter(event=event, turn=1).count() == 2
    client_in.post(at(event, "trainer_back"))
    assert not TrainedMark.objects.exists() and student(event, 1).next_m == begun.next_m
    assert "no turn to take back" in words(client_in.post(at(event, "trainer_back"), follow=True))


def test_what_cannot_be_is_told_and_kept(client_in: Client, event: Event, first: Sheet) -> None:
    wrong = client_in.post(at(event, "trainer_felt"), {"felt_1": "sideways", "mark_1": "7th board", "felt_3": "good", "mark_3": "99999"})
    page = words(wrong)
    assert wrong.status_code == 422 and "corner 1, how it felt: “sideways”" in page and "corner 3, mark: “99999”" in page
    assert 'value="7th board"' in page and 'value="99999"' in page and not TrainedMark.objects.exists()
    assert "at least one corner" in words(client_in.post(at(event, "trainer_felt"), {"mark_1": "2nd board"}))
    for key in ("", "x", "9" * 40):
        assert client_in.post(at(event, "trainer_read"), {"run": key}).status_code == 422


@pytest.mark.thorough_only
def test_the_virtual_driver_is_taught_by_its_samples(client_in: Client, event: Event, first: Sheet) -> None:
    starts = {one.number: one.next_m for one in trainer.students(event, asked.shown_case(event))}
    for turn in range(1, 7):
        response = client_in.post(at(event, "trainer_drive"), follow=True)
        assert f"Turn {turn}:" in words(response), words(response)[:600]
    run = event.runs.order_by("-number").first()
    assert run is not None and LapTrace.objects.filter(lap__run=run).count() > 3
    assert "was read already" in words(client_in.post(at(event, "trainer_read"), {"run": run.pk}))
    ends = {one.number: one for one in trainer.students(event, asked.shown_case(event))}
    moved = [ends[number].next_m - start for number, start in starts.items() if number in (1, 3, 5, 9)]
    assert all(metres > 2.0 for metres in moved), moved
    assert all(-60.0 < one.advice.mark_m < 14.0 and one.advice.word != "stop" for one in ends.values())


def test_samples_of_another_logger_say_what_they_lack(client_in: Client, event: Event, first: Sheet, drive) -> None:  # type: ignore[no-untyped-def]
    run: Run = drive(first, 1)
    LapTrace.objects.all().delete()
    moments = 0.1 * np.arange(40.0)
    put_samples(run, moments, {"rpm": 5000.0 + np.arange(40.0)})
    page = words(client_in.post(at(event, "trainer_read"), {"run": run.pk}))
    assert "expected the channels distance_m, speed_kmh, brake_pct" in page
    run.chunks.all().delete()
    put_samples(run, moments, {"distance_m": np.full(40, 5.0), "speed_kmh": np.zeros(40), "brake_pct": np.zeros(40)})
    assert "show no corner" in words(client_in.post(at(event, "trainer_read"), {"run": run.pk}))


def test_the_lap_in_ten_lines_with_sectors_and_lanes(client_in: Client, event: Event, first: Sheet, drive) -> None:  # type: ignore[no-untyped-def]
    page = client_in.get(at(event, "lap_summary"))
    assert len(page.context["lines"]) == 10 and page.context["ideal_s"] is None and "No timed lap yet" in words(page)
    run: Run = drive(first, 1)
    page = client_in.get(at(event, "lap_summary"))
    timed = [lap for lap in run.laps.all() if lap.kind == "timed"]
    best = [min(lap.sectors_s[k] for lap in timed) for k in range(3)]
    assert [row.best_s for row in page.context["sectors"]] == best and page.context["ideal_s"] == pytest.approx(sum(best))
    assert page.context["best"].time_s == min(lap.time_s for lap in timed) >= sum(best)
    oval = event.owner.circuits.get(key="hollin_bowl")
    event.circuit, event.car = oval, event.owner.cars.get(key="drummock_stallard")
    event.save()
    event.runs.all().delete(), event.sheets.all().delete()
    event.refresh_from_db()
    page = client_in.get(at(event, "lap_summary"), {"laps": "12"})
    assert len(page.context["lanes"]) == 3 and len(page.context["rotations"]) == 5 and "off the better strip costs" in words(page)
    assert client_in.get(at(event, "lap_summary"), {"laps": "900"}).status_code == 422


def test_cards_say_what_the_book_says(client_in: Client, event: Event, first: Sheet) -> None:
    client_in.post(
        reverse("save_book", args=[event.pk, 1]), {"yours_mark": "2nd board -8", "yours_stewards": "white line", "for": "qualifying"}
    )
    card = words(client_in.get(reverse("corner_card", args=[event.pk, 1])))
    assert "2nd board −8 m" in card and "white line" in card and "modelled" in card
    assert client_in.get(reverse("corner_card", args=[event.pk, 99])).status_code == 404
    whole = words(client_in.get(at(event, "lap_card"), {"for": "wet"}))
    assert "Mark 2nd board −8 m, white line" in whole and "the lap, wet" in whole
    assert client_in.get(at(event, "lap_card"), {"for": "backwards"}).status_code == 200


def test_a_pass_is_called_late_from_even_chances_on_unless_the_driver_says_how_it_was() -> None:
    assert [trainer_presenters._kind("", late) for late in (0.1, 0.9)] == ["good", "late"]
    assert trainer_presenters._kind("early", 0.9) == "early"


def test_other_conditions_are_told_and_begin_farther_back(client_in: Client, event: Event, first: Sheet) -> None:
    assert client_in.post(at(event, "trainer_anew")).status_code == 422
    for _ in range(3):
        client_in.post(at(event, "trainer_felt"), {"felt_1": "g", "felt_3": "e"})
    before = student(event, 1)
    assert all(row.model_m is not None and row.board for row in before.told)
    page = words(client_in.post(at(event, "trainer_anew"), follow=True))
    assert "Turn 4: other conditions" in page
    after = student(event, 1)
    assert after.advice.word == "begin" and after.advice.mark_m < before.advice.mark_m
    assert after.advice.high_m - after.advice.low_m > before.advice.high_m - before.advice.low_m
    assert "Nothing was learnt since" in words(client_in.post(at(event, "trainer_anew")))
    client_in.post(at(event, "trainer_back"))
    assert student(event, 1).advice == before.advice
    client_in.post(at(event, "trainer_felt"), {"felt_1": "g", "mark_1": f"{before.told[-1].at_m:.0f}"})
    assert not student(event, 1).told[-1].board  # metres from the start are nothing that a driver sees


def test_on_a_real_car_the_run_off_is_asked_for_before_any_mark(client_in: Client, event: Event, first: Sheet) -> None:
    event.real_car = True
    event.save()
    asked_first = client_in.get(at(event, "trainer")).content.decode()
    assert "Is there run-off behind each" in asked_first and "Next mark" not in asked_first
    shown = client_in.get(at(event, "trainer"), {"runoff": "yes"}).content.decode()
    assert "Next mark" in shown and "Is there run-off" not in shown
    client_in.post(at(event, "trainer_felt"), {"felt_1": "e"})
    assert "Next mark" in client_in.get(at(event, "trainer")).content.decode()
    real = student(event, 1).advice
    event.real_car = False
    event.save()
    assert student(event, 1).advice.mark_m > real.mark_m


def test_nine_lates_end_without_a_mark_and_with_a_question(client_in: Client, event: Event, first: Sheet) -> None:
    for _ in range(9):
        client_in.post(at(event, "trainer_felt"), {"felt_1": "l"})
        if student(event, 1).advice.word == "stop":
            break
    page = words(client_in.get(at(event, "trainer")))
    assert (
        student(event, 1).advice.word == "stop"
        and "going back does not help" in page
        and "Have brakes, tyres, fuel or the wet changed" in page
    )


def test_another_weather_is_noticed_without_being_told(client_in: Client, event: Event, first: Sheet) -> None:
    """Rain after two turns, and a dry track again: marks go back by themselves each time; a degree more does not count."""
    for _ in range(2):
        client_in.post(at(event, "trainer_felt"), {"felt_1": "g"})
    dry = student(event, 1)
    assert not dry.others and dry.advice.word != "begin"
    shown = event.conditions
    Event.objects.filter(pk=event.pk).update(conditions=shown | {"track_c": shown["track_c"] + 3.0})
    event.refresh_from_db()
    assert student(event, 1).advice == dry.advice
    Event.objects.filter(pk=event.pk).update(conditions=shown | {"wet_pct": 60.0})
    event.refresh_from_db()
    wet = student(event, 1)
    assert wet.others and wet.advice.word == "begin" and wet.advice.mark_m < dry.advice.mark_m - 3.0
    assert "The weather has changed since you said" in words(client_in.get(at(event, "trainer")))
    client_in.post(at(event, "trainer_felt"), {"felt_1": "g"})
    told = student(event, 1)
    assert not told.others and told.advice.word != "begin" and "The weather has changed" not in words(client_in.get(at(event, "trainer")))
    Event.objects.filter(pk=event.pk).update(conditions=shown)
    event.refresh_from_db()
    again = student(event, 1)
    assert again.others and again.advice.word == "begin" and again.advice.mark_m <= dry.advice.mark_m
    assert student(event, 3).told == () and not student(event, 3).others
