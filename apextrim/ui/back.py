"""Where a form leads that was told the way, and the page that one was sent from."""

from urllib.parse import urlsplit, urlunsplit

from django.http import HttpRequest, HttpResponseRedirect
from django.shortcuts import redirect
from django.utils.http import url_has_allowed_host_and_scheme


def back_to(there: str, otherwise: str) -> HttpResponseRedirect:
    """Leads to a page of this site that a form names, or to another where it names none.

    :param there: as sent: a path, else it is none
    :param otherwise: name of an address
    """
    own = there.startswith("/") and url_has_allowed_host_and_scheme(there, allowed_hosts=None)
    return HttpResponseRedirect(there) if own else redirect(otherwise)


def page_of(request: HttpRequest) -> str:
    """The page of this site that a request was sent from, as a path; empty where it says none."""
    told = urlsplit(request.headers.get("HX-Current-URL") or request.headers.get("Referer") or "")
    if told.netloc != request.get_host():
        return ""
    return urlunsplit(("", "", told.path, told.query, ""))
