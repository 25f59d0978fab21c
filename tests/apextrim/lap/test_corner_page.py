"""A corner's page: numbers that are the core's own, awkward addresses, lines under a wish, notes, and what misses and savings come to."""

import json
import math

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.lap.wishes import Wish, asked_for
from apexcore.trim.corner import CornerDesk, Told, summary
from apexcore.trim.obstacles import SAFE_LAPS
from apexcore.trim.ways import ways
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.book.queries import obstacles_in
from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.lap import asked, corner_presenters
from apextrim.lap.costs_views import _TOLD_EVERYWHERE
from apextrim.lap.models import AskedLine
from apextrim.lap.told import told_of, told_text
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers, cases
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.work.models import Job
from tests.apextrim.readings.test_readings import text_of


def words(response: object) -> str:
    """A page's text with its white space folded."""
    return " ".join(text_of(response).split())


def desk(event: Event, number: int) -> CornerDesk:
    case = asked.shown_case(event)
    half = 0.5 * parsed_circuit(case.circuit).width_m
    return CornerDesk(case.lap_case(), case.sheet(), answers.answer_in(case).lap, case.spans(), number, half)


def test_every_choice_shown_is_the_cores_own_number(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("corner", args=[event.pk, 3])
    response = client_in.get(address, {"brake": "80", "coast": "25", "gear": "", "open": "", "lean": "", "ask": "1"})
    page, core = words(response), desk(event, 3)
    told = Told(braking=0.8, coast_m=25.0)
    (tried,) = response.context["tried"]
    assert tried.choice == core.choice(told, spread=True) and "brakes at 80 % at most, coast 25 m before the brakes" in page
    assert [one.told for one in response.context["usual"]] == [one.told for one in core.usual_choices()]
    assert f"{core.technique().read.brake_start_m:.0f} m" in page
    again = client_in.get(address, {"try": ["b80-c25", "g2"]})
    assert [one.choice.told for one in again.context["tried"]] == [told, Told(gear=2)]
    assert 'href="?try=g2"' in text_of(again)  # the first can be taken away


def test_awkward_addresses_lose_nothing_and_fail_nowhere(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("corner", args=[event.pk, 1])
    asked_oddly: tuple[dict[str, str], ...] = (
        {"try": "zzz"},
        {"try": "b900"},
        {"try": "g"},
        {"try": "-"},
        {"line": "x"},
        {"line": "9" * 30},
        {"try": "b80-b"},
    )
    for query in asked_oddly:
        assert client_in.get(address, query).status_code == 200
    assert client_in.get(reverse("corner", args=[event.pk, 99])).status_code == 404
    assert client_in.get(reverse("corner", args=[event.pk, 0])).status_code == 404
    wrong = client_in.get(address, {"brake": "harder", "gear": "99", "coast": "25", "ask": "1"})
    page = words(wrong)
    assert wrong.status_code == 422 and "harder" in page and 'value="25"' in page and 'aria-invalid="true"' in page
    empty = client_in.get(address, {"ask": "1"})
    assert empty.status_code == 200 and "Type at least one thing" in text_of(empty)
    impossible = client_in.get(address, {"try": "g9"})
    assert "the car has gears 1 to" in text_of(impossible)
    four = client_in.get(address, {"try": ["b90", "b80", "b70", "b60"]})
    assert len(four.context["tried"]) == 3
    added = client_in.get(address, {"try": ["b90", "b80", "b70"], "gear": "2", "ask": "1"})
    assert added.context["texts"] == ["b80", "b70", "g2"]  # the oldest gives way


def test_an_address_carries_what_is_told() -> None:
    for one in (Told(braking=0.0), Told(coast_m=40.0, gear=3), Told(opening=0.75, leaning=0.6), Told(through=0.5, lift_m=15.0)):
        assert told_of(told_text(one)) == one
    assert told_of("") is None and told_of("x1") is None


def test_without_a_quickest_line_no_other_is_made(client_in: Client, event: Event, first: Sheet) -> None:
    assert "find it on the Lap bench" in words(client_in.get(reverse("corner", args=[event.pk, 1])))
    answer = client_in.post(reverse("ask_line", args=[event.pk, 1]), {"wish": "late"})
    assert answer.status_code == 422 and "find it on the Lap bench" in words(answer) and not Job.objects.exists()


@pytest.mark.thorough_only
@pytest.mark.usefixtures("at_once")
def test_a_line_under_a_wish_is_made_kept_and_shown(client_in: Client, event: Event, first: Sheet) -> None:
    client_in.post(reverse("find_line", args=[event.pk]))
    address, ask = reverse("corner", args=[event.pk, 3]), reverse("ask_line", args=[event.pk, 3])
    event.refresh_from_db()
    client_in.post(ask, {"wish": "tight"})
    row = AskedLine.objects.get()
    case = asked.shown_case(event)
    free = asked.free_of(case)
    assert free is not None
    known = asked_for(parsed_circuit(case.circuit), case.lap_case(), case.sheet(), free, [Wish("tight", 3)])
    found = client_in.get(address, {"line": str(row.pk), "try": "g2"})
    shown = next(wish for wish, _ in found.context["wishes"] if wish.key == "tight")
    assert shown.here_s == pytest.approx(known.asked.time_s - known.free.time_s, abs=1e-6) and shown.lap_s > 0.0
    assert found.context["map"].other and "Hide" in text_of(found) and "?try=g2&amp;#lines" in text_of(found)
    client_in.post(ask, {"wish": "tight"})
    assert Job.objects.filter(kind="asked_line").count() == 1  # it is there
    wrong = client_in.post(ask, {"wish": "sideways"})
    assert wrong.status_code == 422 and "early apex" in words(wrong)
    event.driver = "newcomer"
    event.save()
    later = client_in.get(address)
    assert all(wish.state == "none" and on is None for wish, on in later.context["wishes"])  # made for another driver


@pytest.mark.usefixtures("at_once")
def test_a_line_of_an_event_that_has_changed_is_not_kept(
    client_in: Client, event: Event, first: Sheet, monkeypatch: pytest.MonkeyPatch
) -> None:
    line = asked.shown_case(event).lap_case().line
    event.line = json.dumps([round(float(value), 6) for value in line.offset])
    event.save()
    monkeypatch.setattr(asked, "wish_of", lambda key, corner: None)
    client_in.post(reverse("ask_line", args=[event.pk, 3]), {"wish": "late"})
    job = Job.objects.get()
    assert job.state == "done" and "has changed since" in " ".join(job.told) and AskedLine.objects.get().offsets_m == []


def test_a_corners_note_leaves_the_others_alone(client_in: Client, event: Event, first: Sheet) -> None:
    save = reverse("save_notes", args=[event.pk])
    client_in.post(save, {"qualifying_1": "one", "qualifying_2": "two"})
    answer = client_in.post(save, {"from": "corner", "qualifying_2": "second thoughts", "race_2": "lift early"})
    assert answer.headers["Location"] == reverse("corner", args=[event.pk, 2])
    notes = {note.number: (note.qualifying, note.race) for note in event.circuit.notes.all()}
    assert notes == {1: ("one", ""), 2: ("second thoughts", "lift early")}
    long = client_in.post(save, {"from": "corner", "race_2": "x" * 401})
    assert long.status_code == 422 and "401 characters" in text_of(long)


@pytest.mark.thorough_only
def test_misses_are_ranked_and_a_saving_is_worked_out(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("lap_costs", args=[event.pk])
    page = client_in.get(address)
    rows = page.context["rows"]
    assert [row.worst_s for row in rows] == sorted((row.worst_s for row in rows), reverse=True) and len(rows) == 9
    case = asked.shown_case(event)
    one = next(miss for miss in answers.misses_in(case) if miss.corner == 3 and miss.kind == "early")
    assert one == next(miss for miss in answers.misses_in(case, 3) if miss.kind == "early")
    view = page.context["saving"]
    lap = answers.answer_in(case).lap
    assert view.saved == pytest.approx(0.03 * lap.fuel_l, rel=0.1) and view.cost_s > 0.0 and view.lifts
    tyre = client_in.get(address, {"what": "rl", "share": "5"})
    assert tyre.context["saving"].unit == "kJ" and "rear left tyre" in words(tyre)
    much = client_in.get(address, {"what": "fuel", "share": "60"})
    assert "Lifting cannot save that much" in words(much)
    wrong = client_in.get(address, {"what": "beer", "share": "lots"})
    assert wrong.status_code == 422 and "lots" in text_of(wrong) and "saving" not in wrong.context


def test_an_oval_offers_its_lanes(client_in: Client, event: Event, first: Sheet) -> None:
    case = asked.shown_case(event)
    circuit = parsed_circuit(case.circuit)
    assert [offer.key for offer in asked.offers(event, case, case.spans()[0])][:5] == list(asked.PLAIN)
    laned = case._replace(circuit=circuit.model_copy(update={"lanes": 3}).model_dump_json())
    assert [offer.key for offer in asked.offers(event, laned, laned.spans()[0])][-3:] == ["lane-1", "lane-2", "lane-3"]
    assert asked.wish_of("lane-2", 1) == Wish("lane", 1, lane=2) and asked.wish_of("lane-99999", 1) is None
    assert asked.wish_of("at", 1) is None and asked.words_of("lane-2", 3) == "middle groove"
    assert asked.words_of("lane-4", 6) == "groove 4 from the bottom" and asked.words_of("tight", 3) == "tight all the way"


def test_the_card_says_the_lap_with_the_racers_notes_first(client_in: Client, event: Event, first: Sheet) -> None:
    client_in.post(reverse("save_notes", args=[event.pk]), {"qualifying_3": "third gear", "race_3": "roll <b>early</b>"})
    address = reverse("lap_card", args=[event.pk])
    page = client_in.get(address)
    rows = page.context["rows"]
    assert [row.span.number for row in rows] == list(range(1, 10)) and sum(row.dear for row in rows) == 3
    assert rows[2].note == "third gear" and rows[2].words == summary(desk(event, 3).technique())
    race = client_in.get(address, {"for": "race"})
    assert "roll &lt;b&gt;early&lt;/b&gt;" in text_of(race) and "third gear" not in text_of(race)
    dearest = {row.span.number for row in client_in.get(reverse("lap_costs", args=[event.pk])).context["rows"][:3]}
    assert {row.span.number for row in rows if row.dear} == dearest


@pytest.mark.thorough_only
@pytest.mark.usefixtures("at_once")
def test_a_heavy_and_a_light_kart_are_told_their_own_way_in_each_corner(client_in: Client, event: Event) -> None:
    """What the bench says in each corner, and its seconds, are the core's, and differ between the two where the core's do."""
    kart = event.owner.cars.get(key="wisp_125")
    seen = {}
    for name, driver_kg in (("light", 50.0), ("heavy", 108.0)):
        own = create_event(event.owner, name, kart, event.owner.circuits.get(key="quernlow"), False)
        base = base_sheet(cases.car_of(own))
        sheet = CoreSheet(base.car_key, {**base.values, "driver": driver_kg})
        save_sheet(own, sheet, None, name)
        client_in.post(reverse("find_line", args=[own.pk]))
        own.refresh_from_db()
        if name == "heavy":  # lines of every corner at once, on one of the two
            client_in.post(reverse("ask_all_lines", args=[own.pk]))
            assert Job.objects.get(kind="asked_lines").state == "done"
        page = client_in.get(reverse("lap_costs", args=[own.pk]))
        case = asked.shown_case(own)
        for row in page.context["choices"]:
            number = row.span.number
            core = CornerDesk(case.lap_case(), case.sheet(), answers.answer_in(case).lap, case.spans(), number, 4.0)
            assert row.ways == ways(core) and row.ways.driven.way == core.technique().way
            assert row.cells == ([core.choice(one).here_s for one in _TOLD_EVERYWHERE] if row.ways.driven.way == "brake" else [None, None])
            seen[name, number] = (row.ways.part.here_s, row.lines)
    numbers = sorted({number for _, number in seen})
    differ = [n for n in numbers if seen["light", n][0] != seen["heavy", n][0]]
    assert len(differ) > len(numbers) // 2 and all(line is None for n in numbers for line in seen["light", n][1])
    tight = [line for n in numbers if (line := seen["heavy", n][1][asked.PLAIN.index("tight")]) is not None]
    assert len(tight) >= len(numbers) - 2 and all(wish.here_s > -0.01 for wish, _ in tight)
    assert all(on.least_ms > 0.0 and on.way in ("brake", "lift", "flat") for _, on in tight)


def test_bumps_and_kerbs_stand_with_their_price(client_in: Client, event: Event, first: Sheet) -> None:
    """What the page says of each is the core's; a kerb's seconds are those of its line once there is one."""
    circuit = parsed_circuit(asked.shown_case(event).circuit)
    kinds = {marker.kind for marker in circuit.markers}
    assert {"bump", "kerb"} <= kinds
    seen = []
    for span in asked.shown_case(event).spans():
        page = client_in.get(reverse("corner", args=[event.pk, span.number]))
        bumps, kerbs = obstacles_in(asked.shown_case(event), span.number)
        rows = page.context["obstacles"]
        assert len(rows) == len(bumps) + len(kerbs) and ("Bumps and kerbs" in words(page)) == bool(rows)
        for row, bump in zip(rows, bumps, strict=False):
            assert row.cost_s == (None if bump.eased is None else bump.eased.cost_s) and f"{bump.lock_deg:.0f}° of lock" in row.crossed
            assert (row.easier == "") == (bump.once_in >= SAFE_LAPS)
        for row, kerb in zip(rows[len(bumps) :], kerbs, strict=True):
            assert row.cost_s is None and (row.risk == "the car takes it") == (not kerb.problem)
        seen += [row.words for row in rows]
    assert any(text.startswith("Bump") for text in seen) and any(text.startswith("Kerb") for text in seen)


@pytest.mark.parametrize(
    ("laps", "said"),
    [
        (1.2, "almost every lap"),
        (2.6, "once in 3 laps"),
        (17.4, "once in 17 laps"),
        (296, "once in 300 laps"),
        (math.inf, "less than once in 1,000 laps"),
    ],
)
def test_how_often_is_said_no_finer_than_it_is_known(laps: float, said: str) -> None:
    assert corner_presenters._once_in(laps) == said
