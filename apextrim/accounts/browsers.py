"""Where an account is signed in, and ending that. Sessions are told by a digest: their keys are what signs a browser in."""

import hashlib
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.contrib.auth import SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.dispatch import receiver
from django.http import HttpRequest
from django.utils import timezone

_BEGAN = "began"


@dataclass(frozen=True)
class SignedIn:
    """A browser that is signed in.

    :param digest: tells it from the others
    :param here: whether it is the one that asks
    """

    digest: str
    began_at: datetime | None
    agent: str
    address: str
    until: datetime
    here: bool


@receiver(user_logged_in)
def _remember(sender: object, request: HttpRequest, user: User, **_: Any) -> None:
    """Writes down when and from where a session began."""
    request.session[_BEGAN] = {
        "at": timezone.now().isoformat(), "agent": request.headers.get("User-Agent", "")[:200],
        "address": str(request.META.get("REMOTE_ADDR", ""))[:45],
    }  # fmt: skip


def words_of(agent: str) -> str:
    """The system that a browser says it runs on, which tells a phone from a laptop; all that it says where it is of another form."""
    system = re.search(r"\(([^()]{3,200})\)", agent)
    return (system.group(1) if system else agent)[:80] or "unknown"


def _digest(session_key: str) -> str:
    return hashlib.sha256(session_key.encode()).hexdigest()[:24]


def _sessions_of(user: Any) -> Iterator[tuple[Session, dict[str, Any]]]:
    for session in Session.objects.filter(expire_date__gt=timezone.now()).order_by("-expire_date"):
        content = session.get_decoded()
        if content.get(SESSION_KEY) == str(user.pk):
            yield session, content


def signed_in(request: HttpRequest) -> list[SignedIn]:
    """Where the asking account is signed in, this browser first."""
    found = []
    for session, content in _sessions_of(request.user):
        began = content.get(_BEGAN, {})
        at = datetime.fromisoformat(began["at"]) if began.get("at") else None
        here = session.session_key == request.session.session_key
        found.append(SignedIn(
            _digest(session.session_key), at, words_of(began.get("agent", "")), began.get("address", ""), session.expire_date, here
        ))  # fmt: skip
    return sorted(found, key=lambda browser: not browser.here)


def end(request: HttpRequest, digest: str) -> int:
    """Ends the session with this digest, or with "others" every one but the asking one. Returns how many were ended."""
    ended = 0
    for session, _ in _sessions_of(request.user):
        others = digest == "others" and session.session_key != request.session.session_key
        if others or _digest(session.session_key) == digest:
            session.delete()
            ended += 1
    return ended


def end_all(user: User) -> None:
    """Signs an account out everywhere."""
    for session, _ in _sessions_of(user):
        session.delete()
