"""Events, their sessions and their thread as rows."""

from django.conf import settings
from django.db import models

from apextrim.accounts.binned import Everything, Present


class Event(models.Model):
    """One car at one circuit: the workspace."""

    OWNER = "owner"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="events")
    name = models.CharField(max_length=80)
    car = models.ForeignKey("library.Car", models.PROTECT, related_name="events")
    circuit = models.ForeignKey("library.Circuit", models.PROTECT, related_name="events")
    real_car = models.BooleanField(default=False, help_text="a real car shows the cautions; a simulator does not")
    driver = models.CharField(max_length=20, default="solid midfielder", help_text="level of apexcore.lap.driver.LEVELS that models assume")
    conditions = models.JSONField(default=dict, help_text="the file of apexcore.circuit.conditions.Conditions")
    rules = models.JSONField(default=dict, help_text="the file of apexcore.race.rules.RaceRules")
    item_rules = models.JSONField(default=dict, help_text="least and greatest value of items under the event's rules, by key")
    class_limits = models.JSONField(default=dict, help_text="the file of apexcore.vehicle.class_limits.ClassLimits")
    calibration = models.JSONField(default=dict, help_text="scales of the car that the racer applied; empty for the book car")
    line = models.TextField(
        default="", blank=True, help_text="offsets of the line that the benches stand on, as JSON; least curvature if empty"
    )
    session = models.ForeignKey("events.Session", models.SET_NULL, null=True, blank=True, related_name="+")
    made_at = models.DateTimeField()
    deleted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.name


class Session(models.Model):
    """A session of an event."""

    OWNER = "event__owner"
    KINDS = [("practice", "practice"), ("qualifying", "qualifying"), ("race", "race")]

    event = models.ForeignKey(Event, models.CASCADE, related_name="sessions")
    name = models.CharField(max_length=40)
    kind = models.CharField(max_length=12, choices=KINDS)
    starts_at = models.DateTimeField()
    deleted_at = models.DateTimeField(null=True, blank=True)

    objects = Present()
    everything = Everything()

    class Meta:
        ordering = ["starts_at", "pk"]

    def __str__(self) -> str:
        return self.name


class Knot(models.Model):
    """One thing that happened, on the thread: the log line of the action that made it."""

    OWNER = "event__owner"
    KINDS = [(kind, kind) for kind in ("brief", "sheet", "run", "verdict", "plan")]

    event = models.ForeignKey(Event, models.CASCADE, related_name="knots")
    at = models.DateTimeField()
    kind = models.CharField(max_length=8, choices=KINDS)
    label = models.CharField(max_length=24)
    text = models.CharField(max_length=240)
    target = models.PositiveBigIntegerField(null=True, help_text="key of the row it tells of")
    hidden = models.BooleanField(default=False, help_text="its row is deleted, and could come back")

    class Meta:
        ordering = ["at", "pk"]
        indexes = [models.Index(fields=["event", "at"])]

    def __str__(self) -> str:
        return f"{self.label}: {self.text}"
