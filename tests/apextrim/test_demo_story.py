"""The demo's stored events are what its story tells."""

import gzip
from collections.abc import Iterator
from typing import Any

import pytest
from django.contrib.auth.models import User

from apexcore.formats.event_file import EventFile
from apexcore.formats.values_json import read_value
from apextrim.archive.actions import event_file
from demo.loader import EVENTS, load
from demo.story import tell
from scripts.story import shortened


def told(value: Any, place: str = "") -> Iterator[tuple[str, Any]]:
    """Every value of an event's file with its place; recordings are compared by themselves."""
    if isinstance(value, dict):
        for key, part in value.items():
            if key not in ("trace", "made_at", "started_at", "ended_at", "started_ms"):
                yield from told(part, f"{place}.{key}")
    elif isinstance(value, (list, tuple)):
        yield f"{place}#", len(value)
        for k, part in enumerate(value):
            yield from told(part, f"{place}[{k}]")
    else:
        yield place, value


@pytest.mark.thorough_only
@pytest.mark.django_db
def test_the_stored_events_are_what_the_story_tells() -> None:
    """Another processor may round otherwise: numbers within a ten-thousandth, recordings within what they are rounded to."""
    user = User.objects.create(username="teller")
    tell(user)
    stored = [read_value(gzip.decompress(path.read_bytes()), EventFile, "an event", 10**9) for path in sorted(EVENTS.glob("*.json.gz"))]
    driven = [shortened(event_file(event)) for event in user.events.order_by("pk")]
    assert [one.name for one in stored] == [one.name for one in driven]
    for kept, fresh in zip(stored, driven, strict=True):
        a, b = dict(told(kept.model_dump(exclude={"knots"}))), dict(told(fresh.model_dump(exclude={"knots"})))
        assert a.keys() == b.keys()
        for place, value in a.items():
            if isinstance(value, float):
                assert value == pytest.approx(b[place], rel=1e-4, abs=2e-3), (kept.name, place)
            elif not isinstance(value, str):  # sentences hold rounded numbers
                assert value == b[place], (kept.name, place)
        for run, again in zip(kept.runs, fresh.runs, strict=True):
            for lap, other in zip(run.laps, again.laps, strict=True):
                assert (lap.trace is None) == (other.trace is None)


@pytest.mark.django_db
def test_the_demo_has_its_events_in_order_with_recordings() -> None:
    user = User.objects.create(username="visitor")
    main = load(user)
    names = list(user.events.order_by("pk").values_list("name", flat=True))
    assert names[0] == main.name == "The Sallowmere Trophy, round 2" and len(names) == 6
    assert names[3:] == ["Fen sprint", "The Sallowmere Trophy, round 1", "Sallowmere test day"]
    assert main.runs.count() == 13 and main.sheets.count() == 4 and main.verdicts.count() == 2 and main.plans.count() == 1
    recorded = {run.pk: sum(hasattr(lap, "trace") and lap.trace is not None for lap in run.laps.all()) for run in main.runs.all()}
    assert min(recorded.values()) >= 3 and max(recorded.values()) == 5
    assert main.book.count() > 20 and main.trained.count() > 4
    load(user)  # the same files again add nothing
    assert user.events.count() == 6
