"""All or nothing, also when something breaks in the middle or two windows act at once."""

import threading
from collections.abc import Callable
from unittest.mock import patch

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.db import OperationalError, connection, connections

from apexcore.errors import FileRejected
from apexcore.formats.laps_csv import write_laps
from apexcore.judge.laps import DrivenLap
from apextrim.events.models import Event, Knot
from apextrim.modelling import answers
from apextrim.runs.actions import add_laps, import_laps, send_virtual_driver
from apextrim.runs.models import Lap, Run
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from tests.apextrim.conftest import owner_with_event


def laps(*times: float) -> list[DrivenLap]:
    return [DrivenLap(number, time) for number, time in enumerate(times, start=1)]


def test_a_run_of_the_virtual_driver_that_breaks_leaves_nothing(event: Event, first: Sheet) -> None:
    values = {"sheet": first, "session": event.session, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "note": ""}
    knots = Knot.objects.count()
    with patch("apextrim.runs.actions.read_laps", side_effect=FileRejected(["broken on purpose"])), pytest.raises(FileRejected):
        send_virtual_driver(event, values, 6)
    assert Run.objects.count() == 0 and Lap.objects.count() == 0 and Knot.objects.count() == knots


def test_an_import_that_breaks_half_way_leaves_nothing(event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 1)
    before = run.laps.count()
    with patch.object(Lap.objects, "bulk_create", side_effect=OperationalError("disk full")), pytest.raises(OperationalError):
        import_laps(run, write_laps([DrivenLap(50, 73.0)]).encode())
    assert run.laps.count() == before


def test_laps_that_contradict_are_all_named_and_none_is_added(event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 1)
    there = list(run.laps.all())
    clash = [DrivenLap(there[0].number, there[0].time_s + 1), DrivenLap(there[1].number, there[1].time_s + 1), DrivenLap(90, 73.0)]
    with pytest.raises(FileRejected) as error:
        add_laps(run, clash)
    assert len(error.value.problems) == 2
    assert not run.laps.filter(number=90).exists()


def test_later_laps_join_without_becoming_out_laps(event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 1)
    run.laps.all().delete()
    assert add_laps(run, laps(86.0, 73.5, 73.4)) == 3
    assert add_laps(run, [DrivenLap(4, 73.6), DrivenLap(5, 73.5)]) == 2
    assert list(run.laps.values_list("kind", flat=True)) == ["out", "timed", "timed", "timed", "timed"]


@pytest.mark.django_db(transaction=True)
def test_two_windows_saving_at_once_get_two_sheets() -> None:
    _, event = owner_with_event("racer")
    base = core_sheet(event, None)
    first = save_sheet(event, base, None, "to begin with")
    start = threading.Barrier(2)
    failed: list[BaseException] = []

    def save(reason: str) -> None:
        try:
            start.wait(10)
            save_sheet(Event.objects.get(pk=event.pk), base, first, reason)
        except BaseException as error:
            failed.append(error)
        finally:
            connections.close_all()

    windows = [threading.Thread(target=save, args=(reason,)) for reason in ("left window", "right window")]
    for window in windows:
        window.start()
    for window in windows:
        window.join(30)
    assert not failed
    assert sorted(event.sheets.values_list("number", flat=True)) == [1, 2, 3]
    assert Knot.objects.filter(kind="sheet").count() == 3


def test_foreign_keys_are_enforced(event: Event) -> None:
    with connection.cursor() as cursor:
        assert cursor.execute("PRAGMA foreign_keys").fetchone() == (1,)


@pytest.mark.django_db
def test_an_interrupted_demo_leaves_no_account_behind() -> None:
    with patch("demo.management.commands.load_demo.load", side_effect=KeyboardInterrupt), pytest.raises(KeyboardInterrupt):
        call_command("load_demo")
    assert User.objects.count() == 0


def test_the_modelled_change_is_stored_with_the_sheet(event: Event, first: Sheet, second: Sheet) -> None:
    before = answers.answer_of(event, core_sheet(event, first)).lap.time_s
    after = answers.answer_of(event, core_sheet(event, second)).lap.time_s
    assert second.modelled_s == pytest.approx(after - before, abs=1e-9)
    assert first.modelled_s is None
