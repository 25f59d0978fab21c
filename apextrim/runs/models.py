"""Runs and laps as rows."""

from django.db import models


class Run(models.Model):
    """Laps driven in one go, from pit to pit."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="runs")
    session = models.ForeignKey("events.Session", models.SET_NULL, null=True, blank=True, related_name="runs")
    sheet = models.ForeignKey("sheets.Sheet", models.PROTECT, related_name="runs")
    number = models.PositiveIntegerField()
    front = models.CharField(max_length=40, help_text="compound at the front")
    rear = models.CharField(max_length=40, help_text="compound at the rear")
    tyre_age = models.FloatField(help_text="laps on the tyres before this run")
    fuel_l = models.FloatField(help_text="fuel at the start [l]")
    note = models.CharField(max_length=200, blank=True)
    fuel_end_l = models.FloatField(null=True, blank=True, help_text="fuel at the end [l], if measured")
    tyre_set = models.CharField(max_length=24, blank=True, help_text="which set of tyres")
    tags = models.JSONField(default=dict, help_text="what may be judged besides the sheet, by name")
    words = models.JSONField(default=dict, help_text="what the car did, by phase of the corner")
    logger = models.ForeignKey("runs.LoggerKey", models.SET_NULL, null=True, blank=True, related_name="runs")
    logger_run = models.CharField(max_length=40, blank=True, help_text="what its logger calls it")
    closed = models.BooleanField(default=True, help_text="false while a logger still sends its laps")
    conditions = models.JSONField(help_text="the file of apexcore.circuit.conditions.Conditions at the time")
    by_virtual_driver = models.BooleanField(default=False)
    made_at = models.DateTimeField()
    deleted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["event", "number"], name="one_run_per_number"),
            models.UniqueConstraint(fields=["logger", "logger_run"], condition=~models.Q(logger_run=""), name="one_run_per_logger_run"),
        ]

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
    sectors_s = models.JSONField(default=list, help_text="times of its sectors [s], if taken")
    top_ms = models.FloatField(null=True, help_text="its highest speed [m/s], if measured")
    why = models.CharField(max_length=80, blank=True, help_text="why it is set aside")

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["run", "number"], name="one_lap_per_number"),
            models.CheckConstraint(condition=models.Q(time_s__gt=0), name="lap_time_above_zero"),
        ]

    def __str__(self) -> str:
        return f"lap {self.number}"


class LoggerKey(models.Model):
    """What a logger signs in with; only its digest is kept."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="logger_keys")
    name = models.CharField(max_length=40)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField()
    heard_at = models.DateTimeField(null=True, blank=True)
    withdrawn_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class Sample(models.Model):
    """Channels at one moment of a run."""

    OWNER = "run__event__owner"

    run = models.ForeignKey(Run, models.CASCADE, related_name="samples")
    t_ms = models.PositiveIntegerField(help_text="since the run began [ms]")
    channels = models.JSONField()

    class Meta:
        ordering = ["t_ms"]
        constraints = [models.UniqueConstraint(fields=["run", "t_ms"], name="one_sample_per_moment")]

    def __str__(self) -> str:
        return f"sample at {self.t_ms} ms"


class ColumnMatch(models.Model):
    """Which column is which in files with one header, as the racer chose it last."""

    OWNER = "owner"

    owner = models.ForeignKey("auth.User", models.CASCADE, related_name="column_matches")
    header = models.CharField(max_length=64, help_text="digest of the header line")
    columns = models.JSONField(help_text="place of each column of ours")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["owner", "header"], name="one_match_per_header")]

    def __str__(self) -> str:
        return f"columns of {self.header[:8]}"


class TyreReading(models.Model):
    """One stop with gauge and pyrometer; what was not read is not in `values`."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="readings")
    sheet = models.ForeignKey("sheets.Sheet", models.CASCADE, related_name="readings")
    run = models.ForeignKey(Run, models.SET_NULL, null=True, blank=True, related_name="readings")
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
