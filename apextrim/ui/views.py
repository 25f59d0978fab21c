"""Pages for what went wrong. They say what to do next and keep to the product's words."""

import sys

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from .faults import cause_of, plain_page


def _page(request: HttpRequest, status: int, title: str, text: str) -> HttpResponse:
    return render(request, "ui/message.html", {"title": title, "text": text}, status=status)


@login_not_required
def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """404: also for what belongs to somebody else."""
    return _page(request, 404, "Page not found", "It was removed, or it belongs to another account.")


@login_not_required
def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """403."""
    return _page(request, 403, "This is not allowed", "Go back and try again from your own events.")


@login_not_required
def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """A form that is no longer valid, usually after signing in from another window."""
    return _page(request, 403, "This form is out of date", "Go back, load the page again and send it once more.")


@login_not_required
def server_error(request: HttpRequest) -> HttpResponse:
    """500; it needs no database, session or message, since one of them may be what is broken. 503 where the database is."""
    found = cause_of(sys.exc_info()[1])
    if found is not None:
        response = plain_page(503, *found)
        response["Retry-After"] = "2"
        return response
    return plain_page(500, "Something went wrong", "Nothing was saved by this step. Go back: what you typed should still be there.")
