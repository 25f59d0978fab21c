"""What is known of the reader before a page is made."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from apexcore.quantities.units import PLAIN
from apextrim.ui.units import read_by

from .preferences import units_of


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
