"""The list of events, the brief, the circuit bench and the thread."""

from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.sheets.models import Sheet


def url(name: str, event: Event) -> str:
    return reverse(name, args=[event.pk])


def test_the_lap_bench_draws_and_lists_every_corner(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.get(url("lap_bench", event))
    rows = response.context["rows"]
    assert len(rows) == 9 == len(response.context["map"].markers)
    page = response.content.decode()
    for name in ("Withy Bend", "Heron Hook", "Sluice"):
        assert name in page
    ways = {row.result.corner.name: row.way for row in rows}  # a circuit that goes round clockwise, with one hook to the left at first
    assert (ways["Withy Bend"], ways["Mill Rise"], ways["Heron Hook"]) == ("right", "right", "left")
    spots = [(marker.x, marker.y) for marker in response.context["map"].markers]
    assert all(0 < x < 760 and 0 < y < 400 for x, y in spots)


def test_corner_notes_are_kept_for_both_ways(client_in: Client, event: Event, first: Sheet) -> None:
    data = {"qualifying_3": "late  apex", "race_3": "early apex", "race_9": "<script>alert(1)</script>"}
    client_in.post(url("save_notes", event), data)
    notes = {note.number: note for note in event.circuit.notes.all()}
    assert (notes[3].qualifying, notes[3].race) == ("late apex", "early apex")
    page = client_in.get(url("lap_bench", event)).content.decode()
    assert "<script>alert" not in page and "&lt;script&gt;" in page
    client_in.post(url("save_notes", event), {"qualifying_3": "", "race_3": " ", "race_9": ""})
    assert event.circuit.notes.count() == 0
    too_long = client_in.post(url("save_notes", event), {"race_2": "x" * 401, "race_3": "kept"})
    assert too_long.status_code == 422
    assert "Corner 2, race: the note has 401 characters" in too_long.content.decode()
    assert 'value="kept"' in too_long.content.decode()
