"""Logs as lines: who asked which address when, and how it ended. What was typed or sent is never among them."""

import logging
import time
from collections.abc import Callable
from types import TracebackType
from urllib.parse import quote

from django.http import HttpRequest, HttpResponse

log = logging.getLogger("apextrim.requests")

_Raised = tuple[type[BaseException], BaseException, TracebackType | None] | tuple[None, None, None]


def request_lines(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware that writes one line for each request: owner, visitor, method, address, status and time."""

    def answered(request: HttpRequest) -> HttpResponse:
        begin = time.perf_counter()
        response = get_response(request)
        user = getattr(request, "_cached_user", None)  # not asked for anew: a public page needs no session
        owner = quote(getattr(user, "username", "") or "-", safe="")
        took_ms = 1000 * (time.perf_counter() - begin)
        visitor = quote(str(request.META.get("REMOTE_ADDR", "-")), safe=":.")
        log.info("%s %s %s %s %d %.0f ms", owner, visitor, request.method, quote(request.path, safe="/"), response.status_code, took_ms)
        return response

    return answered


class FramesOnly(logging.Formatter):
    """Faults with the places that they went through and the name of the error, without its words: they may hold what was typed."""

    def formatException(self, ei: _Raised) -> str:  # noqa: N802
        """One line a frame, the innermost last."""
        kind, _, trace = ei
        lines = []
        while trace is not None:
            code = trace.tb_frame.f_code
            lines.append(f"    {code.co_filename}:{trace.tb_lineno} {code.co_name}")
            trace = trace.tb_next
        return "\n".join([*lines, f"    {kind.__module__}.{kind.__qualname__}" if kind else ""])
