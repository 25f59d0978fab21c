"""Verdicts that a racer kept."""

from django.db import models


class KeptVerdict(models.Model):
    """A verdict as it stood when it was kept; later laps do not change it."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="verdicts")
    by = models.CharField(max_length=60, default="sheet", help_text="kind of difference: sheet, tyres or tag:NAME")
    key_a = models.CharField(max_length=90, help_text="A as the address of the bench has it")
    key_b = models.CharField(max_length=90, help_text="B likewise")
    side_a = models.CharField(max_length=90, help_text="A in words")
    side_b = models.CharField(max_length=90, help_text="B in words")
    margin_s = models.FloatField()
    mean_s = models.FloatField()
    low_s = models.FloatField()
    high_s = models.FloatField()
    sentence = models.CharField(max_length=600)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["made_at"]

    def __str__(self) -> str:
        return self.sentence


class PlannedTest(models.Model):
    """A test as it was planned; its runs are found by what they carry."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="tests")
    differences = models.JSONField(help_text="of each difference: kind, key and words of its off side, key and words of its on side")
    order = models.JSONField(help_text="of each run, which differences are on")
    laps = models.PositiveIntegerField(help_text="timed laps a run")
    difference_s = models.FloatField()
    power = models.FloatField()
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return f"test of {len(self.order)} runs"


class Calibration(models.Model):
    """The model of a car held against its laps; applied only when the racer says so."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="calibrations")
    scales = models.JSONField(help_text="of each of apexcore.judge.calibration.SCALES, 1 is the book")
    spread = models.JSONField(help_text="half the 95 % interval of each")
    driver = models.FloatField(help_text="change of the driver's share of the envelope")
    driver_spread = models.FloatField()
    laps = models.PositiveIntegerField()
    before_s = models.FloatField()
    after_s = models.FloatField()
    level_before_s = models.FloatField()
    level_after_s = models.FloatField()
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"calibration on {self.laps} laps"
