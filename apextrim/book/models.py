"""The racer's book of a circuit in an event, as rows."""

from django.db import models


class BookEntry(models.Model):
    """One field of a corner's page, for one way of driving it."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="book")
    corner = models.PositiveSmallIntegerField()
    variant = models.CharField(max_length=12, help_text="of apexcore.trim.book.fields.VARIANTS")
    field = models.CharField(max_length=12, help_text="of apexcore.trim.book.fields.FIELDS")
    text = models.CharField(max_length=400)
    at_m = models.FloatField(null=True, help_text="of a place: along the middle of the road [m]")

    class Meta:
        ordering = ["corner", "pk"]
        constraints = [models.UniqueConstraint(fields=["event", "corner", "variant", "field"], name="one_entry_per_field")]

    def __str__(self) -> str:
        return f"corner {self.corner}, {self.variant}, {self.field}: {self.text}"


class BookBefore(models.Model):
    """A book as it stood before something was carried into it, for its undo."""

    OWNER = "event__owner"

    event = models.OneToOneField("events.Event", models.CASCADE, related_name="book_before")
    entries = models.JSONField(help_text="list of [corner, variant, field, text, metres]")

    def __str__(self) -> str:
        return f"{len(self.entries)} entries"
