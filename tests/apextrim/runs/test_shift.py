"""Lap times to expect: what is assumed of a car before its laps, and where they lie after them."""

import math

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from apexcore.judge.shift import shift_of
from apextrim.events.models import Event
from apextrim.events.signals import pace_shift
from apextrim.runs.actions import set_weather
from apextrim.runs.models import Lap
from apextrim.sheets.models import Sheet
from tests.apextrim.readings.test_readings import text_of


def test_a_shift_is_known_as_well_as_its_runs_tell() -> None:
    """Simulated cars whose ratio is drawn, and runs about it: 95 % of the next runs lie within what is said."""
    rng = np.random.default_rng(3)
    for runs in (0, 1, 3, 6):
        held = 0
        for _ in range(1500):
            own = rng.normal(0.0, 0.035)
            pairs = [(43.0 * math.exp(own + rng.normal(0.0, 0.006)), 43.0) for _ in range(runs)]
            shift, then = shift_of(pairs), 43.0 * math.exp(own + rng.normal(0.0, 0.006))
            held += abs(then - shift.expected_s(43.0)) <= shift.half_s(43.0)
        assert 0.93 < held / 1500 < 0.975, runs
    none, many = shift_of([]), shift_of([(49.0, 43.0)] * 3)
    assert none.expected_s(43.0) == 43.0 and none.half_s(43.0) > 2.5  # grip within 8 % is not 0.3 s
    assert many.expected_s(43.0) == pytest.approx(49.0, abs=0.1) and many.half_s(43.0) < 0.8 and many.runs == 3


def test_the_brief_expects_what_was_driven(client_in: Client, event: Event, first: Sheet, drive) -> None:  # type: ignore[no-untyped-def]
    page = text_of(client_in.get(reverse("brief", args=[event.pk])))
    assert "nobody knows of a car before its first lap" in page
    before = pace_shift(event)
    runs = [drive(first, seed) for seed in range(2)]
    for lap in Lap.objects.filter(run__event=event, kind="timed"):
        lap.time_s *= 1.1
        lap.save()
    after = pace_shift(event)
    assert after.runs == 2 and 0.05 < after.log < 0.16 and after.sd < 0.3 * before.sd
    assert "Moved to where your laps of 2 runs lie" in text_of(client_in.get(reverse("brief", args=[event.pk])))
    set_weather(runs[0], 30.0, 0.0, "spun")
    assert pace_shift(event).runs == 1
