"""Verdicts that a racer kept."""

from django.db import models


class KeptVerdict(models.Model):
    """A verdict as it stood when it was kept; later laps do not change it."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="verdicts")
    sheet_a = models.ForeignKey("garage.Sheet", models.PROTECT, related_name="+")
    sheet_b = models.ForeignKey("garage.Sheet", models.PROTECT, related_name="+")
    margin_s = models.FloatField()
    mean_s = models.FloatField()
    low_s = models.FloatField()
    high_s = models.FloatField()
    sentence = models.CharField(max_length=400)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["made_at"]

    def __str__(self) -> str:
        return self.sentence
