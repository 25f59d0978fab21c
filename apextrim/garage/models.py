"""Cars and sheets as rows."""

from django.conf import settings
from django.db import models


class Car(models.Model):
    """A car of one owner: the file of `apexcore.vehicle.car.Car`."""

    OWNER = "owner"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="cars")
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=60)
    data = models.TextField()
    previous = models.TextField(blank=True, help_text="the file before the last change, for its undo")

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "key"], name="one_car_per_key")]

    def __str__(self) -> str:
        return self.name


class Sheet(models.Model):
    """A saved sheet of an event; never changed once saved."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="sheets")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", models.SET_NULL, null=True, blank=True, related_name="children")
    reason = models.CharField(max_length=200)
    values = models.JSONField(help_text="value of every item, by key, in the item's unit")
    modelled_s = models.FloatField(null=True, help_text="modelled lap against the parent's [s], at the time of saving")
    made_at = models.DateTimeField()

    #: How far in it stands in the tree of an event's sheets; set where the tree is read.
    depth: int = 0

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["event", "number"], name="one_sheet_per_number")]

    def __str__(self) -> str:
        return self.name

    @property
    def name(self) -> str:
        """What the product calls it."""
        return f"S{self.number}"


class Search(models.Model):
    """A search for a better sheet: asked, under way, or ended. The worker tells its progress here and reads whether to stop."""

    OWNER = "event__owner"
    STATES = [("running", "running"), ("done", "done"), ("stopped", "stopped"), ("failed", "failed")]

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="searches")
    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="searches")
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


class TyreReading(models.Model):
    """One stop with gauge and pyrometer; what was not read is not in `values`."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="readings")
    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="readings")
    run = models.ForeignKey("runs.Run", models.SET_NULL, null=True, blank=True, related_name="readings")
    values = models.JSONField(help_text="kPa, degC and % by field and wheel")
    conditions = models.JSONField(help_text="the weather then")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"reading on {self.sheet}"

    @property
    def words(self) -> str:
        """What was read, short."""
        hot = [f"{self.values[key]:.0f}" for key in ("hot_fl", "hot_fr", "hot_rl", "hot_rr") if key in self.values]
        tread = sum(1 for key in self.values if key.startswith("inner_"))
        parts = [f"hot {' '.join(hot)} kPa" if hot else "", f"tread of {tread} wheels" if tread else ""]
        return ", ".join(part for part in parts if part)
