"""What every page knows of the account."""

from django.conf import settings
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from .tour import stop_of


def is_shared(request: HttpRequest) -> bool:
    """Whether it is the demo's account, which everybody uses."""
    return bool(settings.DEMO) and getattr(getattr(request, "user", None), "username", "") == settings.DEMO_USER


def account(request: HttpRequest) -> dict[str, object]:
    """Whether the account is one person's; the demo's is everybody's."""
    name = getattr(getattr(request, "user", None), "username", "")
    own = bool(name) and not is_shared(request)
    return {"own_account": own, "tour": SimpleLazyObject(lambda: stop_of(request.user) if own else None)}
