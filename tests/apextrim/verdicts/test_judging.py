"""Verdicts and the race, from laps that the virtual car drove."""

from collections.abc import Callable
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse

from apextrim.events.actions import change_conditions, change_rules
from apextrim.events.models import Event
from apextrim.runs.models import Run
from apextrim.runs.queries import rows_of
from apextrim.sheets.models import Sheet
from apextrim.verdicts.models import KeptVerdict
from apextrim.verdicts.sides import SHEET, TYRES, on_side, side_of


def url(name: str, event: Event, *more: int) -> str:
    return reverse(name, args=[event.pk, *more])


def choice(a: Sheet, b: Sheet, margin: str = "0.1") -> dict[str, Any]:
    """The form of two sheets to judge."""
    return {"a": a.pk, "b": b.pk, "margin": margin}


@pytest.fixture
def weekend(first: Sheet, second: Sheet, drive: Callable[..., Run]) -> tuple[Sheet, Sheet]:
    """Three runs of each of two sheets, in turn."""
    for seed in range(3):
        drive(first, 40 + seed)
        drive(second, 50 + seed)
    return first, second


def test_with_fewer_than_two_driven_sheets_the_bench_says_what_to_do(client_in: Client, event: Event, first: Sheet) -> None:
    assert b"A verdict needs laps with two sheets" in client_in.get(url("verdicts_bench", event)).content


def test_the_worse_sheet_is_found_and_said_first(client_in: Client, event: Event, weekend: tuple[Sheet, Sheet]) -> None:
    a, b = weekend
    response = client_in.get(url("verdicts_bench", event), choice(a, b))
    verdict = response.context["judged"].verdict
    assert verdict.mean_s > 0.1 and verdict.quicker < 0.05
    assert verdict.runs == (3, 3)
    page = response.content.decode()
    assert page.index("S1 is quicker than S2") < page.index("Laps corrected for fuel and tyre age")
    assert "Corrections applied" in page and "from your laps" in page


def test_the_bench_proposes_the_two_sheets_driven_last(client_in: Client, event: Event, weekend: tuple[Sheet, Sheet]) -> None:
    context = client_in.get(url("verdicts_bench", event)).context
    assert (context["a"], context["b"]) == tuple(row.name for row in weekend)


def test_a_sheet_without_laps_is_named(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]) -> None:
    drive(first, 1)
    page = client_in.get(url("verdicts_bench", event), choice(first, second)).content.decode()
    assert "S2 has no timed lap yet" in page


@pytest.mark.parametrize(
    ("change", "words"), [({"b": ""}, "B is not chosen"), ({"margin": "lots"}, "“lots”"), ({"margin": "-1"}, "0 to 5 s")]
)
def test_a_wrong_choice_is_named(client_in: Client, event: Event, weekend: tuple[Sheet, Sheet], change: dict[str, str], words: str) -> None:
    data = {"a": str(weekend[0].pk), "b": str(weekend[1].pk), "margin": "0.1"} | change
    response = client_in.get(url("verdicts_bench", event), data)
    assert response.status_code == 422 and words in response.content.decode()
    same = client_in.get(url("verdicts_bench", event), {"a": data["a"], "b": data["a"], "margin": "0.1"})
    assert "choose two different ones" in same.content.decode()


def test_a_spoiled_lap_is_left_out(client_in: Client, event: Event, weekend: tuple[Sheet, Sheet]) -> None:
    def used() -> int:
        query = choice(*weekend)
        return sum(client_in.get(url("verdicts_bench", event), query).context["judged"].verdict.laps)

    before = used()
    run = event.runs.all()[0]
    lap = run.laps.filter(kind="timed")[0]
    client_in.post(url("mark_lap", event, run.pk, lap.pk), {"kind": "spoiled"})
    assert used() == before - 1


def test_a_verdict_is_kept_as_it_stood(client_in: Client, event: Event, weekend: tuple[Sheet, Sheet], drive: Callable[..., Run]) -> None:
    data = choice(*weekend)
    response = client_in.post(url("keep_verdict", event), data)
    kept = KeptVerdict.objects.get()
    assert response["Location"] == url("kept_verdict", event, kept.pk)
    drive(weekend[1], 99)
    assert kept.sentence in client_in.get(response["Location"]).content.decode().replace("&#x27;", "'")
    assert event.knots.get(kind="verdict").text == kept.sentence


def test_a_hotter_track_weakens_the_verdict(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]
) -> None:
    drive(first, 1)
    change_conditions(event, {**event.conditions, "track_c": 45.0})
    drive(second, 2)
    page = client_in.get(url("verdicts_bench", event), choice(first, second)).content.decode()
    assert "S2 was driven on a track 15 °C hotter" in page
    assert "has only one run" in page


RULES = {"laps": 36, "pit_loss_s": 22.0, "tyre_change_s": 8.0, "compulsory": ("marl", "slate"), "least_stops": 1, "refuelling": True}


def test_the_race_is_planned_from_the_runs(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    change_rules(event, RULES)
    page = client_in.get(url("race_bench", event)).content.decode()
    assert "from your laps" not in page and "No laps driven yet" in page
    drive(first, 61, laps=14)
    drive(first, 62, laps=14, compound="slate")
    response = client_in.get(url("race_bench", event))
    view = response.context["view"]
    assert view.pace.fuel.laps > 15
    assert [ranked.gap_s for ranked in view.by_stops] == sorted(ranked.gap_s for ranked in view.by_stops)
    assert sum(ranked.chance or 0 for ranked in view.by_stops) == pytest.approx(1.0)
    page = response.content.decode()
    assert "from your laps" in page and "Start with" in page
    for ranked in view.by_stops:
        assert {"marl", "slate"} <= set(ranked.plan.compounds)


def test_the_pace_of_an_undriven_sheet_is_borrowed_and_said(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]
) -> None:
    change_rules(event, RULES)
    drive(second, 5)
    assert "S1, the sheet in the car, has no laps yet: the pace is that of S2" in client_in.get(url("race_bench", event)).content.decode()
    drive(first, 6)
    assert "Pace of S1, the sheet in the car, from its laps" in client_in.get(url("race_bench", event)).content.decode()


def test_a_plan_is_kept_on_the_thread(client_in: Client, event: Event, first: Sheet) -> None:
    change_rules(event, RULES)
    response = client_in.post(url("keep_plan", event), {"stops": "1"}, follow=True)
    assert "Race plan" in response.content.decode()
    assert event.knots.filter(kind="plan").count() == 1
    assert client_in.post(url("keep_plan", event), {"stops": "9"}).status_code == 422


def test_rules_that_collide_are_named(client_in: Client, event: Event, first: Sheet) -> None:
    change_rules(event, {**RULES, "laps": 20, "most_stops": 0, "least_stops": 0})
    page = client_in.get(url("race_bench", event)).content.decode()
    assert "No plan is legal" in page and "at most 0 stops; compulsory marl and slate" in page
    assert client_in.post(url("keep_plan", event), {"stops": "1"}).status_code == 200
    assert event.plans.count() == 0


@pytest.mark.parametrize(
    "tags", [{"line": "early"}, {"a__b": "x"}, {"quote'\"": "it's"}, {"line": "12"}, {"line": "null"}, {"l.x[0]": "ä"}]
)
def test_the_database_finds_the_runs_that_a_side_means(event: Event, first: Sheet, second: Sheet, tags: dict[str, str]) -> None:
    """`on_side` against `side_of`, which looks at each run."""
    for number, (sheet, front, rear, carried) in enumerate(
        [
            (first, "marl", "marl", tags),
            (second, "marl", "flint", {}),
            (first, "flint", "flint", {**tags, "x": "y"}),
            (second, "marl", "marl", {"line": "late"}),
        ],
        start=1,
    ):
        values = {"tyre_age": 0, "fuel_l": 30, "note": "", "conditions": {}, "made_at": event.made_at, "session": event.session}
        Run.objects.create(event=event, number=number, sheet=sheet, front=front, rear=rear, tags=carried, **values)
    rows = list(rows_of(event))
    for kind in (SHEET, TYRES, *(f"tag:{name}" for name in (*tags, "x", "line"))):
        for key in {side_of(kind)(run) for run in rows} - {None}:
            wanted = [run.pk for run in rows if side_of(kind)(run) == key]
            assert [run.pk for run in on_side(rows_of(event), kind, str(key))] == wanted, (kind, key)
    assert not on_side(rows_of(event), SHEET, "no number").exists()
