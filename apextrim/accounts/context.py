"""What every page knows of the account."""

from django.conf import settings
from django.http import HttpRequest


def is_shared(request: HttpRequest) -> bool:
    """Whether it is the demo's account, which everybody uses."""
    return bool(settings.DEMO) and getattr(getattr(request, "user", None), "username", "") == settings.DEMO_USER


def account(request: HttpRequest) -> dict[str, object]:
    """Whether the account is one person's; the demo's is everybody's."""
    name = getattr(getattr(request, "user", None), "username", "")
    return {"own_account": bool(name) and not is_shared(request)}
