"""Verdicts on tags and tyres, planned tests, the model's track record and calibration, visits, qualifying."""

import re
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apexcore.judge.calibration import SCALES
from apexcore.judge.plan import run_order
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events import facts
from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.runs.actions import send_virtual_driver, set_weather
from apextrim.runs.models import Run
from apextrim.runs.queries import in_one_weather
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.verdicts.models import Calibration, PlannedTest
from apextrim.verdicts.plan_views import runs_of_test
from apextrim.verdicts.queries import Judged, judged, judged_several, judged_sides
from apextrim.verdicts.record import track_record
from tests.apextrim.readings.test_readings import text_of

Drive = Callable[..., Run]


def tagged(drive: Drive, sheet: Sheet, seed: int, slower_s: float = 0.0, **tags: str) -> Run:
    run = drive(sheet, seed)
    run.tags = tags
    run.save()
    for lap in run.laps.all():
        lap.time_s += slower_s
        lap.save()
    return run


def test_a_tag_is_judged_like_a_sheet(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    for seed, line in enumerate(["early", "late", "late", "early", "early", "late"]):
        tagged(drive, first, seed, 0.8 * (line == "late"), line=line)
    url = f"/events/{event.pk}/verdicts/"
    page = text_of(client_in.get(url, {"by": "tag:line"}))
    assert "early is quicker than late by" in page and "s estimate" in page
    kept = text_of(
        client_in.post(f"{url}keep/", {"by": "tag:line", "a": "early", "b": "late", "margin": "0.1", "trust": "usual"}, follow=True)
    )
    assert "early is quicker than late" in kept and "by=tag%3Aline" in kept
    hardly = client_in.get(url, {"by": "tag:line", "a": "early", "b": "late", "trust": "little"}).context["judged"]
    usual = client_in.get(url, {"by": "tag:line", "a": "early", "b": "late"}).context["judged"]
    assert hardly.priors.fuel.sd == pytest.approx(6 * usual.priors.fuel.sd) and hardly.verdict != usual.verdict
    assert client_in.get(url, {"by": "tag:mood"}).status_code == 422


def test_several_tags_are_told_apart_when_driven_in_a_pattern(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    for seed, (line, prep) in enumerate([("a", "n"), ("b", "n"), ("a", "s"), ("b", "s")] * 2):
        tagged(drive, first, seed, 0.7 * (line == "b") - 0.6 * (prep == "s"), line=line, prep=prep)
    found = judged_several(event, 0.1)
    assert isinstance(found, list)
    (line, first_one), (prep, second_one) = found
    assert (line, prep) == ("line", "prep")
    assert first_one.verdict.low_s < 0.7 < first_one.verdict.high_s and second_one.verdict.low_s < -0.6 < second_one.verdict.high_s
    page = text_of(client_in.get(f"/events/{event.pk}/verdicts/", {"by": "several"}))
    assert "line a is quicker than line b" in page and "prep s is quicker than prep n" in page


def test_tyre_pairs_are_judged_and_other_sheets_warned_of(event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    for seed, compound in enumerate(["marl", "slate", "slate", "marl"]):
        drive(second if seed == 3 else first, seed, compound=compound)
    found = judged_sides(event, "tyres", ("marl", "slate"), ("marl", "slate"), 0.1)
    assert isinstance(found, Judged) and found.verdict.runs == (2, 2)
    assert any("different sheets (S1 and S2; S1)" in text for text in found.warnings)


def test_a_test_is_planned_driven_and_judged(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    url = f"/events/{event.pk}/verdicts/plan/"
    assert "Plan a test" in text_of(client_in.get(url))
    ask = {
        "a": str(first.pk), "b": str(second.pk), "tags": "", "difference": "0.4", "minutes": "120", "stop": "180", "scatter": "0.15",
        "shift": "0.07",
    }  # fmt: skip
    page = text_of(client_in.get(url, ask))
    assert "would be settled with a chance of" in page and "<li>S1</li> <li>S2</li> <li>S1</li> <li>S2</li>" in page
    client_in.post(f"{url}keep/", ask)
    test = PlannedTest.objects.get()
    assert test.power >= 0.8 and test.order == [list(marks) for marks in run_order(len(test.order), 1)]
    page = text_of(client_in.get(f"{url}{test.pk}/"))
    assert "Run 1 of" in page and "is next: S1" in page
    for seed, marks in enumerate(test.order):
        drive((first, second)[marks[0]], seed, laps=test.laps + 2)
    assert len(runs_of_test(test)) == len(test.order)
    page = text_of(client_in.get(f"{url}{test.pk}/"))
    assert "Every planned run is driven" in page and "driven with the wrong option" not in page
    link = re.search(r'press main" href="([^"]+)"', page)
    assert link is not None and "S1 is quicker than S2" in text_of(client_in.get(link.group(1).replace("&amp;", "&")))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"a": "", "b": ""}, "expected two different sheets"),
        ({"tags": "line early late"}, "Tags, line 1"),
        ({"tags": "line: early / early"}, "expected two different ones"),
        ({"tags": "a: 1 / 2\nb: 1 / 2\nc: 1 / 2\nd: 1 / 2"}, "at most 3"),
        ({"difference": "0"}, "0.01 to 5"),
        ({"minutes": "soon"}, "“soon”"),
    ],
)
def test_a_plan_that_cannot_be_says_what_is_expected(
    client_in: Client, event: Event, first: Sheet, second: Sheet, changes: dict[str, str], words: str
) -> None:
    ask = {"a": str(first.pk), "b": str(second.pk), "difference": "0.2", "minutes": "60", "stop": "180", "scatter": "0.2", "shift": "0.1"}
    response = client_in.get(f"/events/{event.pk}/verdicts/plan/", {**ask, **changes})
    assert response.status_code == 422 and words in text_of(response)


def test_a_pattern_of_tags_is_planned_and_found_again(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    ask = {
        "a": "", "b": "", "tags": "Line: early / late\nprep = new / scrubbed", "difference": "0.4", "minutes": "300", "stop": "60",
        "scatter": "0.15", "shift": "0.05",
    }  # fmt: skip
    client_in.post(f"/events/{event.pk}/verdicts/plan/keep/", ask)
    test = PlannedTest.objects.get()
    assert [difference[0] for difference in test.differences] == ["tag:line", "tag:prep"] and len(test.order[0]) == 2
    tagged(drive, first, 1, line="early", prep="new")
    tagged(drive, first, 2, line="early")  # half of it: not a run of the test
    assert len(runs_of_test(test)) == 1
    assert "by=several" in text_of(client_in.get(f"/events/{event.pk}/verdicts/plan/{test.pk}/"))


def test_the_track_record_sets_the_models_word_beside_the_laps(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive
) -> None:
    assert "No saved change has been driven" in text_of(client_in.get(f"/events/{event.pk}/verdicts/record/"))
    for seed in range(3):
        drive(first, seed), drive(second, seed + 10)
    found = track_record(event)
    assert len(found.changes) == 1 and found.off_s is None
    one = found.changes[0]
    assert one.modelled_s == second.modelled_s and one.score.agrees and one.measured_s[1] < one.measured_s[0] < one.measured_s[2]
    third = save_sheet(event, CoreSheet(event.car.key, {**first.values, "wing": 9}), first, "More wing")
    drive(third, 30), drive(third, 31)
    found = track_record(event)
    assert len(found.changes) == 2 and found.off_s is None  # two changes say nothing of the usual error
    page = text_of(client_in.get(f"/events/{event.pk}/verdicts/record/"))
    told = len(found.telling)
    assert (f"{found.agreeing} of {told} change" in page and "5 are needed" in page) if told else "No laps so far could have" in page
    assert "bits against" in page and all(change.score.words in page for change in found.changes)


@pytest.mark.usefixtures("at_once")
def test_a_calibration_changes_nothing_until_applied_and_is_taken_back(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    url = f"/events/{event.pk}/verdicts/record/"
    refused = client_in.post(f"{url}hold/")
    assert refused.status_code == 422 and "at least one with 3 timed laps" in text_of(refused)
    drive(first, 3, laps=8)
    drive(first, 4, laps=8, fuel_l=50)
    sheet = CoreSheet(event.car.key, first.values)
    before = answers.answer_of(event, sheet).lap.time_s
    page = text_of(client_in.post(f"{url}hold/", follow=True))
    row = Calibration.objects.get()
    event.refresh_from_db()
    assert "Left within the runs" in page and row.laps > 8 and answers.answer_of(event, sheet).lap.time_s == before
    assert row.spread["fuel"] < 0.03 and abs(row.scales["fuel"] - 1) < 0.12
    page = text_of(client_in.post(f"{url}{row.pk}/apply/", follow=True))
    event.refresh_from_db()
    assert "model calibrated to your laps" in page and set(event.calibration) == set(SCALES)
    assert answers.answer_of(event, sheet).lap.time_s != before
    assert facts.book_car_of(event).tyres == cases.car_of(event, calibrated=False).tyres != cases.car_of(event).tyres
    assert "model calibrated" in text_of(client_in.get(f"/events/{event.pk}/sheet/"))
    client_in.post(f"{url}take-back/")
    event.refresh_from_db()
    assert event.calibration == {} and answers.answer_of(event, sheet).lap.time_s == before
    assert "Nothing was applied" in text_of(client_in.post(f"{url}take-back/", follow=True))


def test_the_virtual_driver_drives_the_book_car_also_when_the_model_is_calibrated(event: Event, first: Sheet, drive: Drive) -> None:
    once = [lap.time_s for lap in drive(first, 9).laps.all()]
    event.calibration = dict.fromkeys(SCALES, 1.05)
    event.save()
    values: dict[str, Any] = {
        "sheet": first, "session": event.session, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "note": "",
    }  # fmt: skip
    again = send_virtual_driver(event, values, 7, 9)
    assert [lap.time_s for lap in again.laps.all()] == once


def test_two_visits_are_compared_with_the_weather_taken_out(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    url = f"/events/{event.pk}/verdicts/visits/"
    assert "no other event of this car" in text_of(client_in.get(url))
    spring = create_event(event.owner, "Spring", event.car, event.circuit, False, timezone.now() - timedelta(days=60))
    there = save_sheet(spring, CoreSheet(event.car.key, first.values), None, "the same")
    assert "Spring has no timed lap yet" in text_of(client_in.get(url, {"other": spring.pk}))
    for seed in range(2):
        drive(first, seed)
        values: dict[str, Any] = {
            "sheet": there, "session": spring.session, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "note": "",
        }  # fmt: skip
        send_virtual_driver(spring, values, 7, 50 + seed)
    page = text_of(client_in.get(url, {"other": spring.pk}))
    assert "data-verdict" in page and "The weather alone" in page and "not driven on the same sheets" not in page
    assert client_in.get(url, {"other": "x"}).status_code == 200


def test_qualifying_says_which_way_to_go_out(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    url = f"/events/{event.pk}/race/qualifying/"
    page = text_of(client_in.get(url))
    assert "Go for" in page and "Too few laps are known" in page
    for seed in range(3):
        drive(first, seed, laps=8)
    page = text_of(client_in.get(url, {"beat": "1:13,5"}))
    assert (
        "Lap-to-lap scatter" in page
        and "the chance to beat 1:13.50 is" in page
        and page.count("<td>scrubbed</td>") == page.count("<td>new</td>") == 8
    )
    wrong = client_in.get(url, {"beat": "quick"})
    assert wrong.status_code == 422 and "“quick” is not valid" in text_of(wrong) and 'value="quick"' in text_of(wrong)


def test_of_very_many_runs_the_newest_are_judged_and_that_is_said(event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    from apextrim.runs.models import Lap
    from apextrim.verdicts.queries import judged

    drive(first, 1), drive(second, 2)
    runs = Run.objects.bulk_create(
        Run(
            event=event, sheet=first, session=event.session, number=n, front="marl", rear="marl", tyre_age=0, fuel_l=30,
            conditions=event.conditions, made_at=event.made_at,
        )
        for n in range(10, 70)
    )  # fmt: skip
    Lap.objects.bulk_create(Lap(run=run, number=k, time_s=73.5 + 0.01 * k) for run in runs for k in range(1, 11))
    found = judged(event, first, second, 0.1)
    assert isinstance(found, Judged) and found.verdict.laps[0] <= 400 and found.runs[-1].run.number == 69
    assert any("Only the newest" in text for text in found.warnings) and found.verdict.laps[1] > 0


def test_every_sheet_is_judged_against_one_at_once(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    third = save_sheet(event, CoreSheet(event.car.key, {**first.values, "wing": 9}), first, "More wing")
    for seed in range(4):
        drive(first, seed), drive(second, seed + 10), drive(third, seed + 20)
    page = text_of(client_in.get(f"/events/{event.pk}/verdicts/", {"by": "sheet", "a": str(first.pk), "b": "every", "margin": "0.1"}))
    assert "S1 is quicker than S2" in page and "<h2>S3</h2>" in page and "every other" in page
    single = judged_sides(event, "sheet", (str(first.pk), str(second.pk)), ("S1", "S2"), 0.1)
    assert isinstance(single, Judged)
    several = client_in.get(f"/events/{event.pk}/verdicts/", {"a": str(first.pk), "b": "every"}).context["several"]
    of_second = next(sheet for name, sheet, _ in several if name == "S2")
    assert of_second.verdict.mean_s == pytest.approx(single.verdict.mean_s, abs=0.25)
    assert client_in.get(f"/events/{event.pk}/verdicts/", {"a": "77", "b": "every"}).status_code == 422


def test_the_next_planned_run_comes_filled_in(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    test = PlannedTest.objects.create(
        event=event, differences=[["tag:line", "early", "line early", "late", "line late"]], order=[[1], [0]], laps=4, difference_s=0.2,
        power=0.8, made_at=timezone.now(),
    )  # fmt: skip
    page = text_of(client_in.get(f"/events/{event.pk}/verdicts/plan/{test.pk}/"))
    link = re.search(r'press main" href="([^"]+)"', page)
    assert link is not None and 'value="line=late"' in text_of(client_in.get(link.group(1).replace("&amp;", "&")))
    bench = text_of(client_in.get(f"/events/{event.pk}/runs/", {"sheet": second.pk}))
    assert f'<option value="{second.pk}" selected>' in bench


def test_wet_runs_and_runs_that_somebody_left_out_are_judged_apart(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive
) -> None:
    runs = [drive((first, second)[seed % 2], seed) for seed in range(7)]
    wet, odd = runs[5], runs[6]
    url = reverse("run_weather", args=[event.pk, wet.pk])
    assert client_in.post(url, {"track_c": "24", "wet_pct": "70", "left_out": ""}).status_code == 302
    client_in.post(reverse("run_weather", args=[event.pk, odd.pk]), {"track_c": "39", "wet_pct": "0", "left_out": "broken damper"})
    wet.refresh_from_db()
    assert (
        wet.is_wet and wet.conditions["track_c"] == 24.0 and "70 % wet" in text_of(client_in.get(reverse("run", args=[event.pk, wet.pk])))
    )
    found = judged(event, first, second, 0.1)
    assert isinstance(found, Judged) and found.verdict.runs == (3, 2)
    assert f"1 run left out ({wet.name}): wet track." in found.warnings
    assert f"1 run left out ({odd.name}): broken damper." in found.warnings
    assert {run.pk for run in in_one_weather(list(event.runs.all()))[1]} == {wet.pk, odd.pk}
    listed = text_of(client_in.get(reverse("runs_bench", args=[event.pk])))
    assert ", wet" in listed and 'title="broken damper">left out' in listed
    back = client_in.post(url, {"track_c": "warm", "wet_pct": "170", "left_out": "x"})
    assert back.status_code == 422 and 'value="warm"' in back.content.decode() and 'value="x"' in back.content.decode()
    for run in event.runs.all():
        client_in.post(reverse("run_weather", args=[event.pk, run.pk]), {"track_c": "20", "wet_pct": "60", "left_out": ""})
    all_wet = judged(event, first, second, 0.1)
    assert isinstance(all_wet, Judged) and sum(all_wet.verdict.runs) == 7 and not any("left out" in text for text in all_wet.warnings)


def test_sheets_that_only_the_weather_parts_are_judged_together_and_it_is_said(
    event: Event, first: Sheet, second: Sheet, drive: Drive
) -> None:
    for seed in range(4):
        run = drive((first, second)[seed % 2], seed)
        set_weather(run, 20.0, 60.0 * (seed % 2), "")
    found = judged(event, first, second, 0.1)
    assert isinstance(found, Judged) and sum(found.verdict.runs) == 4
    assert any("Track changed exactly as the two did" in text for text in found.warnings)


def test_an_order_of_ones_own_is_planned_and_rated(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    url = f"/events/{event.pk}/verdicts/plan/"
    ask = {
        "a": str(first.pk),
        "b": str(second.pk),
        "difference": "0.4",
        "minutes": "120",
        "stop": "180",
        "scatter": "0.15",
        "shift": "0.07",
    }
    risky = text_of(client_in.get(url, {**ask, "order": "a b b a a b"}))
    assert "after run 3 would look like a difference" in risky and risky.count("<li>S1</li>") == 3
    safe = text_of(client_in.get(url, {**ask, "order": "ABABAB"}))
    assert "would look like a difference" not in safe and "<li>S1</li> <li>S2</li> <li>S1</li>" in safe
    for wrong in ("AAA", "ABC", "A", "AB" * 20):
        answer = client_in.get(url, {**ask, "order": wrong})
        assert answer.status_code == 422 and "both used" in answer.content.decode() and f'value="{wrong}"' in answer.content.decode()
    several = client_in.get(url, {**ask, "order": "ABAB", "tags": "line: early / late\nbias: low / high"})
    assert several.status_code == 422 and "needs one difference" in several.content.decode()
