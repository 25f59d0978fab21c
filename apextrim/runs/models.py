"""Runs and laps as rows."""

from django.db import models


class Run(models.Model):
    """Laps driven in one go, from pit to pit."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="runs")
    session = models.ForeignKey("events.Session", models.SET_NULL, null=True, blank=True, related_name="runs")
    sheet = models.ForeignKey("garage.Sheet", models.PROTECT, related_name="runs")
    number = models.PositiveIntegerField()
    front = models.CharField(max_length=40, help_text="compound at the front")
    rear = models.CharField(max_length=40, help_text="compound at the rear")
    tyre_age = models.FloatField(help_text="laps on the tyres before this run")
    fuel_l = models.FloatField(help_text="fuel at the start [l]")
    note = models.CharField(max_length=200, blank=True)
    conditions = models.JSONField(help_text="the file of apexcore.circuit.conditions.Conditions at the time")
    by_virtual_driver = models.BooleanField(default=False)
    made_at = models.DateTimeField()
    deleted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["event", "number"], name="one_run_per_number")]

    def __str__(self) -> str:
        return self.name

    @property
    def name(self) -> str:
        """What the product calls it."""
        return f"R{self.number}"


class Lap(models.Model):
    """One lap of a run."""

    OWNER = "run__event__owner"

    run = models.ForeignKey(Run, models.CASCADE, related_name="laps")
    number = models.PositiveIntegerField()
    time_s = models.FloatField()
    kind = models.CharField(max_length=8, default="timed")
    fuel_l = models.FloatField(null=True, help_text="fuel burnt on it [l], if measured")

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["run", "number"], name="one_lap_per_number"),
            models.CheckConstraint(condition=models.Q(time_s__gt=0), name="lap_time_above_zero"),
        ]

    def __str__(self) -> str:
        return f"lap {self.number}"
