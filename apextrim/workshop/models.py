"""Searches for a better sheet as rows."""

from django.db import models


class Search(models.Model):
    """A search for a better sheet: what was asked and what was found. How far it is stands in its job."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="searches")
    sheet = models.ForeignKey("sheets.Sheet", models.CASCADE, related_name="searches")
    job = models.OneToOneField("work.Job", models.CASCADE, related_name="search")
    aim = models.CharField(max_length=12)
    options = models.JSONField(help_text="free items by key, limits and laps")
    result = models.JSONField(null=True)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return f"search {self.pk} from {self.sheet}"
