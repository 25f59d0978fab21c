"""Numbers on pages are the core's own: sign, size and unit, view by view."""

import re
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apexcore.circuit.conditions import Conditions
from apexcore.judge.calibration import SCALES
from apexcore.lap.solver import solve_lap
from apexcore.race.course import course
from apexcore.race.happened import Setup
from apexcore.race.plans import Plan, Stint
from apexcore.race.rules import Level, Pace, RaceRules, TyrePace
from apexcore.race.simulation import Driver
from apexcore.trim.moves.advice import Candidate
from apexcore.trim.reading.analysis import analyse
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.race import after as race_after
from apextrim.race import card as race_card
from apextrim.race import presenters as race_presenters
from apextrim.race import spend_views
from apextrim.race.models import RaceMark
from apextrim.readings.views import _core
from apextrim.runs.models import Run, TyreReading
from apextrim.runs.queries import usual_use_l
from apextrim.sheets.models import Sheet
from apextrim.sheets.presenters import answer_view, balance_words
from apextrim.sheets.queries import core_sheet
from apextrim.verdicts.corner_views import PartLine
from apextrim.workshop import class_presenters
from apextrim.workshop.advice_presenters import AdviceCard, advice_cards
from tests.conftest import demo_car

pytestmark = pytest.mark.slow


def lap_s(event: Event, sheet: Sheet | CoreSheet, conditions: Conditions | None = None) -> float:
    """A modelled lap of the event's car, straight from the core."""
    core = sheet if isinstance(sheet, CoreSheet) else core_sheet(event, sheet)
    case = cases.case_of(event, core, conditions)
    return solve_lap(case.lap_case(), case.sheet()).time_s


def test_a_sheet_carried_over_tells_what_the_weather_costs_and_what_the_changes_gain(client_in: Client, event: Event, first: Sheet) -> None:
    today = Conditions.model_validate(event.conditions)
    cold = {"air_c": "8", "track_c": "9", "humidity_pct": "70", "pressure_hpa": "1010", "rubber_pct": "20", "wet_pct": "0"}
    then = today.model_copy(update={key: float(value) for key, value in cold.items()})
    page = client_in.get(reverse("carry_sheet", args=[event.pk, first.pk]), cold)
    context = page.context
    assert context["shift"] == pytest.approx(lap_s(event, first) - lap_s(event, first, then), abs=2e-3)
    changed = CoreSheet(event.car.key, {**first.values, **{part.item.key: part.value for part in context["found"].parts}})
    assert context["gain"] == pytest.approx(lap_s(event, changed) - lap_s(event, first), abs=2e-3)
    assert abs(context["shift"]) > 0.05 and abs(context["gain"]) > 0.02


def test_the_answer_of_the_bench_is_the_difference_of_two_laps(event: Event, first: Sheet, second: Sheet) -> None:
    def read(row: Sheet) -> Any:
        case = cases.case_of(event, core_sheet(event, row))
        return analyse(case.lap_case(), case.spans(), case.sheet())

    saved, now = read(first), read(second)
    view = answer_view(now, saved)
    assert view.change_s == pytest.approx(lap_s(event, second) - lap_s(event, first), abs=2e-3)
    assert view.top_change_kmh == pytest.approx(3.6 * (now.lap.column("speed").max() - saved.lap.column("speed").max()), abs=0.05)
    for pad, tyre in zip(view.pads, now.tyres, strict=True):
        assert pad.pressure_off == pytest.approx(tyre.hot_kpa - tyre.best_kpa)


def test_the_check_of_the_car_says_which_way_and_how_far(client_in: Client, event: Event, first: Sheet) -> None:
    item = cases.car_of(event).item("bar_front")
    there = {key: f"{value:g}" for key, value in first.values.items()} | {"bar_front": f"{first.values['bar_front'] - 2 * item.step:g}"}
    different = client_in.post(reverse("check_sheet", args=[event.pk, first.pk]), there).context["different"]
    assert [(one.name, one.correction) for one in different] == [(item.name, "2 steps up")]


def test_a_difference_tells_each_change_as_the_lap_with_it_alone(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    page = client_in.get(reverse("sheet_difference", args=[event.pk]), {"a": first.pk, "b": second.pk})
    ((_, found, _),) = page.context["pairs"]
    rows = {row.name: row for row in found}
    for key in ("final_drive", "wing"):
        item = cases.car_of(event).item(key)
        alone = CoreSheet(event.car.key, {**first.values, key: second.values[key]})
        assert rows[item.name].effect == pytest.approx(lap_s(event, alone) - lap_s(event, first), abs=2e-3), key


def test_the_file_of_effects_has_top_speed_in_kmh(client_in: Client, event: Event, first: Sheet) -> None:
    lines = client_in.get(reverse("sheet_effects_file", args=[event.pk, first.pk])).content.decode().splitlines()
    head = lines[0].split(",")
    column = next(k for k, name in enumerate(head) if "km" in name)
    told = {(line.split(",")[0], line.split(",")[1]): float(line.split(",")[column]) for line in lines[1:]}
    real = answers.effects_of(event, core_sheet(event, first))
    tops = sorted(3.6 * one.top_ms for one in real)
    assert sorted(told.values())[0] == pytest.approx(tops[0], abs=0.006) and sorted(told.values())[-1] == pytest.approx(tops[-1], abs=0.006)
    assert abs(tops[0]) > 0.3


# --- races

RULES = RaceRules(laps=20, most_stops=2, pit_loss_s=20, tank_l=60, refuelling=True, refuel_l_per_s=2.0, formation_laps=1.0)
PACE = Pace(80.0, (TyrePace("marl", 0.0, 0.05, 0.0, 30.0, 0.0),), 2.0, 0.03, 1.0)
PLAN = Plan((Stint("marl", 1, 8, 20.0), Stint("marl", 9, 12, 26.0)), 1700.0, 20.0, 0.0, 0.0)


def test_bars_and_fuel_rows_stand_where_the_laps_are() -> None:
    axis = race_presenters.lap_axis(20)
    one, two = PLAN.stints
    rows = race_presenters.fuel_rows(PLAN, 2.0, 2.0)
    left = next(row for row in rows if row.lap == 8)
    assert left.planned_l == pytest.approx(20.0 - 2.0 - 8 * 2.0)
    assert re.search(r"add 24\.0", left.stop), left.stop  # 26 wanted, 2 on board
    assert axis.at(one.first_lap - 1) == pytest.approx(axis.at(0)) and axis.at(two.first_lap - 1) == pytest.approx(axis.at(8))


def test_bars_of_a_plan_begin_with_its_stints_and_tell_what_is_added(event: Event) -> None:
    bars = race_presenters.stint_bars(RULES, 2.0, PLAN, cases.car_of(event))
    axis = race_presenters.lap_axis(20)
    assert [bar.x for bar in bars] == [pytest.approx(axis.at(0)), pytest.approx(axis.at(8))]
    assert "24.0 l of them added" in bars[1].words and "26.0 l at its start" in bars[1].words


def test_a_saved_litre_costs_what_the_level_loses_over_what_it_saves() -> None:
    level = Level(5.0, 0.2, 0.95, 0.97)
    row = spend_views._level_row(PACE, level, 20)
    assert row[1] == pytest.approx(0.2 / (2.0 * 0.05))


def test_a_race_driven_is_cut_into_stints_with_the_fuel_that_was_on_board(monkeypatch: pytest.MonkeyPatch) -> None:
    setup = Setup(RULES, PACE, PLAN, 0.2, 0.5)
    lap = RaceMark(kind="lap", time_s=80.0)
    pit = RaceMark(kind="pit", litres=24.0, compound="marl", age=3)
    monkeypatch.setattr("apextrim.race.live.setup_of", lambda race: setup)
    marks = [*[lap] * 8, pit, *[lap] * 12]
    monkeypatch.setattr("apextrim.race.live.marks_of", lambda race: marks)
    found = race_after._stints(None)  # type: ignore[arg-type]
    assert [(compound, age, round(fuel, 3), len(laps)) for compound, age, fuel, laps in found] == [
        ("marl", 0, 18.0, 8),
        ("marl", 3, 26.0, 12),
    ]


def test_the_card_fills_what_is_missing_and_tells_the_gap_of_the_other_plan(event: Event, monkeypatch: pytest.MonkeyPatch) -> None:
    ranked = [SimpleNamespace(plan=PLAN, gap_s=1.0), SimpleNamespace(plan=SimpleNamespace(stops=2, stints=()), gap_s=4.5)]
    view = SimpleNamespace(by_stops=ranked, pace=SimpleNamespace(pace=PACE, draws=()), rules=RULES)
    views = [SimpleNamespace(ranked=one, title=f"{one.plan.stops} stops", short="") for one in ranked]
    monkeypatch.setattr(race_card, "plan_views", lambda *args: views)
    assert race_card._other(PLAN, view, None, [])[1] == pytest.approx(3.5)  # type: ignore[arg-type]
    monkeypatch.setattr(race_card, "kept_plan", lambda row, levels: PLAN)
    monkeypatch.setattr("apextrim.race.odds.calls_of", lambda *args: ())
    made = race_card.card_of(None, view, cases.car_of(event), [], Driver(0.2, 0.0))  # type: ignore[arg-type]
    assert made is not None
    left = float(course(RULES, PACE, PLAN).left_l[7])
    assert made.stops[0].added_l == pytest.approx(26.0 - left, abs=0.51) and made.stops[0].added_l < 25.4


# --- runs and readings


def test_tread_left_is_a_share_for_the_core(event: Event, first: Sheet) -> None:
    values = {"cold_fl": 150.0, "hot_fl": 180.0, "left_fl": 40.0}
    reading = _core(TyreReading(event=event, sheet=first, values=values, conditions=event.conditions), 20.0)
    assert reading.wheels[0].left == pytest.approx(0.4)


def test_a_run_known_at_both_ends_burns_their_difference(event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 3, 5, fuel_l=30)
    run.fuel_end_l = 18.0
    assert usual_use_l(run, 9.9) == pytest.approx(12.0 / run.laps.count())
    run.fuel_end_l = None
    assert usual_use_l(run, 9.9) == 9.9


def test_the_balance_is_named_by_its_sign() -> None:
    assert [balance_words(value) for value in (3.0, -3.0, 0.5, -0.5)] == ["understeer", "oversteer", "neutral", "neutral"]


# --- advice, class search, corners and calibration


def test_advice_names_the_direction_of_its_steps_and_of_a_tyres_work() -> None:
    car = demo_car("brackendale_gt")
    sheet = base_sheet(car)
    item = next(one for one in car.items if one.key == "wing")

    def card(steps: int, work: float) -> AdviceCard:
        move = (item, steps, sheet.values["wing"] + steps * item.step)
        return advice_cards([Candidate((move,), 2.0, 0.0, 0.0, True, 0.0, ("", ""), (work, 0), 0.0)], sheet)[0]

    up, down = card(1, 0.05), card(-1, -0.05)
    assert "(1 step up)" in up.words and "(1 step down)" in down.words
    assert up.tyres.endswith("5.0 % harder") and down.tyres.endswith("5.0 % less")


def test_a_class_search_is_quicker_where_it_costs_less() -> None:
    car = demo_car("brackendale_gt")
    for best, sense in ((70.0, "2.00 s a lap quicker"), (74.0, "2.00 s a lap slower")):
        result = {"steps": [{"cost_s": best}], "best": 0, "before_s": 72.0, "broken": ()}
        assert sense in class_presenters._sentence(result, "lap", car, {"wing": 3.0}, "S1")


def test_a_part_agrees_with_the_model_within_its_interval() -> None:
    found = SimpleNamespace(low_s=-0.2, high_s=0.1)
    told = [PartLine("", found, value).agrees for value in (None, -0.3, -0.1, 0.0, 0.2)]  # type: ignore[arg-type]
    assert told == [True, False, True, True, False]


def test_a_calibration_of_nothing_reads_as_nothing(client_in: Client, event: Event, first: Sheet) -> None:
    scales = dict.fromkeys(SCALES, 1.0)
    event.calibrations.create(
        scales=scales, spread=dict.fromkeys(SCALES, 0.01), driver=0.0, driver_spread=0.01, laps=10, before_s=0.1, after_s=0.1,
        level_before_s=0.0, level_after_s=0.0, made_at=timezone.now(),
    )  # fmt: skip
    rows = client_in.get(reverse("track_record", args=[event.pk])).context["scales"]
    assert [row[1] for row in rows] == [0.0] * len(SCALES)
