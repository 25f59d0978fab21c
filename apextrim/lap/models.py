"""Lines that were searched for, as rows."""

from django.db import models


class FoundLine(models.Model):
    """The line of least time that was found for an event's sheet, and what it was made from."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="lines")
    sheet = models.ForeignKey("sheets.Sheet", models.SET_NULL, null=True, related_name="+")
    made_from = models.CharField(max_length=64, help_text="digest of car, circuit, weather, driver and sheet")
    offsets_m = models.JSONField(help_text="left of the centre line at even stations [m]")
    time_s = models.FloatField(help_text="its lap [s]")
    before_s = models.FloatField(help_text="the lap on the line of least curvature [s]")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"line of {self.time_s:.3f} s"
