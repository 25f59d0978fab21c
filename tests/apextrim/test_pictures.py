"""Picture geometry and words: what is drawn says what was computed."""

from collections.abc import Callable

import numpy as np
import pytest

from apexcore.judge.laps import DrivenLap, figures
from apextrim.events.actions import change_rules
from apextrim.events.models import Event
from apextrim.library import stored
from apextrim.modelling import answers, cases
from apextrim.race.presenters import WIDTH as BAR_WIDTH
from apextrim.race.presenters import estimate_rows, plan_views
from apextrim.race.queries import race_view
from apextrim.runs.models import Run
from apextrim.runs.presenters import lap_picture
from apextrim.sheets.models import Sheet
from apextrim.sheets.presenters import PLACES, answer_view, balance_words, item_groups
from apextrim.sheets.queries import core_sheet_in_car
from apextrim.ui.circuit_map import HEIGHT, WIDTH, map_view
from apextrim.verdicts.presenters import evidence_picture, interval_picture, taken_out
from apextrim.verdicts.queries import Judged, judged

LAPS = [
    DrivenLap(1, 86.0, "out"),
    *[DrivenLap(n, 73.0 + 0.1 * n) for n in range(2, 8)],
    DrivenLap(8, 75.0, "spoiled"),
    DrivenLap(9, 81.0, "in"),
]


def test_slower_laps_stand_higher_and_what_is_beyond_the_scale_is_marked() -> None:
    picture = lap_picture(LAPS, figures(LAPS).median_s)
    assert picture is not None
    timed = [spot for spot in picture.spots if spot.kind == "timed"]
    assert [spot.y for spot in timed] == sorted((spot.y for spot in timed), reverse=True)
    assert [spot.x for spot in picture.spots] == sorted(spot.x for spot in picture.spots)
    assert [spot.beyond for spot in picture.spots if spot.kind in ("out", "in")] == [True, True]
    assert picture.median_y is not None and min(s.y for s in timed) < picture.median_y < max(s.y for s in timed)
    assert "Lap 1: 1:26.000, out-lap" in picture.spots[0].title
    assert lap_picture([], None) is None


def test_one_lap_alone_is_drawn_without_a_line() -> None:
    picture = lap_picture([DrivenLap(1, 73.0)], 73.0)
    assert picture is not None and picture.line == "" and len(picture.spots) == 1


@pytest.mark.parametrize(("value", "words"), [(5.0, "understeer"), (-5.0, "oversteer"), (0.4, "neutral"), (-0.4, "neutral")])
def test_balance_is_said_in_words(value: float, words: str) -> None:
    assert balance_words(value) == words


def test_balance_bars_point_to_the_axle_that_slides(event: Event) -> None:
    answer = answers.answer_of(event, core_sheet_in_car(event))
    view = answer_view(answer, answer)
    for speed, cells in view.rows:
        for phase, cell in zip(("entry", "mid", "exit"), cells, strict=True):
            assert cell.value == answer.grid[speed, phase]
            assert cell.value is not None
            assert (cell.x == 50) == (cell.value > 0) or cell.width == 0
            assert cell.width <= 50 and cell.change == 0
    assert view.change_s == 0
    assert sum(pad.share for pad in view.pads) == pytest.approx(1.0)


def test_every_item_has_one_place_and_a_short_label(event: Event) -> None:
    car = cases.car_of(event)
    groups = item_groups(car, core_sheet_in_car(event).values, {"wing": "9"}, {"wing": "too much"})
    assert [group.place for group in groups] == [index for index, _ in PLACES]
    views = {item.item.key: item for group in groups for item in group.items}
    assert set(views) == {item.key for item in car.items}
    assert (
        views["pressure_fl"].label == "Cold pressure"
        and views["bar_rear"].label == "Anti-roll bar"
        and views["brake_bias"].label == "Brake bias"
    )
    assert (views["wing"].text, views["wing"].saved, views["wing"].error) == ("9", "6", "too much")


def test_the_map_keeps_the_way_round_and_its_scale(event: Event) -> None:
    core, line, spans = stored.parsed_circuit(event.circuit.data), cases.lap_case_of(event).line, cases.spans_of(event)
    lap = answers.answer_of(event, core_sheet_in_car(event)).lap
    drawn = map_view(core, line, spans, lap.column("brake"), lap.column("throttle"))
    assert (len(drawn.markers), len(drawn.marks), len(drawn.sectors), len(drawn.strips)) == (9, 8, 2, 1)
    points = np.array([[float(v) for v in pair.split(",")] for _, path in drawn.line for pair in path[1:].split()])
    assert points[:, 0].min() > 0 and points[:, 0].max() < WIDTH and points[:, 1].min() > 0 and points[:, 1].max() < HEIGHT
    x, y = points[:, 0], points[:, 1]
    area = 0.5 * float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    turn = float((line.road[:, 0] * line.ds).sum())
    assert (area < 0) == (turn > 0)  # y grows downwards in a picture: a left-handed lap has a negative area
    drawn_length = float(np.hypot(np.diff(x), np.diff(y)).sum())
    assert drawn_length / drawn.scale_px * 100 == pytest.approx(line.length_m, rel=0.02)
    assert {kind for kind, _ in drawn.line} == {"brake", "full", "lift", "part"}


@pytest.fixture
def found(event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]) -> Judged:
    for seed in (70, 71):
        drive(first, seed)
        drive(second, seed + 10, compound="slate")
    result = judged(event, first, second, 0.1)
    assert isinstance(result, Judged)
    return result


def test_the_interval_is_drawn_in_order_with_quicker_to_the_left(found: Judged) -> None:
    picture = interval_picture(found.verdict)
    assert picture.low < picture.mean < picture.high
    assert picture.margin[0] < picture.zero < picture.margin[1]
    assert picture.margin_width == pytest.approx(2 * (picture.margin[1] - picture.zero))
    assert (picture.mean > picture.zero) == (found.verdict.mean_s > 0)


def test_the_evidence_shows_every_lap_once_in_the_order_driven(found: Judged) -> None:
    picture = evidence_picture(found)
    assert [run.name for run in picture.runs] == ["R1", "R2", "R3", "R4"]
    assert [run.side for run in picture.runs] == ["a", "b", "a", "b"]
    assert sum(len(run.spots) for run in picture.runs) == sum(found.verdict.laps) == len(found.verdict.cleaned_s)
    assert all(run.left < spot.x < run.right for run in picture.runs for spot in run.spots)
    assert "corrected" in picture.runs[0].spots[0].title and "driven" in picture.runs[0].spots[0].title


def test_unlike_tyres_are_told_by_their_names(found: Judged) -> None:
    run = found.runs[0].run
    run.front, run.rear = "marl", "slate"
    told = [what for what, _, _, _ in taken_out(found, {})]  # compounds that the judge knows beside those of the list
    assert "tyre fade, marl front, slate rear" in told
    run.rear = "marl"


def test_what_was_taken_out_names_only_the_compounds_driven(found: Judged) -> None:
    names = [what for what, _, _, _ in taken_out(found, {"marl": "Marl", "slate": "Slate"})]
    assert names == [
        "fuel weight",
        "tyre fade, Marl",
        "tyre fade, Slate",
        "track temperature",
        "trend of the session",
        "learning, first lap of a day",
        "spoiled laps without a mark",
        "run-to-run spread",
        "lap-to-lap scatter",
    ]
    assert any("different compounds" in text for text in found.warnings)


def test_stint_bars_fill_the_race_and_gaps_are_explained(event: Event, first: Sheet) -> None:
    change_rules(event, {"laps": 36, "pit_loss_s": 22.0, "tyre_change_s": 8.0, "least_stops": 1, "refuelling": True})
    view, car = race_view(event), cases.car_of(event)
    plans = plan_views(view, view.by_stops, car)
    for plan in plans:
        assert plan.bars[0].x == 0
        assert sum(bar.width + 2 for bar in plan.bars) == pytest.approx(BAR_WIDTH)
        assert sum(bar.laps for bar in plan.bars) == 36
        assert plan.said.count("laps on") == len(plan.bars)
    assert plans[0].why == "the best plan" and (plans[0].title, plans[0].verb) == ("1 stop", "is")
    assert "stops +" in plans[1].why
    parts = [view.by_stops[1].plan, view.by_stops[0].plan]
    gap = sum(getattr(parts[0], name) - getattr(parts[1], name) for name in ("pit_s", "tyre_s", "fuel_s"))
    assert gap == pytest.approx(view.by_stops[1].gap_s)


def test_estimates_say_their_source(event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    car = cases.car_of(event)
    change_rules(event, {"laps": 20, "pit_loss_s": 22.0})
    assert {row.source for row in estimate_rows(race_view(event), car)} == {"modelled"}
    drive(first, 5, laps=9)
    rows = {row.what: row for row in estimate_rows(race_view(event), car)}
    assert rows["Fuel per lap"].source == "laps" and rows["Marl: fade"].source == "laps"
    assert rows["Slate: fade"].source == "modelled" and rows["Marl: cliff"].source == "modelled"
