"""Runs and laps as rows."""

from django.db import models

from apexcore.circuit.conditions import WET_FROM_PCT


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
    scrubbed = models.BooleanField(default=False, help_text="whether the set had been scrubbed before its first run")
    pace_laps = models.PositiveSmallIntegerField(default=0, help_text="laps behind a pace car before its first lap at speed")
    tags = models.JSONField(default=dict, help_text="what may be judged besides the sheet, by name")
    words = models.JSONField(default=dict, help_text="what the car did, by phase of the corner")
    logger = models.ForeignKey("runs.LoggerKey", models.SET_NULL, null=True, blank=True, related_name="runs")
    logger_run = models.CharField(max_length=40, blank=True, help_text="what its logger calls it")
    closed = models.BooleanField(default=True, help_text="false while a logger still sends its laps")
    conditions = models.JSONField(help_text="the file of apexcore.circuit.conditions.Conditions at the time")
    by_virtual_driver = models.BooleanField(default=False)
    left_out = models.CharField(max_length=120, blank=True, help_text="why nothing is judged by it; empty where it counts")
    sampled_to_s = models.FloatField(null=True, help_text="moment up to which a logger's samples are part of its laps [s]")
    file_digest = models.CharField(max_length=64, blank=True, help_text="of the recording that it came from")
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

    @property
    def wet_pct(self) -> float:
        """How wet the track was [%]."""
        return float(self.conditions.get("wet_pct", 0.0))

    @property
    def is_wet(self) -> bool:
        """Whether its laps are of a wet track."""
        return self.wet_pct >= WET_FROM_PCT


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
    at_s = models.FloatField(null=True, help_text="when it ended on its logger's clock [s], if told")

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
    keep_samples = models.BooleanField(default=False, help_text="whether samples stay as they came beside the laps' traces")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class Chunk(models.Model):
    """What a logger sent of its channels in one go, until it is part of the laps' traces."""

    OWNER = "run__event__owner"

    run = models.ForeignKey(Run, models.CASCADE, related_name="chunks")
    first_s = models.FloatField(help_text="its first moment on the logger's clock [s]")
    last_s = models.FloatField(help_text="its last moment [s]")
    rows = models.PositiveIntegerField()
    data = models.BinaryField(help_text="of apexcore.formats.packed")

    class Meta:
        ordering = ["pk"]
        indexes = [models.Index(fields=["run", "last_s"])]

    def __str__(self) -> str:
        return f"{self.rows} moments from {self.first_s:g} s"


class LapTrace(models.Model):
    """The channels of one lap, from start line to start line."""

    OWNER = "lap__run__event__owner"

    lap = models.OneToOneField(Lap, models.CASCADE, related_name="trace")
    data = models.BinaryField(help_text="of apexcore.formats.packed")
    rows = models.PositiveIntegerField()
    hz = models.FloatField(help_text="samples a second")
    keys = models.JSONField(default=list, help_text="channels that it has")
    units = models.JSONField(default=dict, help_text="units of channels that are not the product's own, by key")
    origin = models.JSONField(null=True, help_text="latitude and longitude that its positions are told from; null where they were metres")
    notes = models.JSONField(default=list, help_text="what was odd on it, as sentences")

    class Meta:
        ordering = ["lap__number"]

    def __str__(self) -> str:
        return f"trace of {self.lap}"


class Upload(models.Model):
    """A recording's file on its way in: kept until it is imported, or forgotten after a day."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="uploads")
    name = models.CharField(max_length=120, help_text="as it was called")
    stored = models.CharField(max_length=80, help_text="name of the file in the folder of uploads")
    size = models.BigIntegerField()
    digest = models.CharField(max_length=64, help_text="of what it holds")
    target = models.JSONField(default=dict, help_text="the run it is for, or what a new run of it is")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.name


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
        parts = [f"hot {', '.join(hot)} kPa" if hot else "", f"tread of {tread} wheels" if tread else ""]
        return ", ".join(part for part in parts if part)
