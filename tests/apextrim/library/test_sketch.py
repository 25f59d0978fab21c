"""A circuit in two minutes: drawn or typed, growing meanwhile, kept under a name of its own."""

import json
import random
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.circuit.track import Corner, centre_line
from apextrim.accounts.models import Preferences
from apextrim.events.models import Event
from apextrim.library.models import Circuit
from apextrim.library.stored import parsed_circuit
from apextrim.ui.value_form import flat
from tests.apextrim.readings.test_readings import text_of

BENDS: list[list[Any]] = [
    [120, 80, None, ""],
    [600, 60, None, "Tower"],
    [680, 200, 45, ""],
    [520, 330, None, ""],
    [160, 340, None, "Weir <b>"],
]
LINES = "420\nright 90 r 45 Tower\n200\nright 90 r 45\n420\nright 90 r 45\n200\nright 90 r 45 Weir"


def told(how: str = "draw", **changes: Any) -> dict[str, Any]:
    usual = {
        "name": "Copsewick",
        "length_m": "1800",
        "width_m": "9",
        "closed": "lap",
        "how": how,
        "bends": json.dumps(BENDS),
        "lines": LINES,
    }
    return {**usual, **changes}


def test_a_drawn_circuit_goes_into_the_garage(client_in: Client, event: Event) -> None:
    page = text_of(client_in.post(reverse("quick_circuit"), told(), follow=True))
    assert "Copsewick, full is in your garage" in page and "Weir &lt;b&gt;" in page
    core = parsed_circuit(Circuit.objects.get(key="copsewick").data)
    told_of = {(one.name, one.radius_m == 45.0) for one in core.segments if isinstance(one, Corner)}
    assert told_of == {("", False), ("Tower", False), ("", True), ("Weir <b>", False)}
    assert centre_line(core).length_m == pytest.approx(1800, rel=0.003)


def test_a_typed_circuit_does_too_and_two_of_one_name_do_not_collide(client_in: Client, event: Event) -> None:
    for times in (1, 2):
        page = text_of(client_in.post(reverse("quick_circuit"), told("type"), follow=True))
        assert ("is in your garage" if times == 1 else "nothing was added") in page
    page = text_of(client_in.post(reverse("quick_circuit"), told("type", lines=LINES.replace("420", "460")), follow=True))
    assert "Copsewick 2, full is in your garage" in page and Circuit.objects.filter(name__startswith="Copsewick").count() == 2


def test_the_road_grows_while_it_is_told(client_in: Client) -> None:
    url = reverse("circuit_drawn")
    drawn = client_in.post(url, told()).json()
    assert len(drawn["road"]["corners"]) == 5 and "1800 m, 5 corners; the lap closes" in drawn["words"] and "right" in drawn["lines"]
    x, y = drawn["road"]["start"][:2]
    assert 100 < x < 180 and 160 < y < 260  # before the first bend, between it and the last
    half = client_in.post(url, told("type", lines="420\nright 90 r 45 Tower\n20")).json()
    assert "open so far" in half["words"] and "270° to the right are missing" in half["words"] and half["road"]["corners"][0][1] == "Tower"
    wrong = client_in.post(url, told("type", lines="420\nright 90 r 45\nbogus")).json()
    assert "Line 3" in wrong["problem"] and wrong["road"]["corners"]
    assert client_in.post(url, told(bends=json.dumps(BENDS[:2]))).json() == {"words": "2 bends so far: a lap has 3 or more."}
    assert "Click where the road bends" in client_in.post(url, told(bends="[]")).json()["words"]
    assert not Circuit.objects.filter(name="Copsewick").exists()


def test_feet_are_read_and_written_by_who_reads_feet(client_in: Client, event: Event) -> None:
    Preferences.objects.update_or_create(owner=event.owner, defaults={"units": {"distance": "ft"}})
    lines = "1300\nright 180 r 150\n1300\nright 180 r 150"
    client_in.post(reverse("quick_circuit"), told("type", lines=lines, width_m="33"), follow=True)
    core = parsed_circuit(Circuit.objects.get(key="copsewick").data)
    assert core.width_m == pytest.approx(10.06, abs=0.01)
    assert {one.radius_m for one in core.segments if isinstance(one, Corner)} == {45.72}
    drawn = client_in.post(
        reverse("circuit_drawn"), told(length_m="6000", width_m="33", bends=json.dumps([[*BENDS[0][:2], "200", "x"], *BENDS[1:]]))
    )
    assert " ft, 5 corners" in drawn.json()["words"] and " r 200 x" in drawn.json()["lines"]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"name": ""}, "This field is required"),
        ({"length_m": "short"}, "“short” is not valid"),
        ({"how": "type", "lines": "420\nright 90 r 45"}, "270° to the right are missing"),
        (
            {"how": "type", "lines": "# mine\n100\nright 90 r 60\n\n10\nright 90 r 60\n100\nright 90 r 10\n10\nright 90 r 10"},
            "Line 5: “10”",
        ),
        ({"how": "type", "lines": "420\nup"}, "Line 2"),
        ({"how": "type", "lines": ""}, ""),
        ({"bends": "[]"}, "0 bends"),
        ({"bends": json.dumps([[0, 0, "tight", ""], *BENDS])}, "bend 1, radius"),
        ({"bends": "{}"}, "bends that were drawn here"),
        ({"bends": "[1, 2]"}, "bends that were drawn here"),
        ({"bends": "[" * 9000}, "bends that were drawn here"),
        ({"bends": json.dumps([[1e308, 1e308]] * 3)}, ""),
        ({"bends": "[[NaN, 1], [2, 3], [4, 5]]"}, "bends that were drawn here"),
        ({"closed": "maybe"}, "maybe"),
    ],
)
def test_what_cannot_be_is_said_and_stays_as_told(client_in: Client, changes: dict[str, str], words: str) -> None:
    sent = told(**changes)
    before = Circuit.objects.count()
    page = client_in.post(reverse("quick_circuit"), sent)
    assert page.status_code == 422 and words in text_of(page) and Circuit.objects.count() == before
    if len(sent["lines"]) > 5:
        assert sent["lines"].split("\n")[-1] in page.content.decode()
    drawn = client_in.post(reverse("circuit_drawn"), sent)
    assert drawn.status_code == 200 and (drawn.json().get("problem") or changes.get("bends") == "[]" or not changes.get("name", "x"))


def test_hostile_bends_and_lines_never_fail(client_in: Client) -> None:
    dice = random.Random(5)
    pieces = ["left", "right", "90", "r", "45", "-", "1e9", "0", "°", ",", ".", "/", "\x00", "٣", "km", "NaN", "#", "ft", " " * 50, "Ω"]
    for _ in range(150):
        lines = "\n".join(" ".join(dice.choices(pieces, k=dice.randint(1, 5))) for _ in range(dice.randint(1, 8)))
        spot: list[Any] = [dice.choice([0, 1, 380, -1e7, 1e300, None, "7", True, [1], {}]) for _ in range(dice.randint(0, 5))]
        bends = json.dumps([spot, *BENDS[: dice.randint(0, 5)]])
        for how in ("draw", "type"):
            answer = client_in.post(reverse("circuit_drawn"), told(how, lines=lines, bends=bends))
            assert answer.status_code == 200, (lines, bends)


def test_the_map_of_the_long_page_grows_as_well(client_in: Client, event: Event) -> None:
    rows = {
        "name": "Rookhope", "key": "rookhope", "layout": "short", "width_m": "10", "closed": "on", "segments.0.kind": "straight",
        "segments.0.length_m": "410", "segments.1.kind": "corner", "segments.1.angle_deg": "90", "segments.1.radius_m": "40",
    }  # fmt: skip
    url = reverse("new_circuit_growing")
    page = text_of(client_in.post(url, rows))
    assert "As far as it goes" in page and "270° to the left are missing" in page
    wrong = text_of(client_in.post(url, {**rows, "segments.2.kind": "corner", "segments.2.angle_deg": "wide", "segments.2.radius_m": "4"}))
    assert "Row 3: Change of heading" in wrong and "As far as it goes" in wrong
    assert client_in.post(url, {}).status_code == 204
    whole = {f"segments.{n}.{key}": text for n in (0, 2, 4, 6) for key, text in (("kind", "straight"), ("length_m", "300"))}
    for n in (1, 3, 5, 7):
        whole |= {
            f"segments.{n}.kind": "corner",
            f"segments.{n}.angle_deg": "90",
            f"segments.{n}.radius_m": "40",
            f"segments.{n}.name": f"N{n}",
        }
    page = text_of(client_in.post(url, {**rows, **whole}))
    assert "data-picks" in page and 'data-names="segments.1.name,segments.3.name,segments.5.name,segments.7.name"' in page and "N7" in page
    kept = client_in.post(reverse("circuit_growing", args=[event.circuit.pk]), {**rows, **whole})
    assert kept.status_code == 200 and not Circuit.objects.filter(key="rookhope").exists()


def test_a_mark_that_is_half_typed_leaves_the_map_on_which_it_is_placed(client_in: Client, event: Event) -> None:
    core = parsed_circuit(event.circuit.data)
    typed = dict(flat(core.model_dump()))
    for half in ({"name": "new board", "at_m": ""}, {"name": "", "at_m": "x"}):
        more = {f"markers.{len(core.markers)}.{name}": text for name, text in half.items()}
        answer = client_in.post(reverse("circuit_growing", args=[event.circuit.pk]), {**typed, **more})
        assert answer.status_code == 200 and b"data-picks" in answer.content
