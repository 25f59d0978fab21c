"""Pages that are fetched ahead: a link of the head is asked for as it is pressed down, a tenth of a second before it is let go. Not as
it is pointed at: a page fetched so would be shown minutes later as it stood then, while a logger goes on. Nor a thread's link that asks
something, which the session remembers."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.templatetags.static import static

#: What a browser calls a page that it asks for ahead.
_AHEAD = "prefetch"


def is_ahead(request: HttpRequest) -> bool:
    """Whether nobody has asked for this page yet: what is told once is not told on it."""
    return _AHEAD in request.headers.get("Sec-Purpose", "")


def fetched_ahead(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Names the rules by which browsers that know them fetch a page ahead; the others take no notice."""

    def answered(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if request.method == "GET" and response.get("Content-Type", "").startswith("text/html") and "HX-Request" not in request.headers:
            response["Speculation-Rules"] = f'"{static("ui/ahead.rules")}"'
        return response

    return answered
