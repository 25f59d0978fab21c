"""Searches for a better sheet as rows."""

from django.db import models


class Search(models.Model):
    """A search for a better sheet: asked, under way, or ended. The worker tells its progress here and reads whether to stop."""

    OWNER = "event__owner"
    STATES = [("running", "running"), ("done", "done"), ("stopped", "stopped"), ("failed", "failed")]

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="searches")
    sheet = models.ForeignKey("sheets.Sheet", models.CASCADE, related_name="searches")
    aim = models.CharField(max_length=12)
    options = models.JSONField(help_text="free items by key, limits and laps")
    state = models.CharField(max_length=8, choices=STATES, default="running")
    stop = models.BooleanField(default=False)
    progress = models.FloatField(default=0.0)
    result = models.JSONField(null=True)
    error = models.CharField(max_length=400, blank=True)
    made_at = models.DateTimeField()
    beat_at = models.DateTimeField(help_text="when the worker was last heard of")

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return f"search {self.pk} from {self.sheet}"
