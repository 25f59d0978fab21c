"""Ending an account: it waits for thirty days, in which it can be kept, and then goes for good."""

from datetime import datetime, timedelta

from axes.models import AccessAttempt
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from .browsers import end_all
from .models import Preferences
from .owned import Person, owned

#: How long an account waits.
WAITS = timedelta(days=30)


def leaves_at(user: Person) -> datetime | None:
    """When an account goes for good; None where it stays."""
    return owned(Preferences, user).values_list("leaves_at", flat=True).first()


@transaction.atomic
def leave(user: User) -> datetime:
    """Asks for the end of an account; one that waits already goes when it was to go."""
    row, _ = Preferences.objects.get_or_create(owner=user)
    if row.leaves_at is None:
        row.leaves_at = timezone.now() + WAITS
        row.save(update_fields=["leaves_at"])
    return row.leaves_at


@transaction.atomic
def stay(user: User) -> None:
    """Keeps an account that was to go."""
    Preferences.objects.filter(owner=user).update(leaves_at=None)


def due() -> list[User]:
    """Accounts whose thirty days are over."""
    return list(User.objects.filter(preferences__leaves_at__lt=timezone.now()).order_by("pk"))


def ends(user: User) -> None:
    """Ends what belongs to an account but hangs on none of its rows, and keeps it from signing in while the rest goes."""
    with transaction.atomic():
        user.is_active = False
        user.save(update_fields=["is_active"])
    end_all(user)
    AccessAttempt.objects.filter(username=user.username).delete()
