"""Rows that wait in the bin: whoever asks for rows in the usual way does not see them."""

from typing import TypeVar

from django.db.models import Manager, Model, QuerySet

Row = TypeVar("Row", bound=Model)


class Present(Manager[Row]):
    """The rows of a model that are not in the bin."""

    def get_queryset(self) -> QuerySet[Row]:
        """Without those that were deleted."""
        return super().get_queryset().filter(deleted_at=None)


class Everything(Manager[Row]):
    """All rows of a model, those in the bin as well."""
