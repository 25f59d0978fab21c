"""What is said of two laps against laps whose difference is known; the generator is `planted`."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.judge.traces.corner import windows
from apexcore.judge.traces.explain import Comparison, compared, sentence
from apexcore.judge.traces.frame import laid_on
from apexcore.judge.traces.place import placed
from apexcore.lap.orders import Order
from tests.amounts import many

from .planted import KINDS, PLACES, Planted, Sensors, bench, planted, seen

#: Other sensors than those that the thresholds were looked at with, and the least share of cases that must be right with each.
WORLDS = {
    "positions that wander for seconds": (Sensors(wander_s=4.0), 0.9),
    "positions that drift over half a lap": (Sensors(hz=50.0, wander_s=20.0, place_m=1.0), 0.85),
    "a poor receiver": (Sensors(hz=10.0, wander_s=2.0, place_m=1.5, speed_kmh=0.6), 0.9),
    "five samples a second": (Sensors(hz=5.0), 0.9),
    "a hundred samples a second": (Sensors(hz=100.0, place_m=0.1, speed_kmh=0.1), 0.95),
}


def shares(cases: list[Planted]) -> tuple[float, float, float]:
    """Shares of cases whose corner is named (or nothing is, where nothing differs), seconds right to 0.02 s, metres to 2 m."""
    metres = [abs(one.braked_m[0] - one.braked_m[1]) < 2.0 for one in cases if one.braked_m is not None]
    return (
        float(np.mean([one.right for one in cases])), float(np.mean([one.off_s < 0.02 for one in cases])),
        float(np.mean(metres)) if metres else 1.0,
    )  # fmt: skip


@pytest.mark.thorough
def test_the_corner_the_metres_and_the_seconds_of_a_planted_difference() -> None:
    cases = list(planted(range(50_000, 50_000 + many(36, 120))))
    named, seconds, metres = shares(cases)
    quiet = [one.named is None for one in cases if one.kind == "none"]
    assert len(cases) > many(25, 90) and {one.kind for one in cases} == set(KINDS)
    assert named >= many(0.9, 0.95) and seconds >= many(0.9, 0.95) and metres >= many(0.8, 0.9) and np.mean(quiet) >= many(0.75, 0.9)


@pytest.mark.parametrize("world", list(WORLDS))
@pytest.mark.thorough_only
def test_other_sensors_are_not_taken_for_another_way_of_driving(world: str) -> None:
    sensors, least = WORLDS[world]
    cases = list(planted(range(60_000, 60_000 + many(12, 48)), sensors))
    assert np.mean([one.right for one in cases]) >= least - many(0.2, 0.0)
    quiet = [one.named is None for one in planted(range(61_001, 61_001 + many(24, 90), 6), sensors)]
    assert np.mean(quiet) >= many(0.5, 0.8)


@pytest.mark.thorough
def test_what_is_not_recorded_is_not_told() -> None:
    cases = list(planted(range(70_000, 70_000 + many(12, 36)), drop=("brake_pct", "throttle_pct", "gear")))
    for one in cases:
        for row in one.comparison.rows:
            assert row.lap is None or (row.lap.gear is None and row.lap.open_m is None)
            assert not {cause.kind for cause in row.causes} & {"gear", "open", "full", "lift", "pressure"}
    assert np.mean([one.right for one in cases]) >= many(0.8, 0.9)
    blind = list(planted(range(70_100, 70_100 + many(12, 36)), drop=("x_m", "y_m")))
    assert all(row.lap.offset_m is None for one in blind for row in one.comparison.rows if row.lap)
    assert np.mean([one.right for one in blind]) >= many(0.75, 0.85)


def _compared(told: list[Order], seed: int = 3, scatter: dict[int, float] | None = None) -> Comparison:
    where, rng = bench(*PLACES[0]), np.random.default_rng(seed)
    line = where.case.line
    one, other = (seen(line, lap, rng, Sensors()) for lap in (where.tried._run(line, told), where.lap))
    frame = laid_on(one.columns["x_m"], one.columns["y_m"], where.base, [(other.columns["x_m"], other.columns["y_m"])])
    laps = placed([one, other], where.base, [frame, frame])
    return compared(laps[0], laps[1], windows(line, where.spans), line.length_m, scatter)


def test_the_parts_add_up_to_the_gap_and_change_their_signs_with_the_laps() -> None:
    found = _compared([Order(0.0, 1e4, leaning=0.97)])
    assert sum(row.total_s for row in found.rows) == pytest.approx(found.gap_s, abs=1e-9)
    assert [row.from_m for row in found.rows[1:]] == [row.to_m for row in found.rows[:-1]] and found.rows[-1].to_m == found.length_m
    for row in found.rows:
        assert row.total_s == pytest.approx(row.brake_s + row.middle_s + row.exit_s + row.after_s, abs=1e-12)
    where = bench(*PLACES[0])
    back = compared(found.reference, found.lap, windows(where.case.line, where.spans), found.length_m)
    assert back.gap_s == -found.gap_s
    assert sum(row.total_s for row in back.rows) == pytest.approx(-found.gap_s, abs=1e-9)


def test_more_scatter_of_the_drivers_laps_explains_less() -> None:
    told = [Order(0.0, 1e4, leaning=0.97)]
    assert _compared(told).dearest()
    loose = _compared(told, scatter=dict.fromkeys(range(30), 0.5))
    assert not loose.dearest() and not any(row.causes for row in loose.rows)
    assert "is usual for such laps." in sentence(loose) and any(row.usual for row in loose.rows)


def test_the_sentence_names_gap_corner_and_deed() -> None:
    where = bench(*PLACES[0])
    apex = where.tried._slowest(where.spans[0])
    begin = where.tried._braking(apex)[0]
    assert begin is not None
    slower = where.tried._early(begin, apex, 15.0)
    rng = np.random.default_rng(9)
    one, other = (seen(where.case.line, lap, rng, Sensors()) for lap in (slower, where.lap))
    frame = laid_on(one.columns["x_m"], one.columns["y_m"], where.base, [(other.columns["x_m"], other.columns["y_m"])])
    laps = placed([one, other], where.base, [frame, frame])
    told = sentence(compared(laps[0], laps[1], windows(where.case.line, where.spans), where.case.line.length_m), "the best lap")
    assert told.startswith(f"{slower.time_s - where.lap.time_s:.2f} s slower than the best lap; most of it in ")
    assert where.spans[0].name in told and "(1): braked 1" in told and "m early" in told


def test_a_circuit_without_corners_is_one_row() -> None:
    where = bench(*PLACES[0])
    rng = np.random.default_rng(1)
    laps = placed([seen(where.case.line, where.lap, rng, Sensors()) for _ in range(2)], where.base, [None, None])
    found = compared(laps[0], laps[1], [], where.case.line.length_m)
    assert len(found.rows) == 1 and found.rows[0].total_s == pytest.approx(found.gap_s) and found.rows[0].title.startswith("Start line")


def test_a_cause_goes_the_way_of_its_seconds_and_every_part_stands_in_the_order_of_size() -> None:
    for seed in range(6):
        found = _compared([Order(0.0, 1e4, leaning=0.97 if seed % 2 else 0.94)], seed)
        assert [abs(row.total_s) for row in found.by_size()] == sorted((abs(row.total_s) for row in found.rows), reverse=True)
        assert sum(row.total_s for row in found.by_size()) == pytest.approx(found.gap_s, abs=1e-9)
        for row in found.rows:
            for cause in row.causes:
                if cause.words.startswith("braked") and " early" in cause.words:
                    assert row.total_s > 0.0
                if " later" in cause.words or " less at" in cause.words:
                    assert row.total_s > 0.0
                if " late" in cause.words and " later" not in cause.words:
                    assert row.total_s < 0.0


def test_where_the_largest_part_is_usual_it_is_named_first_and_the_unusual_after_it() -> None:
    found = _compared([Order(0.0, 1e4, leaning=0.97)])
    largest = found.by_size()[0]
    assert largest.window is not None and largest.clear
    calm = _compared([Order(0.0, 1e4, leaning=0.97)], scatter={largest.window.number: 9.0})
    told = sentence(calm)
    assert "is usual for such laps; beyond the usual" in told and told.index(largest.title) < told.index("beyond the usual")
    assert calm.by_size()[0].usual and not calm.by_size()[0].causes


@pytest.mark.parametrize("rest", [0.0, 3.0, 6.0, 12.0])
def test_a_brake_that_rests_above_nothing_puts_no_braking_point_elsewhere(rest: float) -> None:
    where = bench(*PLACES[0])
    line, rng = where.case.line, np.random.default_rng(2)
    plain = seen(line, where.lap, rng, Sensors())
    rested = replace(plain, columns={**plain.columns, "brake_pct": plain.columns["brake_pct"] + rest + rng.normal(0.0, 0.3, len(plain.t))})
    laps = placed([plain, rested], where.base, [None, None])
    found = compared(laps[1], laps[0], windows(line, where.spans), line.length_m)
    apart = [
        row.lap.brake_m - row.reference.brake_m
        for row in found.rows
        if row.lap and row.reference and row.lap.brake_m is not None and row.reference.brake_m is not None
    ]
    assert len(apart) >= 5 and max(abs(one) for one in apart) < 3.0
    assert sum(row.lap is not None and row.lap.brake_m is not None for row in found.rows) == len(apart)
