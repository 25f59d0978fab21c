"""The racer's book: two windows, marks that are gone, circuits that change under it, other events and files, what drives by it."""

import json
from collections.abc import Callable

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from apexcore.trim.drawn import drawn_choice, handles
from apextrim.book.models import BookEntry
from apextrim.book.queries import desk_in, told_by_book
from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.lap import asked
from apextrim.library.circuit_actions import change_circuit
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.race.queries import race_view
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from tests.apextrim.lap.test_corner_page import words
from tests.apextrim.readings.test_readings import text_of


def save(client: Client, event: Event, number: int, variant: str = "qualifying", was: dict[str, str] | None = None, **typed: str):  # type: ignore[no-untyped-def]
    data = {"for": variant, **{f"yours_{key}": text for key, text in typed.items()}, **{f"was_{k}": t for k, t in (was or {}).items()}}
    return client.post(reverse("save_book", args=[event.pk, number]), data, follow=True)


def test_a_page_is_kept_beside_the_models_values(client_in: Client, event: Event, first: Sheet) -> None:
    response = save(client_in, event, 1, mark="2nd board -8", gear="3", apex="late", hazards="oil  at the  apex", room="0,5")
    assert response.status_code == 200 and "5 fields saved" in words(response)
    kept = {row.field: (row.text, row.at_m) for row in event.book.filter(corner=1)}
    assert kept["mark"] == ("2nd board −8 m", 412.0) and kept["hazards"] == ("oil at the apex", None) and kept["room"][0] == "0.5 m"
    page = client_in.get(reverse("corner", args=[event.pk, 1]))
    rows = {row.field.key: row for row in page.context["book_rows"]}
    assert rows["mark"].yours == "2nd board −8 m" and rows["mark"].model == desk_in(asked.shown_case(event), 1).proposal()["mark"]
    race = client_in.get(reverse("corner", args=[event.pk, 1]), {"for": "race"})
    rows = {row.field.key: row for row in race.context["book_rows"]}
    assert rows["mark"].yours == "" and rows["mark"].usual == "2nd board −8 m"
    assert rows["mark"].model == desk_in(asked.shown_case(event), 1, "race").proposal()["mark"] != page.context["book_rows"][1].model
    assert "Nothing changed" in words(save(client_in, event, 1, mark="2nd board −8 m", was={"mark": "2nd board −8 m"}))
    save(client_in, event, 1, mark="", was={"mark": "2nd board −8 m"})
    assert not event.book.filter(field="mark").exists()


def test_what_cannot_be_is_told_beside_its_field_and_nothing_typed_is_lost(client_in: Client, event: Event, first: Sheet) -> None:
    response = save(client_in, event, 1, mark="7th board", gear="9", apex="late", share="140", stewards="<b>white line</b>")
    page = words(response)
    assert response.status_code == 422 and not event.book.exists()
    for said in ("1st board, 150 board, 2nd board", "1 to 6", "0 to 100", 'value="7th board"', 'value="140"', "&lt;b&gt;white line"):
        assert said in page, said
    rows = {row.field.key: row for row in response.context["book_rows"]}
    assert rows["apex"].picked == "late"
    assert save(client_in, event, 1, mark="x" * 5000).status_code == 422
    assert client_in.post(reverse("save_book", args=[event.pk, 99])).status_code == 404
    assert client_in.get(reverse("corner", args=[event.pk, 1]), {"for": "sideways"}).status_code == 200


def test_two_windows_on_one_corner_lose_nothing(client_in: Client, event: Event, first: Sheet) -> None:
    save(client_in, event, 1, mark="2nd board", gear="3")
    was = {"mark": "2nd board", "gear": "3", "apex": ""}
    save(client_in, event, 1, was=was, mark="2nd board -5", gear="3", apex="")  # one window
    other = save(client_in, event, 1, was=was, mark="2nd board", gear="2", apex="late")  # left the mark alone
    assert other.status_code == 200
    assert {row.field: row.text for row in event.book.all()} == {"mark": "2nd board −5 m", "gear": "2", "apex": "late"}
    clash = save(client_in, event, 1, was=was, mark="2nd board +4", gear="2", apex="late")
    assert clash.status_code == 422 and "another window put “2nd board −5 m” here meanwhile" in words(clash)
    assert 'value="2nd board +4"' in text_of(clash) and event.book.get(field="mark").text == "2nd board −5 m"
    again = {row.field.key: row.was for row in clash.context["book_rows"]}
    assert save(client_in, event, 1, was=again, mark="2nd board +4", gear="2", apex="late").status_code == 200
    assert event.book.get(field="mark").at_m == 424.0


def test_what_was_tried_goes_into_the_book_as_the_core_has_it(client_in: Client, event: Event, first: Sheet) -> None:
    keep = reverse("keep_choice", args=[event.pk, 3])
    response = client_in.post(keep, {"try": "b80-c20-g3-o90-l60", "for": "race"}, follow=True)
    assert "6 fields in your book" in words(response)
    kept = {row.field: row.text for row in event.book.filter(variant="race")}
    assert kept == {"way": "brake", "brake": "80 %", "coast": "20 m", "gear": "3", "share": "90 %", "lean": "60 %"}
    client_in.post(reverse("undo_book", args=[event.pk]))
    assert not event.book.exists()
    client_in.post(reverse("undo_book", args=[event.pk]))
    assert event.book.count() == 6  # the undo can be undone
    for odd in ({"try": "zz"}, {"try": "g9"}, {}, {"drag": "1,2"}, {"drag": "0,0,44,0,0"}, {"drag": "a,b,c,d,e"}):
        assert "is not valid" in words(client_in.post(keep, odd, follow=True))
    desk = desk_in(asked.shown_case(event), 3)
    _, line = drawn_choice(desk.desk, desk.circuit, [0, -0.2, 0.0, -0.2, 0])
    drawn = client_in.post(keep, {"drag": "0,-0.2,0,-0.2,0", "for": "defending"}, follow=True)
    assert drawn.status_code == 200
    assert {row.field: row.text for row in event.book.filter(variant="defending")} == {
        key: text.replace("−", "−") for key, text in desk.on_line(line).items()
    }


def test_a_line_is_drawn_and_answered_as_the_core_has_it(client_in: Client, event: Event, first: Sheet) -> None:
    desk = desk_in(asked.shown_case(event), 5)
    places = handles(desk.desk, desk.circuit)
    move = round(0.2 * max(places[1].low_m, -3.0), 2)
    choice, _ = drawn_choice(desk.desk, desk.circuit, [0, move, 0, 0, 0])
    page = client_in.get(reverse("corner", args=[event.pk, 5]), {"d2": f"{move}".replace(".", ",")})
    assert page.context["drawn"] == choice and "your line" in words(page) and page.context["map"].other
    told = client_in.get(reverse("draw_line", args=[event.pk, 5]), {"d2": str(move)})
    assert "data-path" in text_of(told) and told.context["drawn"] == choice
    off = client_in.get(reverse("draw_line", args=[event.pk, 5]), {"d3": "60"})
    assert off.status_code == 200 and "Line at place 3" in words(off)
    assert "It is the line driven" in words(client_in.get(reverse("draw_line", args=[event.pk, 5])))
    wrong = client_in.get(reverse("corner", args=[event.pk, 5]), {"d1": "left a bit", "d4": "0.1"})
    assert wrong.status_code == 422 and "left a bit" in words(wrong) and 'value="0.1"' in text_of(wrong)
    assert client_in.get(reverse("draw_line", args=[event.pk, 77])).status_code == 404


def test_a_book_goes_with_its_corners_when_the_circuit_changes(client_in: Client, event: Event, first: Sheet) -> None:
    for number in (2, 3, 4):
        save(client_in, event, number, gear="3", hazards=f"of {number}")
    client_in.post(reverse("save_notes", args=[event.pk]), {"qualifying_3": "third", "race_4": "fourth"})
    core = parsed_circuit(event.circuit.data)
    segments = list(core.segments)
    at = next(k for k, one in enumerate(segments) if getattr(one, "name", "") == "Heron Hook")
    segments[at : at + 3] = [segments[at].model_copy(update={"angle_deg": 58.0, "name": ""})]  # two corners become one without a name
    from apexcore.circuit.track import centre_line

    joined = core.model_copy(update={"segments": tuple(segments), "markers": (), "sectors_m": (), "strips": ()})
    centre_line(joined)
    said: list[str] = []
    assert change_circuit(event.circuit, joined, said)
    told = " ".join(said)
    assert "the book of corner 5" not in told and "The notes of corner 4 went to corner" in told
    rows = {(row.corner, row.field): row.text for row in BookEntry.objects.filter(event=event)}
    assert (
        rows[2, "gear"] == "3"
        and "of 3" in rows[3, "hazards"]
        and "of former corner 4" in rows[3, "hazards"]
        and "of 4" in rows[3, "hazards"]
    )
    assert event.circuit.notes.get(number=3).race == "fourth"


def test_a_mark_that_is_gone_is_kept_and_said(client_in: Client, event: Event, first: Sheet) -> None:
    save(client_in, event, 1, mark="2nd board -8")
    change_circuit(event.circuit, parsed_circuit(event.circuit.data).model_copy(update={"markers": ()}))
    page = words(client_in.get(reverse("lap_book", args=[event.pk])))
    assert "No such mark on the circuit now: 2nd board −8 m (was at 412 m)" in page
    save(client_in, event, 1, was={"mark": "2nd board −8 m", "gear": ""}, mark="2nd board −8 m", gear="3")
    assert event.book.get(field="mark").at_m == 412.0 and event.book.get(field="gear").text == "3"


def test_a_book_travels_as_a_file_and_from_another_visit(client_in: Client, event: Event, first: Sheet) -> None:
    save(client_in, event, 1, mark="2nd board -8", gear="3")
    save(client_in, event, 9, "race", way="lift")
    file = client_in.get(reverse("export_book", args=[event.pk]))
    text = text_of(file)
    assert json.loads(text)["format"] == "apex-trim book 1" and "attachment" in file["Content-Disposition"]
    later = create_event(event.owner, "Next visit", event.car, event.circuit, False)
    into = reverse("import_book", args=[later.pk])

    def upload(content: str):  # type: ignore[no-untyped-def]
        return client_in.post(into, {"file": SimpleUploadedFile("b.json", content.encode())}, follow=True)

    assert "3 fields added, 0 replaced" in words(upload(text)) and later.book.count() == 3
    assert "nothing was changed" in words(upload(text)) and later.book.count() == 3
    spoiled = json.loads(text)
    spoiled["entries"] += [{"corner": 3, "field": "gear", "text": "44"}, {"corner": 40, "field": "gear", "text": "2"}]
    refused = upload(json.dumps(spoiled))
    page = words(refused)
    assert refused.status_code == 422 and "corner 3, qualifying: Gear: “44” is not valid" in page and "no such corner" in page
    assert later.book.count() == 3
    for odd in (
        "",
        "{}",
        '{"format": "apex-trim sheet 1"}',
        text.replace('"gear"', '"gears"'),
        text.replace('"race"', '"rally"'),
        "[" * 9000,
    ):
        assert upload(odd).status_code == 422
    later.book.all().delete()
    carry = reverse("carry_book", args=[later.pk])
    shown = client_in.get(carry, {"from": event.pk})
    assert len(shown.context["rows"]) == 3
    assert client_in.post(carry, {"from": event.pk}).status_code == 422
    client_in.post(carry, {"from": event.pk, "corner": ["9"]})
    assert [row.corner for row in later.book.all()] == [9]
    assert "No other event" in words(client_in.get(carry, {"from": "99999"}))


def test_a_strangers_book_is_none_of_mine(client_in: Client, stranger: Client, event: Event, first: Sheet) -> None:
    save(client_in, event, 1, gear="3")
    mine = Event.objects.exclude(owner=event.owner).get()
    assert "No other event" in words(stranger.get(reverse("carry_book", args=[mine.pk]), {"from": event.pk}))
    assert stranger.post(reverse("save_book", args=[event.pk, 1]), {"yours_gear": "2"}).status_code == 404
    assert event.book.get().text == "3"


def test_the_planner_and_the_virtual_driver_go_by_the_book(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]
) -> None:
    before = race_view(event)
    assert race_view(event, by_book=True).by_book is None
    for number in (1, 3, 5, 8, 9):
        save(client_in, event, number, "race", coast="40")
    view = race_view(event, by_book=True)
    assert view.by_book is not None and view.by_book.cost_s > 0.05 and view.by_book.fuel_share < 0.99
    assert view.pace.pace.lap_s == pytest.approx(before.pace.pace.lap_s + view.by_book.cost_s)
    bench = reverse("race_bench", args=[event.pk])
    assert "Plan with it" in words(client_in.get(bench))
    assert "driven by your book for the race" in words(client_in.get(bench, {"book": "race"}))
    told = told_by_book(event, asked.shown_case(event), "race")
    assert len(told.orders) == 5 and not told.marks
    start = {"sheet": first.pk, "session": event.session_id, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "laps": 6}
    usual = client_in.post(reverse("virtual_run", args=[event.pk]), start, follow=True)
    spared = client_in.post(reverse("virtual_run", args=[event.pk]), {**start, "book": "race"}, follow=True)
    assert usual.status_code == spared.status_code == 200
    burnt = [sum(lap.fuel_l or 0.0 for lap in run.laps.all()) for run in event.runs.order_by("number")]
    assert burnt[1] < 0.99 * burnt[0]


def test_a_saving_goes_into_the_race_book_and_a_try_is_counted_over_a_stint(client_in: Client, event: Event, first: Sheet) -> None:
    costs = client_in.get(reverse("lap_costs", args=[event.pk]), {"what": "fuel", "share": "4"})
    lifts = {f"lift_{one.span.number}": f"{one.metres:.0f}" for one in costs.context["saving"].lifts}
    keep = reverse("keep_saving", args=[event.pk])
    page = words(client_in.post(keep, lifts, follow=True))
    assert f"{len(lifts)} corner" in page and event.book.filter(variant="race", field="coast").count() == len(lifts)
    told = told_by_book(event, asked.shown_case(event), "race")
    by_book = answers.by_book_in(asked.shown_case(event), "race", told.orders)
    assert 0.02 < 1.0 - by_book.fuel_share < 0.06  # what was wanted saved, on the race's own tyres and fuel
    assert "Nothing changed" in words(client_in.post(keep, lifts, follow=True))
    wrong = words(client_in.post(keep, {"lift_3": "999"}, follow=True))
    assert "corner 3, lift: “999” is not valid; expected 0 to 300 m" in wrong
    page_of = client_in.get(reverse("corner", args=[event.pk, 1]), {"try": ["c60", "g9"], "stint": "1"})
    stints = [one.stint for one in page_of.context["tried"]]
    assert stints[1] is None and stints[0] is not None and "15 laps" in words(page_of)
    one_lap = page_of.context["tried"][0].choice.lap_s
    assert 10 * one_lap < stints[0].cost_s < 25 * one_lap and max(stints[0].worn) < 0.0
