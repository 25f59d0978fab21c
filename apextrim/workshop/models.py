"""Long work on a sheet as rows: searches for a better one, and steps on lines of their own."""

from django.db import models


class OwnLines(models.Model):
    """Effects of steps with the line made anew for each, as far as they are found."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="own_lines")
    made_from = models.CharField(max_length=64, help_text="digest of car, circuit, weather, driver, sheet and line")
    values = models.JSONField(help_text="the sheet's values by item")
    effects_s = models.JSONField(
        default=dict, help_text="by item and signed steps, such as wing+1: change of lap time, and how two lines differ on it [s]"
    )
    asked = models.PositiveSmallIntegerField(help_text="steps that are looked at")
    job = models.ForeignKey("work.Job", models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [models.UniqueConstraint(fields=["event", "made_from"], name="own_lines_of_a_case")]

    def __str__(self) -> str:
        return f"{len(self.effects_s)} of {self.asked} steps on own lines"


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
