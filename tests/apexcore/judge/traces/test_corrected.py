"""A circuit corrected bit by bit, against the line that all laps drove and against the mean of all at once."""

import numpy as np
import pytest

from apexcore.circuit.fit import fitted
from apexcore.circuit.track import Circuit, centre_line
from apexcore.errors import InputError
from apexcore.judge.traces.corrected import corrected
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.survey import surveyed

from .planted import PLACES, Bench, Sensors, bench
from .test_survey import recorded

ROUGH = Sensors(hz=20.0, place_m=1.2)


def made_of(lap: RecordedLap) -> Circuit:
    survey = surveyed([lap])
    return Circuit(key="found", name="Found", layout="whole", width_m=10.0, points_m=survey.points(), surveyed=survey.driven)


def off(circuit: Circuit, where: Bench) -> float:
    """How the circuit's bends differ from those of the line driven, in the mean of squares [1/m]; the frame does not matter to them."""
    centre, line = centre_line(circuit), where.case.line
    share = np.arange(800) / 800
    mine = np.interp(share, np.arange(len(centre.curvature)) / len(centre.curvature), centre.curvature, period=1.0)
    true = np.interp(share, line.s / line.length_m, line.road[:, 0], period=1.0)
    return float(min(np.sqrt(((np.roll(mine, k) - true) ** 2).mean()) for k in range(-6, 7)))


@pytest.mark.thorough_only
@pytest.mark.parametrize("place", PLACES[:2])
def test_every_further_lap_counts_as_much_as_those_before(place: tuple[str, str]) -> None:
    where = bench(*place)
    laps = [recorded(where, seed, ROUGH, accel_sd=0.3) for seed in range(8)]
    bare = [RecordedLap(1, lap.t, {key: lap.columns[key] for key in lap.columns if key != "accel_lat_ms2"}) for lap in laps]
    circuit = first = made_of(bare[0])
    for lap in bare[1:]:
        circuit = corrected(circuit, surveyed([lap]))
    assert len(circuit.surveyed) == 8 and len(circuit.points_m) == len(first.points_m)
    assert off(circuit, where) < 0.6 * off(first, where)
    together = surveyed(bare)
    all_at_once = first.model_copy(update={"points_m": together.points()})
    assert off(circuit, where) < 1.5 * off(all_at_once, where)
    lengths = [float(lap.length_m) for lap in bare]
    assert abs(centre_line(circuit).length_m / float(np.mean(lengths)) - 1.0) < 0.003
    in_one = corrected(first, surveyed(bare[1:]))
    assert off(in_one, where) < 0.8 * off(first, where)


def test_a_start_line_elsewhere_or_another_frame_does_not_matter() -> None:
    where = bench(*PLACES[0])
    laps = [recorded(where, seed, ROUGH) for seed in range(3)]
    circuit = fitted(made_of(laps[0]), 1.0, 400.0)
    found = corrected(circuit, surveyed([laps[1]]))
    moved = np.hypot(*(np.array(found.points_m) - np.array(circuit.points_m))[:, :2].T)
    assert 0.0 < float(moved.mean()) < 3.0 and float(moved.max()) < 8.0
    turned = RecordedLap(3, laps[2].t, {**laps[2].columns, "x_m": -laps[2].columns["y_m"] + 900.0, "y_m": laps[2].columns["x_m"] - 40.0})
    other = corrected(circuit, surveyed([turned]))
    assert float(np.hypot(*(np.array(other.points_m) - np.array(circuit.points_m))[:, :2].T).mean()) < 3.0


def test_what_does_not_belong_corrects_nothing() -> None:
    where, elsewhere = bench(*PLACES[0]), bench(*PLACES[1])
    lap, other = recorded(where, 1, ROUGH), recorded(where, 2, ROUGH)
    circuit = made_of(lap)
    with pytest.raises(InputError, match="made of already"):
        corrected(circuit, surveyed([lap]))
    back = {key: column[::-1] if key != "distance_m" else column for key, column in other.columns.items()}
    back["accel_lat_ms2"] = -back["accel_lat_ms2"]
    with pytest.raises(InputError, match="other direction"):
        corrected(circuit, surveyed([RecordedLap(2, other.t, back)]))
    with pytest.raises(InputError, match="positions"):
        corrected(circuit, surveyed([recorded(elsewhere, 1, ROUGH)]))
    with pytest.raises(InputError, match="not made of recorded laps"):
        corrected(circuit.model_copy(update={"surveyed": ()}), surveyed([other]))
