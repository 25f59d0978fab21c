"""Circuits from recorded laps against the circuits that they were driven on."""

import numpy as np
import pytest

from apexcore.circuit.line import corners, offset_line
from apexcore.circuit.track import Circuit, centre_line
from apexcore.errors import InputError
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.frame import laid_on
from apexcore.judge.traces.survey import Survey, parted_alone, surveyed

from .planted import PLACES, Bench, Sensors, bench, seen


def recorded(where: Bench, seed: int, sensors: Sensors, accel_sd: float = 0.3, scale: float = 1.0, offset: float = 0.0) -> RecordedLap:
    """A lap with a lateral accelerometer besides."""
    rng = np.random.default_rng(seed)
    lap = seen(where.case.line, where.lap, rng, sensors, np.exp(1j * 0.4))
    clock = np.concatenate([[0.0], np.cumsum(where.lap.column("time"))])
    lateral = where.lap.column("speed") ** 2 * where.case.line.road[:, 0]
    true = np.interp(lap.t, clock, np.append(lateral, lateral[0]))
    return RecordedLap(1, lap.t, {**lap.columns, "accel_lat_ms2": scale * true + offset + accel_sd * rng.normal(size=len(lap.t))})


def as_circuit(survey: Survey) -> Circuit:
    return Circuit(key="found", name="Found", layout="whole", width_m=10.0, points_m=survey.points())


def corner_turns(where: Bench, survey: Survey) -> list[tuple[float, float]]:
    """Mean curvature of each corner: of the line that was driven, and of what was found."""
    line = where.case.line
    found = offset_line(centre_line(as_circuit(survey)), np.zeros(len(centre_line(as_circuit(survey)).x)))
    mine, true = found.road[:, 0], line.road[:, 0]
    pairs = []
    for span in where.spans:
        low, high = line.s[span.first] / line.length_m, line.s[span.last % len(line.s)] / line.length_m
        share = np.linspace(low, high if high > low else high + 1.0, 200) % 1.0
        ours = np.interp(share, found.s / found.length_m, mine, period=1.0)
        pairs.append((float(np.interp(share, line.s / line.length_m, true, period=1.0).mean()), float(ours.mean())))
    return pairs


@pytest.mark.parametrize("place", PLACES[:2])
@pytest.mark.parametrize("laps", [1, 4])
@pytest.mark.parametrize("source", ["positions", "accelerations", "both"])
def test_length_and_corners_of_a_circuit_from_laps(place: tuple[str, str], laps: int, source: str) -> None:
    where = bench(*place)
    driven = [recorded(where, seed, Sensors(hz=25.0)) for seed in range(laps)]
    if source == "accelerations":
        driven = [
            RecordedLap(1, lap.t, {key: column for key, column in lap.columns.items() if key not in ("x_m", "y_m")}) for lap in driven
        ]
    survey = surveyed(driven)
    circuit = as_circuit(survey)
    length = centre_line(circuit).length_m
    assert survey.laps == laps and survey.source.startswith("speed" if source == "accelerations" else "positions")
    assert abs(length / where.case.line.length_m - 1.0) < 0.002
    for true, found in corner_turns(where, survey):
        assert abs(found / true - 1.0) < 0.05, (true, found)
    assert len(corners(circuit, offset_line(centre_line(circuit), np.zeros(len(centre_line(circuit).x))))) >= len(where.spans) // 2


@pytest.mark.thorough_only
@pytest.mark.parametrize("place", PLACES[:2])
def test_an_accelerometer_that_reads_wrong_is_put_right_by_positions(place: tuple[str, str]) -> None:
    """6 % too much, 0.4 m/s² aside, beside positions that wander by metres: corners within 5 %, as with one that reads true; one that tells
    nothing of the road is passed over."""
    where, rng = bench(*place), np.random.default_rng(9)
    driven = []
    for seed in range(3):
        lap = recorded(where, seed, Sensors(hz=10.0, place_m=0.3), scale=1.06, offset=0.4)
        slow = np.cumsum(rng.normal(0.0, 0.25, (2, len(lap.t))), axis=1)
        slow -= np.linspace(0.0, 1.0, len(lap.t)) * slow[:, -1:]
        driven.append(RecordedLap(1, lap.t, {**lap.columns, "x_m": lap.columns["x_m"] + slow[0], "y_m": lap.columns["y_m"] + slow[1]}))
    pairs = corner_turns(where, surveyed(driven))
    assert np.mean([abs(found / true - 1.0) < 0.05 for true, found in pairs]) >= 0.9
    noise = [RecordedLap(1, lap.t, {**lap.columns, "accel_lat_ms2": rng.normal(0.0, 8.0, len(lap.t))}) for lap in driven[:1]]
    survey = surveyed(noise)
    assert survey.source == "positions" and survey.lap_spread > 0.0
    lap = driven[0]
    for felt in (np.full(len(lap.t), np.nan), np.zeros(len(lap.t))):  # an accelerometer that is none
        assert surveyed([RecordedLap(1, lap.t, {**lap.columns, "accel_lat_ms2": felt})]).source == "positions"
    gaps = np.where(np.arange(len(lap.t)) % 15 == 3, np.nan, lap.columns["accel_lat_ms2"])
    assert surveyed([RecordedLap(1, lap.t, {**lap.columns, "accel_lat_ms2": gaps})]).lap_spread == 0.0  # one with gaps is used


def test_an_accelerometer_that_reads_wrong_is_made_to_close() -> None:
    where = bench(*PLACES[0])
    driven = [recorded(where, seed, Sensors(hz=50.0), scale=1.03, offset=0.15) for seed in range(3)]
    driven = [RecordedLap(1, lap.t, {key: column for key, column in lap.columns.items() if key not in ("x_m", "y_m")}) for lap in driven]
    survey = surveyed(driven)
    frame = laid_on(survey.x, survey.y, where.base)
    assert frame.off_m < 8.0 and survey.closes_m > 5.0
    pairs = corner_turns(where, survey)
    assert np.median([abs(found / true - 1.0) for true, found in pairs]) < 0.03


def test_what_tells_no_circuit_is_refused() -> None:
    where = bench(*PLACES[0])
    lap = recorded(where, 1, Sensors())
    bare = {key: column for key, column in lap.columns.items() if key in ("speed_kmh", "distance_m")}
    with pytest.raises(InputError, match="positions, or speed and lateral acceleration"):
        surveyed([RecordedLap(1, lap.t, bare)])
    in_g = {**bare, "accel_lat_ms2": lap.columns["accel_lat_ms2"] / 9.80665}
    with pytest.raises(InputError, match="m/s² or g"):
        surveyed([RecordedLap(1, lap.t, in_g)])
    with pytest.raises(InputError, match="no way driven"):
        surveyed([RecordedLap(1, lap.t, {"rpm": lap.t})])


@pytest.mark.parametrize("kept", [("x_m", "y_m", "speed_kmh"), ("speed_kmh", "accel_lat_ms2")])
def test_laps_of_an_unknown_circuit_are_parted_where_the_way_repeats(kept: tuple[str, ...]) -> None:
    where = bench(*PLACES[1])
    laps = [recorded(where, seed, Sensors(hz=25.0)) for seed in range(4)]
    began = np.concatenate([[0.0], np.cumsum([lap.time_s for lap in laps])])
    t = np.concatenate([start + lap.t[1:-1] for start, lap in zip(began, laps, strict=False)])
    columns = {key: np.concatenate([lap.columns[key][1:-1] for lap in laps]) for key in kept}
    part = slice(200, -150)
    found = parted_alone(cleaned(t[part], {key: column[part] for key, column in columns.items()}))
    assert len(found.laps) >= 2
    assert all(abs(lap.time_s - laps[0].time_s) < 0.3 for lap in found.laps)
    length = centre_line(as_circuit(surveyed(found.laps))).length_m
    assert abs(length / where.case.line.length_m - 1.0) < 0.004
    single = slice(0, len(laps[0].t) // 2)
    with pytest.raises(InputError):
        parted_alone(cleaned(t[single], {key: column[single] for key, column in columns.items()}))
