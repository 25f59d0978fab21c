"""Two windows on the same thing: what one did not touch takes what the other saved, and what both changed is told, never lost silently."""

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.http import QueryDict
from django.test import Client
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from apextrim.events.models import Event
from apextrim.library import car_actions
from apextrim.library.models import Car, Circuit, DriversPlace
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from apextrim.ui.meanwhile import FIELD, carried, merged, merged_rows
from scripts.fuzz_forms import forms_of
from tests.amounts import many

Sent = dict[str, list[str]]


def query(texts: Sent) -> QueryDict:
    made = QueryDict(mutable=True)
    for name, values in texts.items():
        made.setlist(name, values)
    return made


def on_page(client: Client, page: str, address: str) -> Sent:
    """The form of a page that goes to an address, as a browser would send it untouched."""
    forms = [form for form in forms_of(client, [page]) if form.address == address and form.method == "post"]
    form = next(form for form in forms if any(name == FIELD for name, _ in form.fields))
    found: Sent = {}
    for name, value in form.fields:
        found.setdefault(name, []).append(value)
    return found


#: Page and address, two boxes, and what is typed into each by one and by the other.
CASES: dict[str, tuple[str, str, str, str, str, str]] = {
    "conditions": ("brief", "save_conditions", "air_c", "track_c", "31", "12"),
    "rules": ("brief", "save_rules", "pit_loss_s", "tyre_change_s", "27", "9"),
    "sets": ("brief", "save_rules", "no_stops", "savings_pct", "12-15", "3"),
    "class": ("class_limits", "class_limits", "least_kg", "most_kw", "900", "210"),
    "items": ("item_rules", "item_rules", "high-wing", "low-wing", "4", "2"),
    "run": ("run", "run_weather", "track_c", "left_out", "33", "yellow flags"),
    "notes": ("lap_bench", "save_notes", "qualifying_1", "race_2", "late", "lift"),
    "corner": ("corner", "save_notes", "qualifying_1", "race_1", "late", "lift"),
    "car": ("edit_car", "edit_car", "mass.dry_kg", "mass.driver_kg", "1201", "81"),
    "circuit": ("edit_circuit", "edit_circuit", "name", "layout", "Marsh Lane", "short"),
    "place": ("drivers_places", "drivers_places", "seat", "belts", "two holes back", "third hole"),
}


#: What a third window types into the first box.
THIRD = {
    "mass.dry_kg": "1199", "name": "Fen Lane", "seat": "upright", "qualifying_1": "later", "no_stops": "3", "high-wing": "5",
    "least_kg": "950", "track_c": "28",
}  # fmt: skip


@pytest.fixture
def where(event: Event, first: Sheet, drive: Callable[..., Run]) -> Callable[[str], str]:
    run = drive(first, 1)
    DriversPlace.objects.create(car=event.car, driver="Wren")
    keys = {"run": [event.pk, run.pk], "run_weather": [event.pk, run.pk], "corner": [event.pk, 1]}
    keys |= {"edit_car": [event.car.pk], "drivers_places": [event.car.pk], "edit_circuit": [event.circuit.pk]}
    return lambda name: reverse(name, args=keys.get(name, [event.pk]))


@pytest.mark.thorough
@pytest.mark.parametrize("what", many(("rules", "items", "corner", "car"), tuple(CASES)))
def test_both_are_kept_or_the_second_is_told(client_in: Client, where: Callable[[str], str], what: str) -> None:
    page, address, one, other, for_one, for_other = CASES[what]
    page, address = where(page), where(address)
    sent = on_page(client_in, page, address) | ({"do": ["save"]} if what in ("car", "circuit") else {})
    before = sent.get(one, [""])

    def save(**typed: str) -> Any:
        return client_in.post(address, {**sent, **{name.replace("__", "."): [text] for name, text in typed.items()}}, follow=True)

    assert save(**{one: for_one}).status_code == 200
    assert save(**{other: for_other}).status_code == 200  # its window still shows the first box as it was
    now = on_page(client_in, page, address)
    assert (now[one], now[other]) != (before, sent.get(other, [""]))
    assert _near(now[one], for_one) and _near(now[other], for_other), (now[one], now[other])
    third = THIRD.get(one, "30")
    told = client_in.post(address, {**sent, one: [third]}, follow=True)
    text = told.content.decode()
    assert told.status_code == 422 and "Changed meanwhile to" in text and third in text
    assert _near(on_page(client_in, page, address)[one], for_one)  # nothing was saved
    again = _form_in(text, address) | ({"do": ["save"]} if what in ("car", "circuit") else {})
    assert again[one] == [third]
    assert client_in.post(address, again, follow=True).status_code == 200
    last = on_page(client_in, page, address)
    assert _near(last[one], third) and _near(last[other], for_other)


def _form_in(text: str, address: str) -> Sent:
    """The form that came back."""

    class Told:
        status_code = 200
        content = text.encode()

        @staticmethod
        def get(name: str, usual: str = "") -> str:
            return "text/html" if name == "Content-Type" else usual

        def __getitem__(self, name: str) -> str:
            return self.get(name)

    class Fixed:
        @staticmethod
        def get(*_: object, **__: object) -> Told:
            return Told()

    return on_page(Fixed(), address, address)  # type: ignore[arg-type]


def _near(shown: list[str], typed: str) -> bool:
    try:
        return abs(float(shown[0]) - float(typed)) < 1e-6
    except ValueError:
        return shown == [typed]


def test_a_box_that_both_gave_the_same_and_ticks(client_in: Client, event: Event) -> None:
    page, address = reverse("brief", args=[event.pk]), reverse("save_rules", args=[event.pk])
    sent = on_page(client_in, page, address)
    assert "mixed" not in sent
    client_in.post(address, {**sent, "mixed": ["on"], "pit_loss_s": ["27"]})
    same = client_in.post(address, {**sent, "pit_loss_s": ["27"], "laps": ["31"]}, follow=True)
    assert same.status_code == 200
    event.refresh_from_db()
    assert event.rules["mixed"] and event.rules["pit_loss_s"] == 27 and event.rules["laps"] == 31  # the tick of the other stays
    client_in.post(address, sent | {"mixed": []})
    event.refresh_from_db()
    assert event.rules["mixed"] and event.rules["laps"] == 31


def test_rows_that_the_other_added_or_took_away(client_in: Client, event: Event) -> None:
    address = reverse("edit_circuit", args=[event.circuit.pk])
    sent = on_page(client_in, address, address) | {"do": ["save"]}
    free = max((int(name.split(".")[1]) for name in sent if name.startswith("markers.")), default=0) + 7
    board = {f"markers.{free}.kind": ["board"], f"markers.{free}.at_m": ["120"]}
    first = client_in.post(address, {**sent, **board}, follow=True)
    assert first.status_code == 200, first.content
    untouched = client_in.post(address, sent, follow=True)
    assert untouched.status_code == 200 and "Nothing changed" in untouched.content.decode()
    typed = client_in.post(address, {**sent, "name": ["Marsh Lane"]}, follow=True)
    assert typed.status_code == 422 and "Rows of it were added or removed" in typed.content.decode()
    assert Circuit.objects.get(pk=event.circuit.pk).name != "Marsh Lane"
    again = _form_in(typed.content.decode(), address) | {"do": ["save"]}
    kept = client_in.post(address, again, follow=True)
    assert kept.status_code == 200
    assert Circuit.objects.get(pk=event.circuit.pk).name == "Marsh Lane"


def test_a_car_changed_at_the_very_moment_is_not_overwritten(client_in: Client, event: Event, monkeypatch: pytest.MonkeyPatch) -> None:
    address, change = reverse("edit_car", args=[event.car.pk]), car_actions.change_car
    sent = on_page(client_in, address, address) | {"do": ["save"], "mass.dry_kg": ["1201"]}
    other = event.car.data + " "

    def late(row: Car, core: Any) -> bool:
        Car.objects.filter(pk=row.pk).update(data=other)
        return change(row, core)

    monkeypatch.setattr(car_actions, "change_car", late)
    told = client_in.post(address, sent)
    assert told.status_code == 422 and "at this very moment" in told.content.decode()
    assert Car.objects.get(pk=event.car.pk).data == other


@pytest.mark.thorough_only
@pytest.mark.parametrize(
    "shown", ["", "x", "[]", "{", '{"air_c": 3}', '{"air_c": [3]}', "[" * 5000, '{"air_c": ["1"]}' + " " * 500_000, "\ud800"]
)
def test_what_was_shown_may_be_anything(client_in: Client, event: Event, shown: str) -> None:
    page, address = reverse("brief", args=[event.pk]), reverse("save_conditions", args=[event.pk])
    sent = on_page(client_in, page, address) | {FIELD: [shown.encode("utf-8", "replace").decode()], "air_c": ["31"]}
    assert client_in.post(address, sent).status_code == 302
    event.refresh_from_db()
    assert event.conditions["air_c"] == 31


TEXTS = st.sampled_from(["", "1", "2", "3"])


@given(st.dictionaries(st.sampled_from("abcd"), st.tuples(TEXTS, TEXTS, TEXTS), max_size=4))
def test_of_every_box_the_later_of_two_is_kept_or_told(boxes: dict[str, tuple[str, str, str]]) -> None:
    """Against the rule itself, box by box: what it was, what the other made of it, what was typed."""
    was = {name: [had] for name, (had, _, _) in boxes.items()}
    now = {name: [there] for name, (_, there, _) in boxes.items()}
    shown = str(carried(was)).split('value="')[1].split('">')[0].replace("&quot;", '"')
    assert json.loads(shown) == {name: texts for name, texts in was.items() if texts != [""]}
    sent = query({**{name: [typed] for name, (_, _, typed) in boxes.items()}, FIELD: [shown], "other": ["9"]})
    for merge in (merged, merged_rows) if {n for n in was if was[n] != [""]} == {n for n in now if now[n] != [""]} else (merged,):
        found, clashes = merge(sent, now)
        assert found["other"] == "9"
        for name, (had, there, typed) in boxes.items():
            if typed == had:
                assert found.get(name, "") == there and name not in clashes
            elif there in (had, typed):
                assert found.get(name, "") == typed and name not in clashes
            else:
                assert clashes[name].there == (there,) and clashes[name].typed == (typed,)
