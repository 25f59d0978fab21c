"""Positions laid on a circuit, against frames that are known."""

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.frame import laid_on, metres_of, scale_fits
from apexcore.judge.traces.place import placed

from .planted import PLACES, Sensors, bench, seen


def test_the_frame_of_a_recording_is_found_again_whatever_it_is() -> None:
    where = bench(*PLACES[1])
    for seed in range(6):
        rng = np.random.default_rng(seed)
        turn = np.exp(1j * rng.uniform(0, 2 * np.pi)) * rng.uniform(0.8, 1.25)
        lap = seen(where.case.line, where.lap, rng, Sensors(place_m=0.3), turn)
        frame = laid_on(lap.columns["x_m"], lap.columns["y_m"], where.base)
        assert frame.turn == pytest.approx(1 / turn, abs=2e-3) and not frame.backwards and frame.off_m < 1.0
        assert scale_fits(frame) == (abs(abs(1 / turn) - 1) <= 0.03)
        start = frame.in_recording(where.base.start())
        truth = (where.base.x[0] + 1j * where.base.y[0]) * turn + 300.0 - 200.0j
        assert abs(complex(start.x, start.y) - truth) < 1.0


def test_the_other_way_round_is_seen_and_another_circuit_refused() -> None:
    where = bench(*PLACES[1])
    lap = seen(where.case.line, where.lap, np.random.default_rng(1), Sensors())
    frame = laid_on(lap.columns["x_m"][::-1], lap.columns["y_m"][::-1], where.base)
    assert frame.backwards
    other = bench(*PLACES[0])
    lap = seen(other.case.line, other.lap, np.random.default_rng(1), Sensors())
    with pytest.raises(InputError, match="off the road on average"):
        laid_on(lap.columns["x_m"], lap.columns["y_m"], where.base)
    with pytest.raises(InputError, match="positions of a car that moves"):
        laid_on(np.zeros(100), np.zeros(100), where.base)
    with pytest.raises(InputError, match="at least 20"):
        laid_on(np.full(100, np.nan), np.zeros(100), where.base)


def test_places_are_where_the_car_was() -> None:
    where = bench(*PLACES[0])
    line, rng = where.case.line, np.random.default_rng(4)
    laps = [seen(line, where.lap, rng, Sensors()) for _ in range(3)]
    frame = laid_on(
        laps[0].columns["x_m"], laps[0].columns["y_m"], where.base, [(one.columns["x_m"], one.columns["y_m"]) for one in laps[1:]]
    )
    clock = np.concatenate([[0.0], np.cumsum(where.lap.column("time"))])
    for one in placed(laps, where.base, [frame] * 3):
        truth = np.interp(one.t, clock, np.append(line.s, line.length_m))
        assert np.sqrt(np.mean((one.p - truth) ** 2)) < 3 * one.place_sd < 0.4
        assert one.p[0] == 0.0 and one.p[-1] == line.length_m and (np.diff(one.p) > 0).all()
        assert one.offset is not None and np.abs(one.offset).max() < 1.0
    blind = placed(laps[:1], where.base, [None])[0]
    assert blind.offset is None and np.abs(blind.p - np.interp(blind.t, clock, np.append(line.s, line.length_m))).max() < 2.0


def test_degrees_become_metres_about_one_place() -> None:
    latitude, longitude = np.array([47.0, 47.001, 0.0]), np.array([179.9995, -179.9995, 0.0])
    columns, origin = metres_of({"latitude_deg": latitude, "longitude_deg": longitude, "rpm": np.zeros(3)})
    assert origin is not None and set(columns) == {"rpm", "x_m", "y_m"} and np.isnan(columns["x_m"][2])
    assert columns["y_m"][1] - columns["y_m"][0] == pytest.approx(111.19, abs=0.05)
    assert columns["x_m"][1] - columns["x_m"][0] == pytest.approx(111.19 * np.cos(np.radians(47.0)), abs=0.1)
    again, same = metres_of({"latitude_deg": latitude[:1], "longitude_deg": longitude[:1]}, origin)
    assert same == origin and again["x_m"][0] == columns["x_m"][0]


def test_a_lap_that_tells_no_way_has_no_place() -> None:
    where = bench(*PLACES[0])
    with pytest.raises(InputError, match="a channel that tells where the car was"):
        placed([RecordedLap(1, np.linspace(0, 60, 100), {"rpm": np.ones(100)})], where.base, [None])
