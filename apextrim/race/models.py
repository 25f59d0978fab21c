"""Race plans that a racer kept, and races as they are driven."""

from django.db import models


class KeptPlan(models.Model):
    """A plan as it stood when it was kept."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="plans")
    stints = models.JSONField(help_text="list of [compound, laps, fuel in litres, age of the tyres, changed before it, fuel saved in %]")
    time_s = models.FloatField()
    start_fuel_l = models.FloatField()
    text = models.CharField(max_length=200)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["made_at"]

    def __str__(self) -> str:
        return self.text


class LiveRace(models.Model):
    """A race as it is driven."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="races")
    setup = models.JSONField(help_text="the file of apexcore.formats.race_file.SetupFile")
    followed = models.JSONField(default=list, help_text="plans taken since, as [mark, file of PlanValue, what was said]")
    threshold_s = models.FloatField(default=1.0)
    started_ms = models.BigIntegerField(help_text="by the clock of who started it [ms]")
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    own_car = models.CharField(max_length=12, blank=True, help_text="what timing calls one's own car; empty where none is connected")

    class Meta:
        ordering = ["started_at"]

    def __str__(self) -> str:
        return f"race of {self.started_at:%d %B %Y}"


#: How the key of a stop begins that timing told of.
TIMED_PIT = "timing-pit-"


class RaceMark(models.Model):
    """Something that happened in a race."""

    OWNER = "race__event__owner"

    race = models.ForeignKey(LiveRace, models.CASCADE, related_name="marks")
    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=8)
    time_s = models.FloatField(null=True, blank=True)
    litres = models.FloatField(null=True, blank=True)
    compound = models.CharField(max_length=81, blank=True)
    age = models.PositiveSmallIntegerField(default=0, help_text="laps that the fitted set was driven before")
    value = models.FloatField(null=True, blank=True, help_text="as apexcore.race.happened.Mark")
    laps = models.SmallIntegerField(default=0, help_text="as apexcore.race.happened.Mark")
    car = models.CharField(max_length=12, blank=True, help_text="which rival")
    key = models.CharField(max_length=40, help_text="what the browser or logger calls it, so that it is taken once")
    logger_lap = models.BigIntegerField(null=True, blank=True)
    timing_lap = models.PositiveSmallIntegerField(null=True, blank=True, help_text="lap of one's own car in the timing that it is")
    at_ms = models.BigIntegerField()
    undone = models.BooleanField(default=False)
    undone_by = models.CharField(max_length=40, blank=True, help_text="what the browser calls the taking back, so that it is done once")

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["race", "number"], name="one_mark_per_number"),
            models.UniqueConstraint(fields=["race", "key"], name="one_mark_per_key"),
        ]

    def __str__(self) -> str:
        return f"{self.number}: {self.kind}"

    @property
    def told_by_timing(self) -> bool:
        """Whether it is a stop that timing told of: entered as it was planned, until the racer says how it was."""
        return self.kind == "pit" and self.key.startswith(TIMED_PIT)


class TimedLine(models.Model):
    """A car of a race as it crosses the line."""

    OWNER = "race__event__owner"

    race = models.ForeignKey(LiveRace, models.CASCADE, related_name="timing")
    car = models.CharField(max_length=12)
    lap = models.PositiveSmallIntegerField()
    clock_s = models.FloatField(help_text="since the race began [s]")
    pit = models.BooleanField(default=False, help_text="whether it came into the pit as that lap ended")
    group = models.CharField(max_length=12, blank=True, help_text="its class")

    class Meta:
        ordering = ["clock_s"]
        constraints = [models.UniqueConstraint(fields=["race", "car", "lap"], name="one_line_per_car_and_lap")]

    def __str__(self) -> str:
        return f"{self.car}, lap {self.lap}"
