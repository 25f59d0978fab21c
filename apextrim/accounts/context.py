"""What every page knows of the account."""

from django.conf import settings
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from .tour import stop_in, stop_of


def is_everybodys(user: object) -> bool:
    """Whether it is the demo's account, which everybody uses."""
    return bool(settings.DEMO) and getattr(user, "username", "") == settings.DEMO_USER


def is_shared(request: HttpRequest) -> bool:
    """Whether the demo's account asks."""
    return is_everybodys(getattr(request, "user", None))


def account(request: HttpRequest) -> dict[str, object]:
    """Whether the account is one person's; the demo's is everybody's."""
    name = getattr(getattr(request, "user", None), "username", "")
    own = bool(name) and not is_shared(request)
    tour = SimpleLazyObject(lambda: stop_of(request.user) if own else stop_in(request) if name else None)
    return {"own_account": own, "tour": tour}
