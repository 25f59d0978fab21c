"""What is said when the database cannot do its work, and the page of an error: neither needs a database, a session or a message."""

from collections.abc import Callable
from functools import wraps

from django.db import DatabaseError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.template import loader

_DAMAGED = ("The database file is damaged", "Stop the server and restore the newest backup: make restore FILE=… (docs/operations.md).")

#: What SQLite says, and what it means to the person at the screen: (part of its message, (title, what to do)).
_CAUSES = (
    (
        "locked",
        ("The database is busy", "Somebody else is writing at this moment. Go back, what you typed is still there, and send it again."),
    ),
    (
        "readonly",
        (
            "The database cannot be written",
            "Its file or folder is read-only. Nothing was saved; reading goes on. Give the folder its write permission back.",
        ),
    ),
    (
        "disk is full",
        ("The disk is full", "Nothing was saved by this step, and nothing saved before is lost. Free some space and send it again."),
    ),
    (
        "unable to open",
        ("The database cannot be opened", "Its folder is missing, full or not readable. The terminal says which folder it is."),
    ),
    ("malformed", _DAMAGED),
    ("not a database", _DAMAGED),
    ("disk i/o", ("The disk does not answer", "Nothing was saved by this step. Check the disk, then send it again.")),
)


def cause_of(error: BaseException | None) -> tuple[str, str] | None:
    """Title and advice for a fault of the database; None where the fault is another one."""
    if not isinstance(error, DatabaseError):
        return None
    said = str(error).lower()
    return next((words for part, words in _CAUSES if part in said), None)


#: When a sender that found the database busy may try again [s].
_RETRY_S = 2


def answered_when_busy(view: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """A door for senders, which is told as JSON when the database cannot do its work: what was sent is not lost as long as they keep it."""

    @wraps(view)
    def answered(request: HttpRequest) -> HttpResponse:
        try:
            return view(request)
        except OperationalError as error:
            found = cause_of(error)
            if found is None:
                raise
            problems = [f"{found[0]}; nothing of this message was taken. Send it again."]
            response = JsonResponse({"problems": problems, "retry_after_s": _RETRY_S}, status=503)
            response["Retry-After"] = str(_RETRY_S)
            return response

    return answered


def plain_page(status: int, title: str, text: str) -> HttpResponse:
    """The message page drawn without the request: nothing of it asks for a session, a user or the database."""
    return HttpResponse(loader.render_to_string("ui/message.html", {"title": title, "text": text}), status=status)


def fault_page(error: BaseException | None) -> HttpResponse:
    """500, without database, session or message, since one of them may be what is broken; 503 where the database is."""
    found = cause_of(error)
    if found is not None:
        response = plain_page(503, *found)
        response["Retry-After"] = "2"
        return response
    return plain_page(500, "Something went wrong", "Nothing was saved by this step. Go back: what you typed should still be there.")
