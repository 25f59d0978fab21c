"""Pages for what went wrong. They say what to do next and keep to the product's words."""

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.quantities.lexicon import LEXICON

from .back import page_of


@require_GET
def glossary(request: HttpRequest) -> HttpResponse:
    """The words of the field."""
    return render(request, "ui/glossary.html", {"entries": LEXICON.values()})


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
    text = "Somebody signed in or out in this browser meanwhile. What you typed is kept: open the form again and send it once more."
    return render(request, "ui/message.html", {"title": "This form is out of date", "text": text, "back": page_of(request)}, status=403)
