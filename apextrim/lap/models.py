"""Lines that were searched for, as rows."""

from django.db import models


class FoundLine(models.Model):
    """The lines of least time that were found for an event's car on a day, and what they were made from."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="lines")
    made_from = models.CharField(max_length=64, help_text="digest of car, circuit, weather, driver and base sheet")
    offsets_m = models.JSONField(help_text="of each line, the base sheet's best first: left of the centre line at even stations [m]")
    time_s = models.FloatField(help_text="lap of the base sheet on the first [s]")
    before_s = models.FloatField(help_text="its lap on the line of least curvature [s]")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [models.UniqueConstraint(fields=["event", "made_from"], name="lines_of_a_day")]

    def __str__(self) -> str:
        return f"line of {self.time_s:.3f} s"


class AskedLine(models.Model):
    """A line under a wish for one corner, and what it costs."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="asked_lines")
    corner = models.PositiveSmallIntegerField()
    wish = models.CharField(max_length=12, help_text="kind, and number of a lane")
    made_from = models.CharField(max_length=64, help_text="digest of the case, the free line, the corner and the wish")
    offsets_m = models.JSONField(default=list, help_text="left of the centre line at even stations [m]; empty until it is found")
    figures = models.JSONField(default=dict, help_text="of the stretch on which it differs, and of the free line there")
    problem = models.TextField(blank=True, help_text="why there is no such line")
    job = models.ForeignKey("work.Job", models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [models.UniqueConstraint(fields=["event", "made_from"], name="asked_line_of_a_case")]

    def __str__(self) -> str:
        return f"corner {self.corner}: {self.wish}"


class TrainedMark(models.Model):
    """What one turn of the trainer said of a corner."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="trained")
    run = models.ForeignKey("runs.Run", models.SET_NULL, null=True, blank=True, related_name="+")
    turn = models.PositiveIntegerField(help_text="1 for the first time out")
    corner = models.PositiveSmallIntegerField()
    at_m = models.FloatField(help_text="the mark, along the middle of the road [m]")
    model_m = models.FloatField(null=True, help_text="the model's braking point then, along the middle of the road [m]")
    felt = models.CharField(max_length=8, blank=True, help_text="early, good, late; anew for other conditions; empty where samples speak")
    board = models.BooleanField(default=True, help_text="whether the mark is one that a driver sees")
    late = models.FloatField(help_text="chance that it was too late [-]")
    exits_ms = models.JSONField(default=list, help_text="speeds behind the corner on the laps of the run [m/s]")
    conditions = models.JSONField(default=dict, help_text="the weather then; empty where nobody kept it")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["turn", "corner"]
        constraints = [models.UniqueConstraint(fields=["event", "turn", "corner"], name="one_mark_per_turn")]

    def __str__(self) -> str:
        return f"turn {self.turn}, corner {self.corner}: {self.at_m:.0f} m"
