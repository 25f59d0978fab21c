"""Forms that are sent twice are done once, and a browser is told which of its forms were taken: each carries a key of its own."""

import hashlib
import re
import time
from collections.abc import Callable

from django.conf import settings
from django.core.cache import cache
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect

#: Field of a form that carries its key, the cookie that names the keys that were taken, and how many it names.
FIELD, COOKIE, _MOST_NAMED = "once", "apex-taken", 6
#: How long a form is known, and how long one waits for the other that is under way [s].
_KNOWN_S, _WAIT_S, _LOOK_S = 6 * 3600, 20.0, 0.05
_KEY = re.compile(r"[\w-]{8,40}")
#: What stands for a form that is under way.
_UNDER_WAY = ""


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
        if response.status_code == 302:
            cache.set(name, response["Location"], _KNOWN_S)
        else:
            cache.delete(name)  # what was refused may be sent again
        # what a page asks with its form while one types is answered in JSON: nothing of the form is kept with that
        if response.status_code < 400 and "json" not in response.get("Content-Type", ""):
            _tell_taken(request, response, name.split(":")[1])
        return response

    def process_view(self, request: HttpRequest, view: object, args: object, kwargs: object) -> HttpResponse | None:
        """Looks whether the form was sent before; called once it is let in."""
        key = request.POST.get(FIELD, "") if request.method == "POST" and "HX-Request" not in request.headers else ""
        if not _KEY.fullmatch(key) or not request.user.is_authenticated:
            return None
        name = _name(request, key)
        if cache.add(name, _UNDER_WAY, _KNOWN_S):
            request.once_name = name  # type: ignore[attr-defined]
            return None
        until = time.monotonic() + _WAIT_S
        while (there := cache.get(name)) == _UNDER_WAY and time.monotonic() < until:
            time.sleep(_LOOK_S)
        if not there:  # the first one was refused, or takes too long: this one is asked by itself
            cache.set(name, _UNDER_WAY, _KNOWN_S)
            request.once_name = name  # type: ignore[attr-defined]
            return None
        response = HttpResponseRedirect(there)
        _tell_taken(request, response, key)
        return response


def _tell_taken(request: HttpRequest, response: HttpResponse, key: str) -> None:
    known = [one for one in request.COOKIES.get(COOKIE, "").split(".") if _KEY.fullmatch(one)]
    names = ".".join([*known, key][-_MOST_NAMED:])
    response.set_cookie(COOKIE, names, max_age=3600, samesite="Lax", secure=settings.TLS)
