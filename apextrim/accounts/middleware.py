"""What is known of the reader before a page is made."""

import json
from collections.abc import Callable
from typing import Any

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.contrib.auth.views import redirect_to_login
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.urls import reverse

from apexcore.quantities.units import PLAIN
from apextrim.ui.back import page_of
from apextrim.ui.units import read_by

from .preferences import units_of


class SignedIn(LoginRequiredMiddleware):
    """Leads to the sign-in page and back to where one was: a form's page where a form was sent, since its address takes no visitor."""

    # a part of a page is told where to go, not led: no redirect
    def handle_no_permission(self, request: HttpRequest, view_func: Callable[..., Any]) -> HttpResponseBase:  # type: ignore[override]
        """The way to the sign-in page."""
        if request.headers.get("HX-Request"):
            # the page asks by itself, by a timer or for an answer to what is typed: all of it stays, and so does the page
            to = redirect_to_login(page_of(request) or reverse("home")).url
            return HttpResponse(status=204, headers={"HX-Trigger": json.dumps({"signed-out": {"to": to}})})
        if request.method in ("GET", "HEAD"):
            return super().handle_no_permission(request, view_func)
        return redirect_to_login(page_of(request) or reverse("home"))


def readers_units(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Says in what units a page is read; they are looked up where the page tells a quantity, not before."""

    def answered(request: HttpRequest) -> HttpResponse:
        user = request.user
        read_by((lambda: units_of(user)) if user.is_authenticated else PLAIN)
        try:
            return get_response(request)
        finally:
            read_by(PLAIN)

    return answered


def not_stored(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Pages of somebody who is signed in are kept by no cache: whoever uses the same machine next does not see them by going back."""

    def answered(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if request.user.is_authenticated and "Cache-Control" not in response:
            response["Cache-Control"] = "private, no-store"
        return response

    return answered
