"""The Race bench: rules that a form can say, days that used to be refused, ties and doubts said, kept plans whose car has changed."""

import re
from collections.abc import Callable

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.race import weather
from apexcore.race.plans import Plan, Stint
from apexcore.race.simulation import Outcome
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.race import odds, presenters, queries
from apextrim.race.models import KeptPlan
from apextrim.race.presenters import PlanView
from apextrim.race.queries import RankedPlan, race_view
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet_in_car
from tests.apextrim.lap.test_corner_page import words

RULES = {
    "laps": "30", "formation_laps": "1", "pit_loss_s": "22", "tyre_change_s": "6", "least_stops": "1", "most_stops": "3",
    "refuelling": "on", "refuel_l_per_s": "2", "in_parallel": "on",
}  # fmt: skip


def save(client: Client, event: Event, **changes: str) -> int:
    return client.post(reverse("save_rules", args=[event.pk]), {**RULES, **changes}).status_code


def test_further_rules_are_kept_and_hold_in_the_plans(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, least_standing_s="9", first_stop_lap="12", last_stop_lap="20", longest_stint="20") == 302
    event.refresh_from_db()
    rules = facts.rules_of(event)
    assert (rules.least_standing_s, rules.first_stop_lap, rules.last_stop_lap, rules.longest_stint) == (9.0, 12, 20, 20)
    for ranked in race_view(event).by_stops:
        ends = [stint.first_lap - 1 for stint in ranked.plan.stints[1:]]
        assert all(12 <= lap <= 20 for lap in ends) and max(stint.laps for stint in ranked.plan.stints) <= 20
        assert ranked.plan.pit_s >= ranked.plan.stops * (22 + 9) - 1e-9
    brief = words(client_in.get(reverse("brief", args=[event.pk])))
    assert "Longest stint, laps (0: any)" in brief
    assert save(client_in, event) == 302  # empty: as before
    assert save(client_in, event, first_stop_lap="25", last_stop_lap="5") == 302
    page = words(client_in.get(reverse("race_bench", args=[event.pk])))
    assert "no stop before lap 25" in page and "no stop after lap 5" in page


def test_what_used_to_be_an_error_is_an_answer(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, refuel_l_per_s="0") == 422
    assert save(client_in, event, laps="900", most_stops="40") == 302  # a day of short laps
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200
    event.refresh_from_db()
    view = race_view(event)
    assert sum(stint.laps for stint in view.by_stops[0].plan.stints) == 900 and len(view.by_stops) <= 6
    assert max(stint.fuel_l for stint in view.by_stops[0].plan.stints) <= facts.rules_of(event).tank_l + 1e-5
    assert save(client_in, event, laps="1", least_stops="0") == 302
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200
    event.refresh_from_db()
    event.rules["refuel_l_per_s"] = 1e-6  # stored by an earlier version
    event.save()
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200
    gone = KeptPlan.objects.create(event=event, stints=[["chalk", 20, 40.0]], time_s=1, start_fuel_l=40, text="?", made_at=event.made_at)
    page = words(client_in.get(reverse("kept_plan", args=[event.pk, gone.pk])))
    assert "chalk, which the car no longer has" in page


def test_a_reserve_is_for_what_one_tank_drives(client_in: Client, event: Event, first: Sheet) -> None:
    save(client_in, event, laps="30")
    event.refresh_from_db()
    short = race_view(event).margin_l
    save(client_in, event, laps="300", most_stops="20")
    event.refresh_from_db()
    assert race_view(event).margin_l == pytest.approx(short, rel=0.35)


def view_of(title: str, gap_s: float, chance: float) -> PlanView:
    plan = Plan((Stint("a", 1, 10, 20.0),), 100.0 + gap_s, 0, 0, 0)
    return PlanView(RankedPlan(plan, gap_s, gap_s - 1, gap_s + 1, chance), title, "is", [], "", "")


def test_ties_and_a_likelier_plan_are_said() -> None:
    assert presenters.doubts([view_of("1 stop", 0, 0.8), view_of("2 stops", 3, 0.2)]) == []
    assert presenters.doubts([view_of("1 stop", 0, 1.0)]) == []
    tie = presenters.doubts([view_of("1 stop", 0, 0.5), view_of("2 stops", 0.03, 0.5)])
    assert tie == ["2 stops take as long, within 0.05 s."]
    doubt = presenters.doubts([view_of("1 stop", 0, 0.15), view_of("2 stops", 0.6, 0.44), view_of("3 stops", 0.7, 0.41)])
    assert doubt == ["On average it is quickest; 2 stops would be more often, 44 % against 15 % of what the laps leave open."]


def test_a_standing_mile_is_planned_although_weight_helps_its_start(client_in: Client, event: Event) -> None:
    event.car, event.circuit = event.owner.cars.get(key="drummock_stallard"), event.owner.circuits.get(key="longreach")
    event.save()
    event.refresh_from_db()
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200
    assert all(draw.fuel_s_per_l >= 0.0 for draw in race_view(event).pace.draws)


def test_what_turns_the_order_and_the_fuel_by_lap_are_shown(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, wear_factor="3", fuel_factor="1.5", pit_loss_s="7") == 302
    event.refresh_from_db()
    view = race_view(event)
    page = client_in.get(reverse("race_bench", args=[event.pk]))
    rows = client_in.get(reverse("race_turns", args=[event.pk])).context["reverses"]
    assert [row.what for row in rows] == ["Pit lane", "Tyre fade", "Age of the cliff", "Refuelling rate"]
    better, other = view.by_stops[0].plan, view.by_stops[1].plan
    lane = 7.0 - (other.time_s - better.time_s) / (other.stops - better.stops)
    assert rows[0].turns == (f"{lane:.1f} s" if lane >= 0 else "nowhere near")
    grid = page.context["fuel_grid"]
    for lap, cells in grid.rows:
        assert cells == sorted(cells, reverse=True)
        row = next((one for one in page.context["fuel_rows"] if one.lap == lap), None)
        if row is not None:  # what is short is what the fuel by lap says is needed, reserve and all
            need = row.least_l + view.margin_l
            assert cells == pytest.approx([max(need - have, 0.0) / view.pace.pace.fuel_l_per_lap for have in grid.litres], abs=1e-6)
    fuel = page.context["fuel_rows"]
    assert fuel[-1].lap == 30 and fuel[-1].least_l == 0.0 and fuel[-1].planned_l == pytest.approx(view.margin_l, abs=0.01)
    assert all(row.planned_l >= row.least_l + view.margin_l - 0.01 for row in fuel)
    assert sum("add" in row.stop for row in fuel) == better.stops
    calm = race_view(Event.objects.get(pk=event.pk))
    assert calm.pace.pace.fuel_l_per_lap == view.pace.pace.fuel_l_per_lap
    save(client_in, event)  # the factors are left out: as the form was before
    event.refresh_from_db()
    assert race_view(event).pace.pace.fuel_l_per_lap == pytest.approx(view.pace.pace.fuel_l_per_lap / 1.5)


def test_fewer_stops_than_shown_are_explained_and_an_owed_stop_may_wait(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, laps="60", least_stops="0", most_stops="4") == 302
    event.refresh_from_db()
    page = words(client_in.get(reverse("race_bench", args=[event.pk])))
    shown = {ranked.plan.stops for ranked in race_view(event).by_stops}
    assert ("the tank of" in page) == (min(shown) > 0) and min(shown) > 0
    assert save(client_in, event, laps="40", least_stops="0", longest_stint="15") == 302
    page = words(client_in.get(reverse("race_bench", args=[event.pk])))
    assert "a stint may have 15 laps" in page or "the tank of" in page
    assert re.search(r"Stop at the end of lap \d+, fit \w+", page)
    waits = 0
    for minutes in ("24", "24.3", "24.6", "24.9", "25.2"):
        assert save(client_in, event, laps=f"{minutes} min", least_stops="1", longest_stint="") == 302
        event.refresh_from_db()
        view = race_view(event)
        told = "An owed stop may wait" in words(client_in.get(reverse("race_bench", args=[event.pk])))
        assert told == (queries.late_of(view.rules, view.pace.pace) is not None)
        waits += told
    assert waits < 5


def test_a_qualifying_attempt_carries_its_out_and_its_in_lap(client_in: Client, event: Event, first: Sheet) -> None:
    use = race_view(event).pace.pace.fuel_l_per_lap
    attempts = client_in.get(reverse("qualifying", args=[event.pk])).context["attempts"]
    assert attempts and all(litres == pytest.approx((attempt.laps + 2) * use) for attempt, litres in attempts)


def test_a_plans_places_are_told_from_the_first_on() -> None:
    outcome = Outcome((1.0, 2.0, 3.0), 2.0, 1.5, (0.6, 0.32, 0.08), 1.0, 3.0, (0.0, 0.0), 0.0)
    row = odds.odds_row("1 stop", "is", outcome)
    assert row.words == "place 1 to 2 in eight of ten races; first in 60 %"
    assert [bar.words for bar in row.bars] == ["place 1: 60 %", "place 2: 32 %", "place 3: 8 %"]


def test_more_stops_than_shown_are_explained_where_tyres_may_stay(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event, tyres_may_stay="on", most_stops="6", pit_loss_s="60") == 302
    page = client_in.get(reverse("race_turns", args=[event.pk])).content.decode()
    bench = client_in.get(reverse("race_bench", args=[event.pk])).content.decode()
    assert "take longer than those shown" in page + bench or "no plan comes within 10 s of the best" in page + bench


def test_most_points_and_a_safe_place_are_told() -> None:
    def row(title: str, mean_s: float, points: tuple[float, float, float], safe: tuple[int, float]) -> odds.OddsRow:
        told = Outcome((1.0, 2.0, 3.0), mean_s, 1.5, (0.6, 0.4), 0.5, 3.0, (0.0, 0.0), 0.0, points, safe)
        return odds.odds_row(title, "is" if title == "1 stop" else "are", told)

    quick, other = row("1 stop", 100.0, (10.0, 0.0, 0.0), (3, 12.0)), row("2 stops", 101.0, (11.0, 1.0, 0.1), (2, 8.0))
    said = odds.points_words([quick, other])
    assert said.startswith("2 stops bring most points, 11.0 on average, 1.0 more than the quickest, ± 0.2.")
    assert said.endswith("Place 2 for certain would bring 8, 3.0 less: what the chances are worth.")
    assert odds.points_words([quick]).endswith("Place 3 for certain would bring 12, 2.0 more: what the chances cost.")
    near = row("2 stops", 101.0, (10.1, 0.1, 0.1), (2, 10.1))
    assert odds.points_words([quick, near]).startswith("Points do not tell the plans apart")


@pytest.mark.thorough_only
def test_a_season_is_typed_and_comes_back_as_typed(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("save_field", args=[event.pk])
    page = client_in.get(reverse("race_odds", args=[event.pk])).content.decode()
    told = dict(re.findall(r'name="(\w+)" value="([^"]*)"', page)) | {"counted": "on"}
    typed = {**told, "points": "25 18,5 15", "results": "12; 0 9", "best_results": "2"}
    assert client_in.post(address, typed).status_code == 302
    event.refresh_from_db()
    around = facts.rules_of(event).around
    assert (around.points, around.results, around.best_results) == ((25.0, 18.5, 15.0), (12.0, 0.0, 9.0), 2)
    assert 'value="12 0 9"' in client_in.get(reverse("race_odds", args=[event.pk])).content.decode()
    wrong = client_in.post(address, {**typed, "results": "12 many"})
    assert wrong.status_code == 422 and "Points of race 2" in wrong.content.decode() and "12 many" in wrong.content.decode()


@pytest.mark.thorough_only
def test_following_says_what_the_tow_hides_and_loses_nothing_that_was_typed(client_in: Client, event: Event, first: Sheet) -> None:
    assert save(client_in, event) == 302
    address = reverse("race_spend", args=[event.pk])
    page = client_in.get(address, {"follow_gap": "6", "follow_laps": "3", "gap": "3.5"})
    found = answers.following_in(cases.case_of(event, core_sheet_in_car(event)), 6.0, 3)
    assert page.status_code == 200 and page.context["followed"] == found and f"{found.runs[0].go_s:.2f}" in words(page)
    assert 'name="gap" value="3.5"' in page.content.decode()  # the other form's
    for typed in ({"follow_gap": "near"}, {"follow_laps": "1"}, {"follow_gap": "9000"}):
        wrong = client_in.get(address, typed)
        assert wrong.status_code == 422 and 'aria-invalid="true"' in wrong.content.decode()


def test_scrub_or_save_reads_runs_on_both_kinds_of_set(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    """One of each is the least that tells; what the page says of a stint is the core's sum."""
    assert save(client_in, event) == 302
    address = reverse("qualifying", args=[event.pk])
    assert "1 on new sets" not in words(client_in.get(address))
    best = client_in.get(address).context["compound"].key
    for scrubbed in (False, True):
        run = drive(first, int(scrubbed) + 3, laps=9, compound=best)
        run.scrubbed = scrubbed
        run.save()
        if not scrubbed:
            assert "1 on new sets, 0 on scrubbed" in words(client_in.get(address))
    page = client_in.get(address)
    found = page.context["scrubbing"]
    assert found is not None and found.runs == (1, 1) and "cannot be told" in words(page)
    assert [row[1:3] for row in page.context["scrub_stints"]] == [found.over(laps) for laps in (3, 10, 20, 30)]


@pytest.mark.thorough_only
def test_lap_times_by_wetness_become_the_races_losses(client_in: Client, event: Event, first: Sheet) -> None:
    """A car without tyres for the wet has none to take; with them, what the page says is what the rules hold, and rain is planned by it."""
    assert save(client_in, event) == 302
    address = reverse("race_wet", args=[event.pk])
    assert "No tyres of this car are quicker on a soaked road" in words(client_in.get(address))
    assert client_in.post(address).status_code == 422
    car = facts.book_car_of(event)
    slick = car.tyres.compounds[0]
    wet = slick.model_copy(
        update={"key": "sedge", "name": "Sedge", "letter": "W", "mu": 1.15, "temperature_opt_c": 45.0, "wet_loss": 0.08, "wet_power": 1.0}
    )
    tyres = car.tyres.model_copy(update={"compounds": (*car.tyres.compounds, wet)})
    row = event.car
    row.data = car.model_copy(update={"tyres": tyres}).model_dump_json()
    row.save()
    event.refresh_from_db()
    page = client_in.get(address)
    found = page.context["losses"]
    assert found and found[0][0] == 0.0 and found[0][1] == 0.0 and found[-1][1] > found[-1][2] and "quicker from" in words(page)
    assert client_in.post(address, follow=True).status_code == 200
    event.refresh_from_db()
    assert facts.rules_of(event).wet_losses == found and "The race rules have these losses" in words(client_in.get(address))
    assert [tyre.key for tyre in race_view(event).pace.pace.tyres] == [
        one.key for one in car.tyres.compounds
    ]  # the race has its own for the wet
    typed = weather.losses_words(found)
    assert typed in client_in.get(reverse("brief", args=[event.pk])).content.decode()
    assert save(client_in, event, rain_from="10", rain_spread="2", wet_losses=typed) == 302
    assert client_in.get(reverse("race_bench", args=[event.pk])).status_code == 200
    assert save(client_in, event, wet_losses="10: 3") == 422
