"""Forms that are sent twice are done once, and a browser is told which of its forms were taken: each carries a key of its own."""

import hashlib
import re
import time
from collections.abc import Callable
from contextlib import suppress

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect

from . import sent_forms

#: Field of a form that carries its key, the cookie that names the keys that were taken, and how many it names.
FIELD, COOKIE, _MOST_NAMED = "once", "apex-taken", 6
#: How long one waits for the other that is under way, and how often one looks [s].
_WAIT_S, _LOOK_S = 20.0, 0.05
_KEY = re.compile(r"[\w-]{8,40}")


def _name(request: HttpRequest, key: str) -> str:
    """What a form is known by: whose it is, where it went, its key and all that was typed: a page that one goes back to may be changed."""
    whole = hashlib.sha256(f"{request.user.pk}\n{request.path}\n{request.POST.urlencode()}".encode())
    for field in sorted(request.FILES):
        whole.update("\n".join([field, *(f"{file.name} {file.size}" for file in request.FILES.getlist(field))]).encode())
    return f"{FIELD}:{key}:{whole.hexdigest()}"


class Once:
    """A repeat of a form is led where the first one was; what was taken is named in a cookie."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        name: str = getattr(request, "once_name", "")
        if not name:
            return response
        with suppress(OSError):  # a full disk: what was done is done, only a repeat of it is not known
            if response.status_code == 302:
                sent_forms.led(name, response["Location"])
            else:
                sent_forms.forget(name)  # what was refused may be sent again
        # what a page asks with its form while one types is answered in JSON: nothing of the form is kept with that
        if response.status_code < 400 and "json" not in response.get("Content-Type", ""):
            _tell_taken(request, response, name.split(":")[1])
        return response

    def process_view(self, request: HttpRequest, view: object, args: object, kwargs: object) -> HttpResponse | None:
        """Looks whether the form was sent before; called once it is let in."""
        key = request.POST.get(FIELD, "") if request.method == "POST" and "HX-Request" not in request.headers else ""
        if not _KEY.fullmatch(key) or not request.user.is_authenticated:
            return None
        try:
            return self._first(request, key, _name(request, key))
        except OSError:  # a full disk: the database says it better
            return None

    def _first(self, request: HttpRequest, key: str, name: str) -> HttpResponse | None:
        """None where the form is to be done here; else where the one before it led."""
        if sent_forms.begin(name):
            request.once_name = name  # type: ignore[attr-defined]
            return None
        until = time.monotonic() + _WAIT_S
        while (there := sent_forms.where(name)) == "" and time.monotonic() < until:
            time.sleep(_LOOK_S)
        if not there:  # the first one was refused, or takes too long: this one is asked by itself
            sent_forms.take_over(name)
            request.once_name = name  # type: ignore[attr-defined]
            return None
        response = HttpResponseRedirect(there)
        _tell_taken(request, response, key)
        return response


def _tell_taken(request: HttpRequest, response: HttpResponse, key: str) -> None:
    known = [one for one in request.COOKIES.get(COOKIE, "").split(".") if _KEY.fullmatch(one)]
    names = ".".join([*known, key][-_MOST_NAMED:])
    response.set_cookie(COOKIE, names, max_age=3600, samesite="Lax", secure=settings.TLS)
