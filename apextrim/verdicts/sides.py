"""What may be judged in an event: sheets, tyre pairs, and every tag that its runs carry."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from django.db.models import QuerySet, TextField
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast

from apextrim.events.models import Event
from apextrim.runs.models import Run

SHEET, TYRES, SEVERAL = "sheet", "tyres", "several"
#: In place of B: every other side that was driven.
EVERY = "every"
_TAG = "tag:"


@dataclass(frozen=True)
class Kind:
    """One kind of difference.

    :param key: its name in the address
    :param words: its name on the page
    :param sides: (key, words) of everything it may be
    """

    key: str
    words: str
    sides: tuple[tuple[str, str], ...]


def kinds_of(event: Event) -> list[Kind]:
    """Every kind of difference that the runs of an event have at least two sides of; sheets always."""
    runs = unlike_runs(event)
    sheets = tuple((str(row.pk), row.name) for row in event.sheets.all())
    found = [Kind(SHEET, "two sheets", sheets)]
    pairs = sorted({side_of(TYRES)(run) or "" for run in runs})
    if len(pairs) > 1:
        found.append(Kind(TYRES, "two tyre choices", tuple((pair, pair) for pair in pairs)))
    for name, values in tag_values(runs).items():
        if len(values) > 1:
            found.append(Kind(_TAG + name, f"tag: {name}", tuple((value, value) for value in values)))
    if len(two_sided_tags(runs)) > 1:
        found.append(Kind(SEVERAL, "several tags at once", ()))
    return found


def is_tag(kind: str) -> bool:
    """Whether a kind of difference is one tag of the runs."""
    return kind.startswith(_TAG)


def unlike_runs(event: Event) -> list[Run]:
    """One of the runs of an event for each tyres and tags that they were driven with: an old event has thousands alike."""
    unlike = event.runs.filter(deleted_at=None).order_by().values("front", "rear", "tags").distinct()
    return [Run(**values) for values in unlike]


def on_side(rows: QuerySet[Run], kind: str, key: str) -> QuerySet[Run]:
    """Those of these runs that are on a side of a kind of difference, as `side_of` tells it."""
    if kind == SHEET:
        return rows.filter(sheet_id=int(key)) if key.isdecimal() and len(key) < 12 else rows.none()
    if kind == TYRES:
        front, _, rear = key.partition(" / ")
        return rows.filter(front=front, rear=rear or front)
    name = kind.removeprefix(_TAG)
    if '"' in name or "\\" in name:  # SQLite's paths cannot say such a name
        return rows.filter(pk__in=[pk for pk, tags in rows.values_list("pk", "tags") if tags.get(name) == key])
    value = Cast(KeyTextTransform(name, "tags"), TextField())
    return rows.annotate(value_of_tag=value).filter(value_of_tag=key)


def side_of(kind: str) -> Callable[[Run], str | None]:
    """Which side of a kind of difference a run is on; None where it is on none."""
    if kind == SHEET:
        return lambda run: str(run.sheet_id)
    if kind == TYRES:
        return lambda run: run.front if run.front == run.rear else f"{run.front} / {run.rear}"
    name = kind.removeprefix(_TAG)
    return lambda run: run.tags.get(name)


def tag_values(runs: Iterable[Run]) -> dict[str, list[str]]:
    """The values of every tag that these runs carry; names and values sorted."""
    found: dict[str, set[str]] = {}
    for run in runs:
        for name, value in run.tags.items():
            found.setdefault(name, set()).add(value)
    return {name: sorted(found[name]) for name in sorted(found)}


def two_sided_tags(runs: Iterable[Run]) -> list[tuple[str, str, str]]:
    """(name, off, on) of the tags with exactly two values among these runs."""
    return [(name, values[0], values[1]) for name, values in tag_values(runs).items() if len(values) == 2]
