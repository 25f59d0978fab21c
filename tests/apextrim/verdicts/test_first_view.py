"""Which comparison the Verdicts bench opens on."""

import random
import re
from collections.abc import Callable
from typing import Any

from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.runs.models import Lap, Run
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from apextrim.verdicts import queries

Drive = Callable[..., Run]


def opened(client: Client, event: Event, **asked: str | int) -> tuple[Any, Any]:
    """The two sides that the bench shows; it is never an error."""
    response = client.get(reverse("verdicts_bench", args=[event.pk]), asked)
    assert response.status_code == 200 and "problem" not in response.context and not response.context["form"].errors
    return response.context.get("a"), response.context.get("b")


def made_from(parent: Sheet, wing: float) -> Sheet:
    values = {**core_sheet(parent.event, parent).values, "wing": wing}
    return save_sheet(parent.event, CoreSheet(parent.event.car.key, values), parent, f"wing {wing:g}")


def test_a_sheet_opens_beside_the_one_that_it_was_made_from(client_in: Client, event: Event, first: Sheet, drive: Drive) -> None:
    aside, new = made_from(first, 5), made_from(first, 8)
    for seed, sheet in enumerate((first, aside, first, aside, new, new)):
        drive(sheet, seed)
    assert opened(client_in, event) == (first.name, aside.name)  # the newest one was never driven in turn with another
    drive(first, 9)
    drive(aside, 10)
    drive(new, 11)
    assert opened(client_in, event) == (first.name, new.name)  # not the two that were driven last


def test_what_has_no_laps_to_judge_by_is_passed_over(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive) -> None:
    drive(first, 1)
    drive(second, 2)
    third = made_from(second, 7)
    run = drive(third, 3)
    Lap.objects.filter(run=run).update(kind="spoiled")
    assert opened(client_in, event) == (first.name, second.name)
    Run.objects.filter(pk=run.pk).update(deleted_at=timezone.now())
    assert opened(client_in, event) == (first.name, second.name)


def test_the_one_asked_for_last_comes_back_as_long_as_it_can(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Drive
) -> None:
    third = made_from(second, 7)
    for seed, sheet in enumerate((first, second, third)):
        drive(sheet, seed)
    assert opened(client_in, event) == (second.name, third.name)
    opened(client_in, event, by="sheet", a=first.pk, b=third.pk, margin="0.25", trust="usual")
    page = client_in.get(reverse("verdicts_bench", args=[event.pk]))
    assert (page.context["a"], page.context["b"], page.context["values"]["margin"]) == (first.name, third.name, 0.25)
    stranger = Client()
    stranger.force_login(event.owner)
    assert opened(stranger, event) == (second.name, third.name)  # another visit
    third.runs.update(deleted_at=timezone.now())
    assert opened(client_in, event) == (first.name, second.name)
    for broken in ({str(event.pk): {"by": "sheet"}}, {str(event.pk): {"by": "moon", "a": "1", "b": "x"}}):
        session = client_in.session
        session["compared"] = broken
        session.save()
        assert opened(client_in, event) == (first.name, second.name)


def test_pairs_are_ranked_as_is_said(event: Event, first: Sheet) -> None:
    """Random sheets, parents, runs and laps, against the rule written out."""
    rng = random.Random(5)
    sheets = [first]
    for wing in (3, 4, 5, 7, 8):
        sheets.append(made_from(rng.choice(sheets), wing))
    for round_ in range(12):
        event.runs.all().delete()
        last, timed, numbers = dict[int, int](), set[int](), dict[int, list[int]]()
        for number in range(1, rng.randint(2, 9)):
            sheet, kind = rng.choice(sheets), rng.choice(("timed", "spoiled"))
            run = Run.objects.create(
                event=event, number=number, sheet=sheet, session=event.session, front="marl", rear="marl", fuel_l=30, tyre_age=0, note="",
                conditions=event.conditions, made_at=timezone.now(),
            )  # fmt: skip
            Lap.objects.create(run=run, number=1, time_s=73.0, kind=kind)
            last[sheet.pk] = number
            timed |= {sheet.pk} if kind == "timed" else set()
            numbers.setdefault(sheet.pk, []).extend([number] if kind == "timed" else [])
        pairs = queries.pairs_worth_comparing(event)
        assert len(pairs) == len(last) * (len(last) - 1) // 2, round_
        if not pairs:
            continue
        best = pairs[0]
        both = [pair for pair in pairs if {pair[0].pk, pair[1].pk} <= timed] or pairs
        if both[0][0].pk in timed and both[0][1].pk in timed:  # in turn: neither was over before the other began
            letters = {(a.pk, b.pk): sorted([*((n, "A") for n in numbers[a.pk]), *((n, "B") for n in numbers[b.pk])]) for a, b in both}
            changes = {pair: "".join(letter for _, letter in told) for pair, told in letters.items()}
            both = [pair for pair in both if not re.fullmatch("A+B+|B+A+", changes[pair[0].pk, pair[1].pk])] or both
        newest = max(max(last[a.pk], last[b.pk]) for a, b in both)
        with_newest = [pair for pair in both if newest in (last[pair[0].pk], last[pair[1].pk])]
        assert best in with_newest
        if any(b.parent_id == a.pk for a, b in with_newest):
            assert best[1].parent_id == best[0].pk
