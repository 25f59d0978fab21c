"""What every page knows of the account."""

from django.conf import settings
from django.http import HttpRequest


def account(request: HttpRequest) -> dict[str, object]:
    """Whether the password is the account's own; the demo's is everybody's and stays."""
    name = getattr(getattr(request, "user", None), "username", "")
    return {"own_password": bool(name) and not (settings.DEMO and name == settings.DEMO_USER)}
