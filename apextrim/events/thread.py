"""The thread: each action ties one knot, in its own transaction."""

from collections.abc import Callable, Iterable
from datetime import datetime

from django.urls import reverse
from django.utils import timezone

from apextrim.ui.frame import KnotMark

from .models import Event, Knot

#: Address of what a knot of each kind tells of; addresses are names, so that this module knows no other app.
_ROUTES: dict[str, Callable[[int, int | None], str]] = {
    "brief": lambda event, target: reverse("brief", args=[event]),
    "sheet": lambda event, target: f"{reverse('sheet_bench', args=[event])}?sheet={target}",
    "run": lambda event, target: reverse("run", args=[event, target]),
    "verdict": lambda event, target: reverse("kept_verdict", args=[event, target]),
    "plan": lambda event, target: reverse("kept_plan", args=[event, target]),
}

#: Knots at the top of every page; those before them have a page of their own.
SHOWN = 60


def tie(event: Event, kind: str, label: str, text: str, target: int | None = None, at: datetime | None = None) -> Knot:
    """Adds a knot to an event's thread.

    :param kind: one of `Knot.KINDS`
    :param target: key of the row it tells of
    :param at: when it happened; now if not told
    """
    text = text if len(text) <= 240 else text[:239] + "…"
    return Knot.objects.create(event=event, kind=kind, label=label, text=text, target=target, at=at or timezone.now())


def hide(event: Event, kind: str, target: int, hidden: bool) -> None:
    """Takes the knots of a deleted row off the thread, or puts them back."""
    Knot.objects.filter(event=event, kind=kind, target=target).update(hidden=hidden)


def marks(event: Event) -> tuple[tuple[KnotMark, ...], int]:
    """The newest part of the thread in time order, and how many knots lie before it."""
    visible = event.knots.filter(hidden=False)
    newest = list(visible.order_by("-at", "-pk")[: SHOWN + 1])
    earlier = visible.count() - SHOWN if len(newest) > SHOWN else 0
    return drawn(event, newest[:SHOWN][::-1]), earlier


def drawn(event: Event, knots: Iterable[Knot]) -> tuple[KnotMark, ...]:
    """Knots as they are drawn; a day stands where it begins."""
    found: list[KnotMark] = []
    day = ""
    for knot in knots:
        at = timezone.localtime(knot.at)
        today = f"{at:%a} {at.day} {at:%b}"
        url = _ROUTES[knot.kind](event.pk, knot.target)
        found.append(KnotMark(knot.kind, knot.label, knot.text, f"{at:%H:%M}", url, today if today != day else ""))
        day = today
    return tuple(found)
