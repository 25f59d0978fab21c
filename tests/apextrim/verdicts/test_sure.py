"""How sure the site says it is: plans named beforehand, the driver's other runs, pairs of tyres, proposals."""

from collections.abc import Callable
from datetime import timedelta

import pytest
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apexcore.judge.plan import TestPlan, run_order
from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.modelling import answers
from apextrim.race.queries import race_view
from apextrim.runs.actions import send_virtual_driver
from apextrim.runs.forms import OwnRunForm
from apextrim.runs.models import Run
from apextrim.runs.queries import burnt_by_runs, left_by_last, observed_by, rows_of, with_laps
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from apextrim.verdicts.actions import keep_test
from apextrim.verdicts.differences import Difference, Side
from apextrim.verdicts.earlier import history_of
from apextrim.verdicts.queries import Judged, judged, trusted
from apextrim.verdicts.sides import SHEET
from tests.apextrim.conftest import owner_with_event
from tests.apextrim.readings.test_readings import text_of

Drive = Callable[..., Run]


def plan(event: Event, first: Sheet, second: Sheet, runs: int, minutes_ago: float = 0.0) -> None:
    tried = Difference(SHEET, Side(str(first.pk), first.name), Side(str(second.pk), second.name))
    at = timezone.now() - timedelta(minutes=minutes_ago)
    keep_test(event, [tried], TestPlan(run_order(runs, 1), 6, 0.8, 60.0, True), 0.2, at)


def verdict_of(event: Event, first: Sheet, second: Sheet) -> Judged:
    found = judged(event, first, second, 0.1)
    assert isinstance(found, Judged)
    return found


def test_a_plan_made_beforehand_is_what_the_verdict_asks_for(event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    plan(event, first, second, 4)
    for seed in range(2):
        drive(first, seed), drive(second, seed + 10)
    assert verdict_of(event, first, second).verdict.bar.planned == 4
    drive(first, 30)
    late = verdict_of(event, first, second).verdict.bar
    assert late.late and late.chance == 0.995


def test_a_plan_made_when_most_is_driven_comes_too_late(event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    for seed in range(3):
        drive(first, seed), drive(second, seed + 10)
    plan(event, first, second, 4)
    assert verdict_of(event, first, second).verdict.bar.planned is None


def test_the_first_plan_counts_and_not_the_one_that_suits(event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    plan(event, first, second, 8, minutes_ago=5)
    plan(event, first, second, 4)
    for seed in range(2):
        drive(first, seed), drive(second, seed + 10)
    found = verdict_of(event, first, second)
    assert found.verdict.bar.early and found.text.startswith("Not yet, planned for 8 runs and 4 driven")


def test_the_page_shows_what_is_asked_for(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    for seed in range(2):
        drive(first, seed), drive(second, seed + 10)
    page = text_of(client_in.get(f"/events/{event.pk}/verdicts/"))
    assert "Asked for before it counts" in page and "99.0 %" in page and "learning, first lap of a day" in page


def test_other_events_and_other_sheets_of_the_owner_are_the_drivers_history(
    event: Event, first: Sheet, second: Sheet, drive: Drive
) -> None:
    for seed in range(2):
        drive(first, seed), drive(second, seed + 10)
    rows = with_laps(rows_of(event))
    book = answers.book_of(event, core_sheet(event, first))
    laps = [lap for run in observed_by(event, rows, lambda run: 0, book.fuel_l_per_lap) for lap in run.laps]

    def known() -> float:
        found = history_of(event, rows, laps, book.priors(), book.fuel_l_per_lap)
        return 0.0 if found is None else found.freedom

    assert known() == 0.0
    third = save_sheet(event, core_sheet(event, first), first, "again")
    for seed in range(3):
        drive(third, seed + 20)
    assert known() == 2.0
    other = create_event(event.owner, "last month", event.car, event.circuit, False)
    sheet = save_sheet(other, core_sheet(event, first), None, "as it was")
    values = {"sheet": sheet, "session": None, "front": "marl", "rear": "marl", "tyre_age": 0.0, "fuel_l": 30.0, "note": ""}
    for seed in range(4):
        send_virtual_driver(other, values, 6, seed)
    assert known() == 5.0
    somebody, theirs = owner_with_event("stranger")
    with_runs = save_sheet(theirs, core_sheet(theirs, None), None, "theirs")
    for seed in range(4):
        send_virtual_driver(theirs, {**values, "sheet": with_runs}, 6, seed)
    assert somebody != event.owner and known() == 5.0


def test_trust_widens_the_trend_too(event: Event, first: Sheet) -> None:
    priors = answers.book_of(event, core_sheet(event, first)).priors()
    assert priors.trend.sd == pytest.approx(0.6)
    assert trusted(priors, "little").trend.sd == pytest.approx(3.6)


def test_laps_of_the_day_before_a_run_are_counted_and_days_parted(event: Event, first: Sheet, drive: Drive) -> None:
    one, two, three = drive(first, 1), drive(first, 2), drive(first, 3)
    Run.objects.filter(pk=three.pk).update(made_at=three.made_at + timedelta(days=1))
    found = observed_by(event, with_laps(rows_of(event)), lambda run: 0, 1.9)
    by_run = {run.run.pk: run.laps for run in found}
    count = one.laps.count()
    assert by_run[one.pk][0].driven == 1.0  # the out-lap
    assert by_run[two.pk][0].driven == pytest.approx(count + 1.0)
    assert by_run[three.pk][0].driven == 1.0 and by_run[three.pk][0].day == by_run[one.pk][0].day + 1


def test_runs_on_unlike_tyres_are_a_pair_of_their_own_and_not_in_the_race(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive
) -> None:
    for seed in range(2):
        drive(first, seed), drive(second, seed + 10)
    before = race_view(event).pace.fade
    mixed = drive(second, 30)
    Run.objects.filter(pk=mixed.pk).update(front="slate", rear="marl")
    for lap in mixed.laps.all():
        lap.time_s += 3.0
        lap.save()
    view = race_view(event)
    assert view.unlike == 1 and view.pace.fade == before
    assert "1 run on unlike compounds front and rear" in text_of(client_in.get(f"/events/{event.pk}/race/"))
    page = text_of(client_in.get(f"/events/{event.pk}/verdicts/", {"by": "sheet", "a": str(first.pk), "b": str(second.pk)}))
    assert "tyre fade, Slate front, Marl rear" in page


def test_fuel_at_both_ends_of_runs_reaches_the_plan(event: Event, first: Sheet, drive: Drive) -> None:
    for seed in range(2):
        run = drive(first, seed)
        run.laps.update(fuel_l=None)
        Run.objects.filter(pk=run.pk).update(fuel_l=40.0, fuel_end_l=40.0 - 2.5 * run.laps.count())
    assert [one.litres / one.laps for one in burnt_by_runs(event)] == pytest.approx([2.5, 2.5])
    view = race_view(event)
    assert view.pace.fuel.mean_l == pytest.approx(2.5) and view.pace.fuel.laps > 0
    assert view.start_l * 10 == pytest.approx(round(view.start_l * 10))


def test_the_next_run_begins_as_the_last_one_ended(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    assert left_by_last(event) is None
    run = drive(first, 1)
    laps, burnt = run.laps.count(), sum(lap.fuel_l or 0.0 for lap in run.laps.all())
    form = OwnRunForm(event, left=left_by_last(event))
    assert form.initial["tyre_age"] == run.tyre_age + laps and form.initial["rear"] == run.rear
    assert form.initial["fuel_l"] == pytest.approx(run.fuel_l - burnt, abs=0.06)
    page = text_of(client_in.get(f"/events/{event.pk}/runs/"))
    assert f"Proposed as R1 left the car: {laps} laps on the tyres" in page
    Run.objects.filter(pk=run.pk).update(fuel_end_l=11.0)
    assert OwnRunForm(event, left=left_by_last(event)).initial["fuel_l"] == pytest.approx(11.0)


def test_figures_that_a_car_or_a_circuit_does_not_have_are_left_out(client_in: Client, event: Event) -> None:
    racer = event.owner
    kart, fen = racer.cars.get(key="wisp_125"), racer.circuits.get(key="quernlow")
    day = create_event(racer, "kart day", kart, fen, False)
    sheet = save_sheet(day, core_sheet(day, None), None, "base")
    page = text_of(client_in.get(reverse("sheet_figures", args=[day.pk, sheet.pk])))
    assert "This car brakes at the rear only: there is nothing to balance." in page and "Peak deceleration" not in page
    gt, mile = racer.cars.get(key="brackendale_gt"), racer.circuits.get(key="longreach")
    straight = create_event(racer, "mile", gt, mile, False)
    row = save_sheet(straight, core_sheet(straight, None), None, "base")
    assert "Nothing on this circuit is braked for" in text_of(client_in.get(reverse("sheet_figures", args=[straight.pk, row.pk])))
