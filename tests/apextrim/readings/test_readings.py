"""Effects, advice and searches as a racer asks for them."""

import re

import pytest
from django.test import Client

from apextrim.events.models import Event
from apextrim.sheets.models import Sheet


def text_of(response: object) -> str:
    return re.sub(r"\s+", " ", response.content.decode())  # type: ignore[attr-defined]


def a_stop(**changes: str) -> dict[str, str]:
    read = {"cold_c": "20"}
    for wheel, hot, tread in (
        ("fl", "198", (99, 95, 90)),
        ("fr", "184", (80, 75, 70)),
        ("rl", "204", (106, 103, 99)),
        ("rr", "188", (88, 83, 78)),
    ):
        read |= {f"cold_{wheel}": "140" if wheel[0] == "f" else "136", f"hot_{wheel}": hot}
        read |= {f"{third}_{wheel}": str(value) for third, value in zip(("inner", "middle", "outer"), tread, strict=True)}
    return {**read, **changes}


def test_a_reading_is_kept_and_says_what_to_set_next(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/readings/"
    assert text_of(client_in.get(url)).count("model only: one hot reading") == 4
    page = text_of(client_in.post(url, a_stop(hot_fl="28.7psi"), follow=True))
    assert "Reading saved" in page and page.count("your readings") == 4 and "front less rear".capitalize() in page
    assert event.readings.get().values["hot_fl"] == pytest.approx(197.9, abs=0.1)
    link = re.search(r'class="press main" href="([^"]+set=pressure_fl[^"]+)"', page)
    assert link is not None
    bench = text_of(client_in.get(link.group(1).replace("&amp;", "&")))
    assert 'aria-invalid="true"' not in bench


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"hot_fl": "hot"}, "“hot” is not valid"),
        ({"inner_rr": ""}, "a third is missing"),
        ({"cold_rl": ""}, "A hot pressure needs its cold one"),
        ({"hot_fr": "9000"}, "20 to 700 kPa"),
    ],
)
def test_a_reading_that_cannot_be_is_refused_as_a_whole(
    client_in: Client, event: Event, first: Sheet, changes: dict[str, str], words: str
) -> None:
    page = client_in.post(f"/events/{event.pk}/sheet/{first.pk}/readings/", a_stop(**changes))
    assert page.status_code == 422 and words in text_of(page) and not event.readings.exists()
    assert 'name="hot_rr" value="188"' in text_of(page)


def test_fahrenheit_and_swapped_wheels_are_asked_about(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/readings/"
    page = text_of(client_in.post(url, a_stop(inner_fl="210", middle_fl="204", outer_fl="196"), follow=True))
    assert "Was it read in °F? Then type it as 210F" in page
    evening = text_of(client_in.get(url, {"air": "8", "track": "9", "set_at": "12"}))
    assert 'value="12"' in evening and client_in.get(url, {"air": "hot"}).status_code == 422
    empty = client_in.post(url, {"cold_c": "20", "cold_fl": "140"})
    assert empty.status_code == 422 and "Nothing was read" in text_of(empty)
