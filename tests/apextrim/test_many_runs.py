"""An event of years: pages stay small, and ask for no more rows the longer it lasts."""

from collections.abc import Callable
from datetime import timedelta

import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from apextrim.events.models import Event, Knot
from apextrim.runs.models import Lap, Run
from apextrim.sheets.models import Sheet

pytestmark = pytest.mark.slow

PAGES = ("", "lap/", "sheet/", "runs/", "verdicts/", "race/", "race/qualifying/", "verdicts/record/", "verdicts/plan/", "thread/", "items/")


def driven_for_years(event: Event, sheets: list[Sheet], runs: int, laps: int = 4) -> None:
    """So many runs, on the sheets in turn, with their knots."""
    begin = timezone.now() - timedelta(days=1000)
    first = event.runs.count() + 1
    rows = Run.objects.bulk_create(
        Run(
            event=event, number=first + k, sheet=sheets[k % len(sheets)], session=event.session, front="marl", rear="marl", tyre_age=0,
            fuel_l=30, note="", conditions=event.conditions, made_at=begin + timedelta(minutes=20 * k),
        )
        for k in range(runs)
    )  # fmt: skip
    Lap.objects.bulk_create(
        (
            Lap(run=row, number=n, time_s=73.0 + 0.01 * (row.number * 7 % 13) + 0.02 * n, kind="timed", fuel_l=1.9)
            for row in rows
            for n in range(1, laps + 1)
        ),
        batch_size=5000,
    )
    Knot.objects.bulk_create(
        (Knot(event=event, at=row.made_at, kind="run", label=row.name, text="on marl, as before", target=row.pk) for row in rows),
        batch_size=5000,
    )


def asked_and_sent(client: Client, address: str) -> tuple[int, int]:
    """Queries of a page, and its length [bytes], on a second visit."""
    client.get(address)
    with CaptureQueriesContext(
        connection,
    ) as asked:
        response = client.get(address)
    assert response.status_code == 200, address
    return len(asked), len(response.content)


@pytest.mark.thorough_only
def test_pages_do_not_grow_with_the_years(event: Event, first: Sheet, second: Sheet, client_in: Client) -> None:
    driven_for_years(event, [first, second], 400)
    addresses = [f"/events/{event.pk}/{page}" for page in PAGES]
    some = {address: asked_and_sent(client_in, address) for address in addresses}
    driven_for_years(event, [first, second], 2600)
    many = {address: asked_and_sent(client_in, address) for address in addresses}
    for address in addresses:
        assert many[address][1] < 150_000, address
        assert many[address][1] < 1.1 * some[address][1] + 2000, (address, some[address], many[address])
        assert many[address][0] <= some[address][0] + 2, (address, some[address], many[address])


def test_the_whole_thread_is_there_a_page_at_a_time(event: Event, first: Sheet, client_in: Client, drive: Callable[..., Run]) -> None:
    driven_for_years(event, [first], 500)
    page = client_in.get(f"/events/{event.pk}/runs/").content.decode()
    assert "442 earlier" in page and f'href="/events/{event.pk}/thread/"' in page  # 500 runs, the brief and the first sheet
    shown = [client_in.get(f"/events/{event.pk}/thread/?page={number}").content.decode() for number in (1, 2, 3)]
    assert ">R1<" in shown[0] and ">R500<" in shown[2]
    assert sum(text.count(">R") for text in shown) >= 500


def test_the_newest_runs_are_judged_and_it_is_said(event: Event, first: Sheet, second: Sheet, client_in: Client) -> None:
    driven_for_years(event, [first, second], 900)
    text = client_in.get(f"/events/{event.pk}/verdicts/?a={first.pk}&b={second.pk}&margin=0.10").content.decode()
    assert "of 900 runs are judged" in " ".join(text.split())


def test_a_run_from_long_ago_is_still_read(event: Event, first: Sheet, client_in: Client) -> None:
    driven_for_years(event, [first], 250)
    for number in (1, 250):
        run = event.runs.get(number=number)
        assert "Show corrected laps" in client_in.get(f"/events/{event.pk}/runs/{run.pk}/").content.decode()
