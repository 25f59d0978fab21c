"""Race plans that a racer kept."""

from django.db import models


class KeptPlan(models.Model):
    """A plan as it stood when it was kept."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="plans")
    stints = models.JSONField(help_text="list of [compound, laps, fuel in litres]")
    time_s = models.FloatField()
    start_fuel_l = models.FloatField()
    text = models.CharField(max_length=200)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["made_at"]

    def __str__(self) -> str:
        return self.text
