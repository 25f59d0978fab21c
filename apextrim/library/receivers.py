"""What the library answers accounts."""

from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.dispatch import receiver

from apextrim.accounts.signals import account_made


@receiver(account_made)
def begins_with(user: User, **_: Any) -> None:
    """A new account begins with the demo's cars and circuits in its garage."""
    from .starter import add_folder  # reads what the core has of cars: not before somebody needs it

    add_folder(user, settings.STARTER_FILES)
