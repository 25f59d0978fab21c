"""Deleting asks; the bin holds what was deleted; both can be undone."""

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from apexcore.errors import InputError
from apexcore.quantities.words import counted
from apextrim.accounts.context import is_shared

from . import bin as waste

_HELD = "A car or a circuit is held by its events, a sheet or a session by its runs: delete those first."


def _asked(request: HttpRequest, key: str, pk: int) -> tuple[waste.Kind, Any]:
    kind = waste.KINDS.get(key)
    row = None if kind is None or pk > 2**62 else waste.rows_of(kind, request.user).filter(pk=pk).first()
    if kind is None or row is None:
        raise Http404
    return kind, row


def _back(key: str, row: Any) -> str:
    """The page that one comes from."""
    if key == "event":
        return reverse("events")
    if key in ("car", "circuit"):
        return reverse("garage")
    return reverse({"run": "runs_bench", "sheet": "sheet_bench", "session": "brief"}[key], args=[row.event_id])


def _own(key: str, row: Any) -> str:
    """Its own page, for whoever keeps it; where it has none, the page that one comes from."""
    if key == "event":
        return reverse("brief", args=[row.pk])
    return reverse("run", args=[row.event_id, row.pk]) if key == "run" else _back(key, row)


@require_GET
def page(request: HttpRequest) -> HttpResponse:
    """What waits in the bin."""
    return render(request, "archive/bin.html", {"waiting": waste.waiting(request.user)})


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, kind_key: str, pk: int) -> HttpResponse:
    """Asks, then puts something into the bin."""
    kind, row = _asked(request, kind_key, pk)
    if row.deleted_at is not None:
        raise Http404
    back = _back(kind_key, row)
    why = kind.refuses(row)
    if why:
        messages.error(request, why)
        return redirect(back)
    if request.method == "GET":
        question = f"Delete {kind.words.lower()} {kind.named(row)}? It waits in the bin for thirty days."
        return render(request, "ui/ask.html", {"question": question, "what": kind.words.lower(), "back": _own(kind_key, row)})
    try:
        waste.delete(kind, row)
    except InputError as error:  # somebody drove with it meanwhile
        messages.error(request, str(error))
        return redirect(back)
    messages.info(request, f"{row} is in the bin.", extra_tags=reverse("restore", args=[kind_key, row.pk]))
    return redirect(back)


@require_POST
def restore(request: HttpRequest, kind_key: str, pk: int) -> HttpResponse:
    """Takes something out of the bin."""
    kind, row = _asked(request, kind_key, pk)
    if row.deleted_at is None:
        messages.success(request, f"{row} is not in the bin.")
    else:
        waste.restore(kind, row)
        messages.success(request, f"{row} is back.")
    return redirect(_own(kind_key, row))


@require_http_methods(["GET", "POST"])
def for_good(request: HttpRequest, kind_key: str, pk: int) -> HttpResponse:
    """Asks, then lets something in the bin go for good; what everybody uses stays for whoever comes next."""
    if is_shared(request):
        raise Http404
    kind, row = _asked(request, kind_key, pk)
    if row.deleted_at is None:
        messages.error(request, f"{row} is not in the bin.")
        return redirect(_own(kind_key, row))
    if request.method == "GET":
        question = f"Delete {kind.words.lower()} {kind.named(row)} for good?"
        return render(request, "archive/for_good.html", {"question": question, "act": "Delete for good"})
    name = str(row)
    if waste.for_good(kind, row):
        messages.success(request, f"{name} is gone for good.")
    else:
        messages.error(request, f"{name} stays in the bin: something that is not in the bin stands on it. {_HELD}")
    return redirect("bin")


@require_http_methods(["GET", "POST"])
def empty(request: HttpRequest) -> HttpResponse:
    """Asks, then lets everything in the bin go for good; not in the demo."""
    if is_shared(request):
        raise Http404
    if request.method == "GET":
        count = len(waste.waiting(request.user))
        if not count:
            return redirect("bin")
        question = f"Delete {'what waits' if count == 1 else f'all {count} that wait'} in the bin for good?"
        return render(request, "archive/for_good.html", {"question": question, "act": "Empty the bin"})
    went, stay = waste.empty(request.user)
    if stay:
        messages.error(request, f"{counted(went, 'thing')} went for good, {counted(stay, 'stays', 'stay')} in the bin. {_HELD}")
    else:
        messages.success(request, "The bin is empty.")
    return redirect("bin")
