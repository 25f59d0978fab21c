"""All or nothing, also when something breaks in the middle or two windows act at once."""

import threading
from collections.abc import Callable
from pathlib import Path
from unittest.mock import patch

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.db import OperationalError, connection, connections

from apexcore.circuit import track
from apexcore.errors import FileRejected
from apexcore.formats import circuits, laps_csv, values_json
from apexcore.formats.laps_csv import read_laps, write_laps
from apexcore.formats.values_json import write_sheet, write_value
from apexcore.judge import calibration
from apexcore.judge.laps import DrivenLap
from apexcore.lap import solver
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.archive.actions import read_event, write_event
from apextrim.events.models import Event, Knot
from apextrim.library.car_actions import add_car
from apextrim.library.circuit_actions import add_circuit, add_reversed, change_circuit
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers, cases
from apextrim.runs.actions import add_laps, send_virtual_driver
from apextrim.runs.models import Lap, Run
from apextrim.sheets.actions import fork_sheet, import_sheet, save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from apextrim.verdicts.record import hold_against_laps
from tests.apexcore.formats.test_formats import EXAMPLES
from tests.apextrim.commands import manage
from tests.apextrim.conftest import owner_with_event
from tests.conftest import demo_car


def laps(*times: float) -> list[DrivenLap]:
    return [DrivenLap(number, time) for number, time in enumerate(times, start=1)]


def test_a_run_of_the_virtual_driver_that_breaks_leaves_nothing(event: Event, first: Sheet) -> None:
    values = {"sheet": first, "session": event.session, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "note": ""}
    knots = Knot.objects.count()
    with patch.object(Lap.objects, "bulk_create", side_effect=OperationalError("disk full")), pytest.raises(OperationalError):
        send_virtual_driver(event, values, 6)
    assert Run.objects.count() == 0 and Lap.objects.count() == 0 and Knot.objects.count() == knots


def test_an_import_that_breaks_half_way_leaves_nothing(event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 1)
    before = run.laps.count()
    with patch.object(Lap.objects, "bulk_create", side_effect=OperationalError("disk full")), pytest.raises(OperationalError):
        add_laps(run, read_laps(write_laps([DrivenLap(50, 73.0)]).encode()))
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


@pytest.mark.django_db(transaction=True)
def test_nothing_is_read_or_solved_while_others_wait_for_the_write_lock(monkeypatch: pytest.MonkeyPatch) -> None:
    """Laps, lines and files are worked on outside of any transaction: a transaction here holds the only write lock."""
    user, event = owner_with_event("racer")
    asked: dict[str, int] = {}

    def watched(module: object, name: str) -> None:
        real = getattr(module, name)

        def outside(*args: object, **kwargs: object) -> object:
            assert not connection.in_atomic_block, f"{name} inside a transaction"
            asked[name] = asked.get(name, 0) + 1
            return real(*args, **kwargs)

        monkeypatch.setattr(module, name, outside)

    watched(solver, "run_at")
    watched(track, "_laid_out")
    for module, name in (
        (values_json, "json_of"),
        (circuits, "rows_of"),
        (circuits, "json_of"),
        (laps_csv, "rows_of"),
        (calibration, "_calibrated"),
    ):
        watched(module, name)
    event.conditions = {**event.conditions, "air_c": 21.37}  # no lap of it is in a cache
    event.save()

    add_car(user, write_value(demo_car("ferrow_lark").model_copy(update={"key": "another"})).encode())
    ring, _ = add_circuit(user, (EXAMPLES / "circuit_points.csv").read_bytes(), "Ring", 10.0, True)
    change_circuit(ring, parsed_circuit(ring.data).model_copy(update={"width_m": 12.0}))
    add_reversed(ring)
    base = base_sheet(cases.car_of(event))
    first = save_sheet(event, base, None, "First")
    save_sheet(event, CoreSheet(base.car_key, {**base.values, "wing": 3}), first, "Less wing")
    fork_sheet(event, first, "qualifying")
    import_sheet(event, write_sheet(CoreSheet(base.car_key, {**base.values, "wing": 5}), "S", "From a file").encode())
    values = {"sheet": first, "session": event.session, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "note": ""}
    run = send_virtual_driver(event, values, 8)
    add_laps(run, read_laps(write_laps([DrivenLap(50, 73.0)]).encode()))
    hold_against_laps(event)
    other = User.objects.create_user("elsewhere")
    read_event(other, write_event(event).encode())
    assert min(asked.get(name, 0) for name in ("run_at", "_laid_out", "json_of", "rows_of", "_calibrated")) > 0


@pytest.mark.django_db
def test_what_is_acknowledged_is_on_the_disk(tmp_path: Path) -> None:
    """Write-ahead log, synchronised at every commit (SQLite's documentation, PRAGMA synchronous: 2 is FULL); in a process of its own,
    since these tests themselves do not wait for the disk."""
    code = (
        "from django.db import connection\n"
        "with connection.cursor() as cursor:\n"
        "    print([cursor.execute(f'PRAGMA {name}').fetchone()[0] for name in ('journal_mode', 'synchronous', 'foreign_keys')])"
    )
    done = manage(tmp_path, "shell", "--no-imports", "-c", code)
    assert done.stdout.strip() == "['wal', 2, 1]", done.stderr[-500:]
