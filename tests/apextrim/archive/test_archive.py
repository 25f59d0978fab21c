"""A whole event out of one installation and into another."""

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.utils import timezone

from apexcore.errors import FileRejected
from apexcore.judge.calibration import SCALES
from apexcore.trim.book.fields import Entered
from apextrim.archive.actions import event_file, read_event, write_event
from apextrim.book.actions import put
from apextrim.events.actions import change_item_rules
from apextrim.events.models import Event
from apextrim.lap import trainer
from apextrim.library.circuit_actions import save_notes
from apextrim.race import live
from apextrim.race.actions import keep_plan
from apextrim.race.queries import race_view
from apextrim.runs import logger
from apextrim.runs.actions import delete_run
from apextrim.runs.models import LapTrace, Run
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import sheet_in_car
from apextrim.verdicts.actions import keep_verdict
from apextrim.verdicts.models import Calibration, PlannedTest
from apextrim.verdicts.queries import Judged, judged
from apextrim.verdicts.record import apply_calibration
from tests.apextrim.readings.test_readings import a_stop
from tests.apextrim.runs.test_logger import stint
from tests.apextrim.test_access import begun

pytestmark = pytest.mark.slow  # each test has a whole event or database of its own

_TEXTS: list[str] = []


@pytest.fixture
def full(event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run], client_in: Client) -> Event:
    """An event with one of everything."""
    event.refresh_from_db()
    for seed in range(2):
        drive(first, seed), drive(second, seed + 5)
    delete_run(drive(first, 40))
    tagged = event.runs.get(number=1)
    tagged.tags, tagged.words, tagged.tyre_set, tagged.fuel_end_l = {"line": "late"}, {"entry": "even"}, "4", 12.5
    tagged.save()
    key, _ = logger.make_key(event, "box")
    from apexcore.formats.logger import read_json_lines

    logger.take(key, read_json_lines(stint().encode()))
    client_in.post(f"/events/{event.pk}/sheet/{first.pk}/readings/?run={tagged.pk}", a_stop())
    found = judged(event, first, second, 0.1)
    assert isinstance(found, Judged)
    keep_verdict(event, ((str(first.pk), "S1"), (str(second.pk), "S2")), found)
    keep_plan(event, race_view(event).by_stops[0].plan)
    race = begun(event)
    live.add_mark(race, "lap", "a", race.started_ms + 71_000, {})
    live.add_mark(race, "fuel", "b", race.started_ms + 72_000, {"litres": 3.0})
    live.follow(race)
    save_notes(event.circuit, {1: ("late", "early")})
    put(event, 1, "race", "mark", Entered("2nd board −8 m", 412.0))
    put(event, 3, "qualifying", "hazards", Entered("bites on worn tyres"))
    trainer.add_turn(event, [trainer.Told(1, 401.5, "early", 0.0), trainer.Told(3, 850.0, "", 0.2, (33.1, 33.4))], tagged)
    change_item_rules(event, {"wing": (1, 6)})
    PlannedTest.objects.create(
        event=event, differences=[["sheet", str(first.pk), "S1", str(second.pk), "S2"]], order=[[0], [1]], laps=4, difference_s=0.2,
        power=0.8, made_at=timezone.now(),
    )  # fmt: skip
    found_scales = Calibration.objects.create(
        event=event, scales={name: 1.01 + 0.01 * k for k, name in enumerate(SCALES)}, spread=dict.fromkeys(SCALES, 0.02), driver=0.3,
        driver_spread=0.1, laps=12, before_s=0.6, after_s=0.1, level_before_s=-0.5, level_after_s=0.02, made_at=timezone.now(),
    )  # fmt: skip
    apply_calibration(event, found_scales)
    event.refresh_from_db()
    return event


@pytest.fixture
def full_text(request: pytest.FixtureRequest) -> str:
    """The file of that event; made once a session, since the tests that spoil it only read it."""
    if not _TEXTS:
        _TEXTS.append(write_event(request.getfixturevalue("full")))
    return _TEXTS[0]


def test_another_installation_reads_it_back_without_loss(full: Event) -> None:
    text = write_event(full)
    other = User.objects.create_user("elsewhere", password="withy-bend-4")
    there, new = read_event(other, text.encode())
    assert new and there.owner == other and write_event(there) == text
    assert there.readings.get().run == there.runs.get(number=1)
    assert there.verdicts.get().key_a == str(there.sheets.get(number=1).pk)
    assert there.runs.count() == full.runs.filter(deleted_at=None).count() and sheet_in_car(there) == there.sheets.get(number=1)
    knot = there.knots.filter(kind="run").first()
    assert knot is not None and there.runs.filter(pk=knot.target or 0).exists()
    assert there.circuit.notes.get().qualifying == "late" and there.calibration == full.calibration


def test_the_same_file_again_adds_nothing_and_a_changed_car_gets_a_key_of_its_own(full: Event) -> None:
    text = write_event(full)
    assert read_event(full.owner, text.encode()) == (full, False) and Event.objects.filter(owner=full.owner).count() == 1
    content = json.loads(text)
    content["name"], content["car"]["mass"]["dry_kg"] = "A copy", content["car"]["mass"]["dry_kg"] + 10
    there, new = read_event(full.owner, json.dumps(content).encode())
    assert new and there.car.key == f"{full.car.key}_2" and there.circuit == full.circuit


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda c: c["runs"][0].update(sheet=77), "its sheet 77 is not in the file"),
        (lambda c: c["sheets"][0]["values"].pop("wing"), "the item “wing” is on only one"),
        (lambda c: c["sheets"].append(c["sheets"][0]), "number 1 stands there twice"),
        (lambda c: c["runs"][1].update(rear="soft"), "“soft” is no compound"),
        (lambda c: c["runs"][0]["laps"][0].update(time_s=-3), "runs.0.laps.0.time_s"),
        (lambda c: c.update(driver="ghost"), "driver: “ghost”"),
        (lambda c: c["rules"].update(laps=-1), "rules, laps"),
        (lambda c: c.update(format="apex-trim event 9"), "format"),
        (lambda c: c["conditions"].update(air_c=400), "conditions.air_c"),
    ],
)
def test_a_file_that_does_not_fit_together_is_refused_as_a_whole(full_text: str, db: None, spoil: Callable[[Any], Any], words: str) -> None:
    content = json.loads(full_text)
    spoil(content)
    other = User.objects.create_user("elsewhere", password="withy-bend-4")
    with pytest.raises(FileRejected) as caught:
        read_event(other, json.dumps(content).encode())
    assert words in " ".join(caught.value.problems) and not Event.objects.filter(owner=other).exists() and not other.cars.exists()


def test_an_event_goes_out_and_comes_in_through_the_pages(full: Event, stranger: Client) -> None:
    owner = Client()
    owner.force_login(full.owner)
    LapTrace.objects.all().delete()  # with them it is long enough to come in beside the requests
    response = owner.get(f"/events/{full.pk}/file/")
    assert response["Content-Disposition"].endswith('.json"')
    page = stranger.post("/events/bring-in/", {"file": SimpleUploadedFile("event.json", response.content)}, follow=True).content.decode()
    assert "is imported" in page and full.name in page.replace("&#x27;", "'")
    assert "Nothing" not in page
    wrong = stranger.post("/events/bring-in/", {"file": SimpleUploadedFile("event.json", b"{}")}, follow=True).content.decode()
    assert "does not say its format" in wrong
    assert event_file(full).name == full.name
