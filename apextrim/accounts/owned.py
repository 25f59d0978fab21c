"""Ownership in one place: a view asks here for rows, so that it cannot forget whose they are."""

from typing import Any, TypeVar

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import Model, QuerySet
from django.http import Http404

Row = TypeVar("Row", bound=Model)
Person = AbstractBaseUser | AnonymousUser


def owned(model: type[Row], user: Person) -> QuerySet[Row]:
    """Rows of `model` that `user` owns; the model names the path to its owner in `OWNER`."""
    path: str = model.OWNER  # type: ignore[attr-defined]
    if not user.is_authenticated:
        return model._default_manager.none()
    return model._default_manager.filter(**{path: user})


def asked_for(rows: QuerySet[Row], key: str) -> Row | None:
    """The one of these rows that an address names by its key; None where it names none."""
    return rows.filter(pk=int(key)).first() if key.isdecimal() and len(key) < 12 else None


def owned_or_404(model: type[Row], user: Person, *related: str, **lookup: Any) -> Row:
    """The one row of `user` that matches.

    :param related: relations to fetch with it
    :raises Http404: if there is none, also where another user's row would match
    """
    rows = owned(model, user)
    try:
        return (rows.select_related(*related) if related else rows).get(**lookup)
    except (model.DoesNotExist, ValueError, OverflowError):  # type: ignore[attr-defined]
        # a key that is no number, or too large a one, matches nothing either
        raise Http404 from None
