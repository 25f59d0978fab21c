"""The list of events, the brief, the circuit bench and the thread."""

import pytest
from django.test import Client
from django.urls import reverse
from pytest_django import DjangoAssertNumQueries

from apexcore.lap.driver import LEVELS
from apextrim.events import facts
from apextrim.events.models import Event, Knot
from apextrim.events.signals import Panel
from apextrim.modelling import cases
from apextrim.sheets.models import Sheet

CONDITIONS = {
    "air_c": "28", "track_c": "41,5", "humidity_pct": "40", "pressure_hpa": "1005", "wind_ms": "3", "wind_from_deg": "200", "rubber_pct": "60",
}  # fmt: skip
RULES = {
    "laps": "30", "formation_laps": "1", "pit_loss_s": "22", "tyre_change_s": "8", "least_stops": "1", "most_stops": "2",
    "compulsory": ["marl", "slate"], "refuelling": "on", "refuel_l_per_s": "2.5", "in_parallel": "on",
}  # fmt: skip


def url(name: str, event: Event) -> str:
    return reverse(name, args=[event.pk])


def expected(client: Client, event: Event) -> list[tuple[str, float, float]]:
    """The lap times that the brief expects."""
    panel: Panel = client.get(url("brief", event)).context["panels"][0]
    times: list[tuple[str, float, float]] = panel.context["expected"]
    return times


def test_an_event_is_begun_from_the_garage(client_in: Client, event: Event) -> None:
    data = {"name": "Reed Cup", "car": event.car_id, "circuit": event.circuit_id, "real_car": "yes"}
    response = client_in.post("/events/", data)
    new = Event.objects.get(name="Reed Cup")
    assert response["Location"] == url("brief", new)
    assert new.real_car
    assert [session.kind for session in new.sessions.all()] == ["practice", "qualifying", "race"]
    assert client_in.post("/events/", {**data, "name": ""}).status_code == 422


def test_the_brief_expects_three_drivers_in_order(client_in: Client, event: Event) -> None:
    times = expected(client_in, event)
    assert [who for who, _, _ in times] == ["newcomer", "midfield", "front-runner"]
    assert times[0][1] > times[1][1] > times[2][1] > 60
    assert all(spread > 0 for _, _, spread in times)


def test_hotter_air_is_saved_and_moves_the_model(client_in: Client, event: Event) -> None:
    before = expected(client_in, event)[2][1]
    assert client_in.post(url("save_conditions", event), CONDITIONS).status_code == 302
    event.refresh_from_db()
    assert facts.conditions_of(event).track_c == 41.5
    assert expected(client_in, event)[2][1] != before
    knot = event.knots.get(label="Weather")
    assert "air 22 → 28 °C" in knot.text
    client_in.post(url("save_conditions", event), CONDITIONS)
    assert event.knots.filter(label="Weather").count() == 1


@pytest.mark.parametrize(
    ("field", "typed", "words"),
    [
        ("air_c", "99", "Air temperature: “99” is not valid; expected -20 to 55 °C"),
        ("track_c", "warm", "“warm”"),
        ("humidity_pct", "", "required"),
        ("wind_ms", "3 kg", "no unit for it"),
    ],
)
def test_wrong_conditions_are_named_and_what_was_typed_stays(client_in: Client, event: Event, field: str, typed: str, words: str) -> None:
    response = client_in.post(url("save_conditions", event), {**CONDITIONS, field: typed})
    assert response.status_code == 422
    page = response.content.decode()
    assert words in page
    assert 'value="1005"' in page
    event.refresh_from_db()
    assert facts.conditions_of(event).air_c == 22.0


def test_rules_are_saved_with_units_and_bounds(client_in: Client, event: Event) -> None:
    assert client_in.post(url("save_rules", event), RULES).status_code == 302
    event.refresh_from_db()
    rules = facts.rules_of(event)
    assert (rules.laps, rules.compulsory, rules.tank_l) == (30, ("marl", "slate"), 62)
    assert client_in.post(url("save_rules", event), {**RULES, "laps": "2.5"}).status_code == 422
    assert client_in.post(url("save_rules", event), {**RULES, "compulsory": ["flint"]}).status_code == 422
    for work in ("a,b;c", "max(", "9" * 20, "fuel * 2", "((((" * 15):
        refused = client_in.post(url("save_rules", event), {**RULES, "crew_work": work})
        assert refused.status_code == 422 and "joined by + and max" in refused.content.decode(), work


def test_sessions_are_added_and_set(client_in: Client, event: Event) -> None:
    assert (
        client_in.post(url("save_session", event), {"name": "Warm-up", "kind": "practice", "starts_at": "2026-06-14T09:00"}).status_code
        == 302
    )
    session = event.sessions.get(name="Warm-up")
    assert client_in.post(url("save_now", event), {"session": session.pk, "real_car": "yes", "driver": "newcomer"}).status_code == 302
    event.refresh_from_db()
    assert cases.lap_case_of(event).driver == LEVELS["newcomer"]
    page = client_in.get(url("brief", event)).content.decode()
    assert "Warm-up" in page
    assert "never on a jack" in page  # the cautions of a real car
    assert client_in.post(url("save_session", event), {"name": "x", "kind": "party", "starts_at": "soon"}).status_code == 422


def test_a_simulator_shows_no_cautions(client_in: Client, event: Event) -> None:
    assert "never on a jack" not in client_in.get(url("brief", event)).content.decode()


def test_deleting_asks_and_can_be_undone(client_in: Client, event: Event) -> None:
    delete, restore = (reverse(name, args=["event", event.pk]) for name in ("delete", "restore"))
    assert b"with its sheets, runs, verdicts and plans?" in client_in.get(delete).content
    page = client_in.post(delete, follow=True).content.decode()
    assert "is in the bin" in page and restore in page
    assert client_in.get(url("brief", event)).status_code == 404
    client_in.post(restore)
    assert client_in.get(url("brief", event)).status_code == 200


def test_the_thread_is_in_time_order_and_every_knot_opens(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    frame = client_in.get(url("brief", event)).context["frame"]
    assert [knot.label for knot in frame.knots] == ["Brief", "S1", "S2"]
    for knot in frame.knots:
        assert client_in.get(knot.url).status_code == 200
    assert frame.facts[0] == "Brackendale Gannet" and "S1 in the car" in frame.facts
    Knot.objects.create(event=event, at=event.made_at, kind="sheet", label="S0", text="earlier", target=first.pk)
    assert client_in.get(url("brief", event)).context["frame"].knots[1].label == "S0"


def test_the_list_of_events_costs_few_queries(
    client_in: Client, event: Event, django_assert_max_num_queries: DjangoAssertNumQueries
) -> None:
    for number in range(12):
        Event.objects.create(owner=event.owner, name=f"E{number}", car=event.car, circuit=event.circuit, made_at=event.made_at)
    with django_assert_max_num_queries(10):
        client_in.get("/events/")
