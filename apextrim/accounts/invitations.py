"""Who may make an account: one person by one link, which somebody who may invite has made."""

import secrets
from datetime import timedelta

from django.conf import settings
from django.contrib.auth.models import User
from django.core.signing import BadSignature, Signer
from django.db import transaction
from django.utils import timezone

from .context import is_everybodys
from .models import Installation, Invitation
from .owned import Person, owned
from .signals import account_made

#: How long a link holds, and how many of one account wait at once.
HOLDS, MOST_OPEN = timedelta(days=7), 20
_SIGNER = Signer(salt="invitation")


def keeper() -> User | None:
    """Whoever keeps the installation: the oldest account that can sign in; the demo's is everybody's."""
    rows = User.objects.filter(is_active=True)
    if settings.DEMO:
        rows = rows.exclude(username=settings.DEMO_USER)
    return rows.order_by("pk").first()


def keeps(user: Person) -> bool:
    """Whether an account keeps the installation."""
    first = keeper()
    return first is not None and first.pk == user.pk


def inviters() -> str:
    """Who may invite, as the keeper has set it."""
    return Installation.objects.values_list("inviters", flat=True).first() or Installation.KEEPER


@transaction.atomic
def set_inviters(who: str) -> bool:
    """Sets who may invite; false where that is none of the choices."""
    if who not in dict(Installation.INVITERS):
        return False
    Installation.objects.update_or_create(pk=1, defaults={"inviters": who})
    return True


def may_invite(user: Person) -> bool:
    """Whether an account may make links."""
    if not settings.INVITES or is_everybodys(user):
        return False
    who = inviters()
    return who == Installation.EVERYBODY or (who == Installation.KEEPER and keeps(user))


@transaction.atomic
def invite(maker: User, words: str = "") -> Invitation | None:
    """A new link; None where too many of the account's wait already."""
    if owned(Invitation, maker).filter(used_at=None, until__gt=timezone.now()).count() >= MOST_OPEN:
        return None
    now = timezone.now()
    return Invitation.objects.create(maker=maker, nonce=secrets.token_urlsafe(18), words=words.strip()[:80], made_at=now, until=now + HOLDS)


def token_of(row: Invitation) -> str:
    """What the link carries: signed by the installation's key, so that a copy of the database alone opens nothing."""
    return _SIGNER.sign(f"{row.pk}.{row.nonce}")


def opened_by(token: str) -> Invitation | None:
    """The invitation of a link that still holds."""
    try:
        key, _, nonce = _SIGNER.unsign(token).partition(".")
    except BadSignature:
        return None
    if not (key.isdecimal() and len(key) < 12):
        return None
    row = Invitation.objects.filter(pk=int(key), nonce=nonce, used_at=None, until__gt=timezone.now()).select_related("maker").first()
    return row if row is not None and row.maker.is_active and may_invite(row.maker) else None


@transaction.atomic
def use(token: str, user: User) -> bool:
    """Makes an account by a link, which is used up with that; false where another used it meanwhile."""
    row = opened_by(token)
    if row is None:
        return False
    make(user)
    row.used_by, row.used_at = user, timezone.now()
    row.save(update_fields=["used_by", "used_at"])
    return True


@transaction.atomic
def make(user: User) -> None:
    """Keeps a new account, with what it begins with."""
    user.save()
    account_made.send(make, user=user)
