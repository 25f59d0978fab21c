"""The palette: what a few letters find, and that nobody finds another's."""

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.quantities.lexicon import LEXICON, entry_of_lever, found
from apextrim.archive.finder import find
from apextrim.events.models import Event
from apextrim.library.models import Car
from apextrim.library.stored import parsed_car
from apextrim.sheets.models import Sheet
from tests.apextrim.traces.test_bring import words


@pytest.mark.parametrize(
    ("typed", "kind", "start"),
    [("heron", "corner", "Corner 3"), ("S2", "sheet", "S2"), ("front anti", "item", "Front anti-roll bar"), ("understeer", "word", "Understeer"),
     ("units", "page", "Units"), ("race mode", "here", "Race mode"), ("weekend", "event", ""), ("lark", "car", "Ferrow Lark"), ("hollin", "circuit", "Hollin")],
)  # fmt: skip
def test_a_few_letters_find_it(event: Event, first: Sheet, second: Sheet, typed: str, kind: str, start: str) -> None:
    hits = find(event.owner, event, typed)
    assert any(hit.kind == kind and hit.words.startswith(start) for hit in hits), [hit.words for hit in hits]
    client = Client()
    client.force_login(event.owner)
    assert all(client.get(hit.url.split("#")[0]).status_code == 200 for hit in hits[:4])


def test_nobody_finds_what_belongs_to_another(stranger: Client, event: Event, first: Sheet) -> None:
    text = words(stranger.get(reverse("find"), {"q": "S1", "event": str(event.pk)}))
    assert "To begin with" not in text and event.name not in text
    assert "Nothing of that name." in words(stranger.get(reverse("find"), {"q": "zzzz"}))
    for odd in ("x" * 500, "\u0000", "%", "' OR 1=1", "\u202e"):
        assert stranger.get(reverse("find"), {"q": odd, "event": "9" * 30}).status_code == 200


def test_every_item_of_every_car_has_its_word(event: Event) -> None:
    for row in Car.objects.filter(owner=event.owner):
        for item in parsed_car(row.data).items:
            lacking = item.sets.startswith("steering.")
            assert (entry_of_lever(item.sets) is not None) or lacking, item.sets
    assert found("bar")[0].name == "Anti-roll bar" or (found("bar") and found("") == [])


def test_the_glossary_has_a_place_for_every_word(client_in: Client) -> None:
    page = client_in.get(reverse("glossary")).content.decode()
    assert all(f'id="{key}"' in page for key in LEXICON) and len(LEXICON) > 60
