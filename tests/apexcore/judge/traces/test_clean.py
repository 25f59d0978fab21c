"""Recordings with every fault that loggers have, against the recording before the fault was put in."""

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.judge.traces.channels import CHANNELS, guessed, in_unit, parted
from apexcore.judge.traces.clean import Cleaned, cleaned, stands
from apexcore.judge.traces.cut import StartLine, cut, other_speed_unit

HZ, LAP_S, LAP_M = 20.0, 30.0, 900.0


def drive(laps: int = 3, hz: float = HZ, first_s: float = 100.0) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Laps of a round circuit at a speed that comes and goes, on a logger's own clock."""
    t = np.arange(0, laps * LAP_S - 1e-9, 1 / hz)
    share = t / LAP_S + 0.05 * np.sin(2 * np.pi * t / LAP_S)
    angle, radius = 2 * np.pi * share, LAP_M / (2 * np.pi)
    speed = LAP_M / LAP_S * (1 + 0.05 * 2 * np.pi * np.cos(2 * np.pi * t / LAP_S))
    return first_s + t, {
        "speed_kmh": 3.6 * speed, "distance_m": LAP_M * (share % 1.0), "x_m": radius * np.cos(angle), "y_m": radius * np.sin(angle),
        "gear": np.floor(2 + 2 * (share % 1.0)), "lap": np.floor(share) + 1, "throttle_pct": 50 + 50 * np.sin(angle),
    }  # fmt: skip


def without(columns: dict[str, np.ndarray], *keys: str) -> dict[str, np.ndarray]:
    return {key: column for key, column in columns.items() if key not in keys}


def notes(found: Cleaned) -> str:
    return " ".join(found.notes)


def test_a_sound_recording_is_left_alone() -> None:
    t, columns = drive()
    found = cleaned(t, columns)
    assert not found.notes and np.array_equal(found.t, t) and found.hz == pytest.approx(HZ)
    assert all(np.array_equal(found.columns[key], column) for key, column in columns.items())


def test_a_repeated_block_and_doubled_times_are_left_out() -> None:
    t, columns = drive()
    order = np.concatenate([np.arange(700), np.arange(640, len(t))])
    found = cleaned(t[order], {key: column[order] for key, column in columns.items()})
    assert "60 samples repeat a time" in notes(found) and np.array_equal(found.t, t)
    doubled = np.repeat(np.arange(len(t)), 2)
    found = cleaned(t[doubled], {key: column[doubled] for key, column in columns.items()})
    assert np.array_equal(found.t, t)


def test_samples_that_changed_places_are_sorted() -> None:
    t, columns = drive()
    order = np.arange(len(t))
    order[[300, 301]] = [301, 300]
    found = cleaned(t[order], {key: column[order] for key, column in columns.items()})
    assert "out of order" in notes(found) and np.array_equal(found.columns["x_m"], columns["x_m"])


def test_a_clock_set_back_or_ahead_runs_on() -> None:
    t, columns = drive()
    back = t.copy()
    back[900:] -= 60.0
    found = cleaned(back, columns)
    assert "The clock went back" in notes(found) and np.allclose(found.t, t)
    ahead = t.copy()
    ahead[900:] += 3600.0
    found = cleaned(ahead, columns)
    assert "jumped ahead" in notes(found) and np.allclose(found.t, t)


def test_a_true_gap_stays_one() -> None:
    t, columns = drive()
    keep = (t < 130.0) | (t > 136.0)
    found = cleaned(t[keep], {key: column[keep] for key, column in columns.items()})
    assert "Nothing was recorded from 129.95 s to 136.05 s" in notes(found) and np.array_equal(found.t, t[keep])


def test_nan_spikes_and_what_cannot_be() -> None:
    t, columns = drive()
    columns["speed_kmh"] = columns["speed_kmh"].copy()
    clean = columns["speed_kmh"].copy()
    columns["speed_kmh"][[50, 200, 333]] = [np.nan, np.inf, 480.0]
    columns["speed_kmh"][400] += 40.0
    columns["gear"] = columns["gear"].copy()
    columns["gear"][77] = 99.0
    found = cleaned(t, columns)
    assert np.allclose(found.columns["speed_kmh"], clean, atol=0.3) and "Speed: 2 values that cannot be" in notes(found)
    assert "Gear: 1 values" in notes(found) and found.columns["gear"][77] == found.columns["gear"][76]
    hole = columns["throttle_pct"].copy()
    hole[500:600] = np.nan
    found = cleaned(t, {**columns, "throttle_pct": hole, "fuel_l": np.full(len(t), np.nan)})
    assert np.isnan(found.columns["throttle_pct"][520:580]).all() and "fuel_l" not in found.columns


def test_shares_are_taken_for_per_cent() -> None:
    t, columns = drive()
    found = cleaned(t, {**columns, "throttle_pct": columns["throttle_pct"] / 100.0})
    assert "runs from 0 to 1" in notes(found) and np.allclose(found.columns["throttle_pct"], columns["throttle_pct"])


@pytest.mark.parametrize("hz", [5.0, 12.5, 50.0, 200.0, 500.0, 1000.0])
def test_any_rate_gives_the_same_laps(hz: float) -> None:
    t, columns = drive(hz=hz)
    found = cleaned(t, without(columns, "x_m", "y_m"))
    assert found.hz <= 101.0 and ("are kept as" in notes(found)) == (hz > 100.0)
    parts = cut(found)
    assert [lap.number for lap in parts.laps][:2] == [1, 2]
    assert [lap.time_s for lap in parts.laps[:2]] == pytest.approx([LAP_S, LAP_S], abs=1.1 / min(hz, 100.0))
    assert parts.laps[0].length_m == pytest.approx(LAP_M, rel=0.01)


def test_laps_are_cut_by_whatever_tells_them() -> None:
    t, columns = drive(4)
    by_number = cut(cleaned(t, columns))
    by_distance = cut(cleaned(t, without(columns, "lap")))
    line = StartLine(float(LAP_M / (2 * np.pi)), 0.0, 0.0, 1.0)
    by_line = cut(cleaned(t, without(columns, "lap", "distance_m")), line=line)
    marks = [100.0 + LAP_S * k for k in range(4)]
    by_marks = cut(cleaned(t, without(columns, "lap", "distance_m", "x_m", "y_m")), times_s=marks)
    assert "lap number" in by_number.how and "distance" in by_distance.how and "positions" in by_line.how and "marks" in by_marks.how
    for parts in (by_number, by_distance, by_marks):
        assert [lap.time_s for lap in parts.laps[:3]] == pytest.approx([LAP_S] * 3, abs=0.06), parts.how
    assert [lap.time_s for lap in by_line.laps] == pytest.approx([LAP_S] * 4, abs=0.03)  # it begins and ends upon the line
    for lap in by_marks.laps:
        assert lap.t[0] == 0.0 and lap.length_m == pytest.approx(LAP_M, rel=2e-3)


def test_what_is_no_lap_is_said() -> None:
    t, columns = drive(1)
    alone = without(columns, "lap", "distance_m", "x_m", "y_m")
    assert cut(cleaned(t, alone), length_m=LAP_M).how.startswith("the whole recording")
    with pytest.raises(InputError, match="expected lap marks"):
        cut(cleaned(t, alone), length_m=3 * LAP_M)
    with pytest.raises(InputError, match="no lap number, distance, positions or speed"):
        cut(cleaned(t, {"throttle_pct": columns["throttle_pct"]}))
    t, columns = drive(3)
    stopped = columns["speed_kmh"].copy()
    stopped[700:860] = 0.0
    found = cut(cleaned(t, {**columns, "speed_kmh": stopped}))
    assert any("The car stood" in note for note in found.laps[1].notes) and stands(t, stopped)
    missing = columns["speed_kmh"].copy()
    missing[650:800] = np.nan
    found = cut(cleaned(t, {**columns, "speed_kmh": missing}))
    assert [lap.number for lap in found.laps] == [1, 3] and "of its speed is missing" in " ".join(found.notes)
    slow = cut(cleaned(20.0 * t, {**columns, "speed_kmh": columns["speed_kmh"] / 20.0}))
    assert slow.laps[0].time_s == pytest.approx(20 * LAP_S, rel=0.01)
    with pytest.raises(InputError, match=r"lasts 2100.0 s"):
        cut(cleaned(25.0 * t, {**columns, "speed_kmh": columns["speed_kmh"] / 25.0}), (2600.0, 4700.0))


def test_wrong_units_are_seen_by_the_circuits_length() -> None:
    t, columns = drive()
    found = cut(cleaned(t, {**columns, "speed_kmh": columns["speed_kmh"] / 1.609344}), length_m=LAP_M)
    assert "looks like mph" in " ".join(found.laps[0].notes)
    assert (
        other_speed_unit(1000.0 / 3.6, 1000.0) == "m/s"
        and other_speed_unit(1010.0, 1000.0) is None
        and other_speed_unit(1300.0, 1000.0) is None
    )


@pytest.mark.parametrize("t", [np.zeros(100), np.full(100, np.nan), np.arange(5.0)])
def test_a_recording_without_a_clock_is_refused(t: np.ndarray) -> None:
    with pytest.raises(InputError, match="time"):
        cleaned(t, {"speed_kmh": np.full(len(t), 100.0)})
    with pytest.raises(InputError, match="goes back"):
        cleaned(np.tile(np.arange(0.0, 10.0, 0.5), 200), {"speed_kmh": np.full(4000, 100.0)})


def test_columns_are_known_by_many_names() -> None:
    header = [
        "Time (s)",
        "Ground Speed [mph]",
        "Throttle Pos %",
        "GPS Lat",
        "GPS_Long",
        "Brake Press (bar)",
        "RPM",
        "Öltemp [°C]",
        "Давление",
        "",
        "LatAcc (g)",
        "speed",
    ]
    found = guessed(header)
    keys = [match.key if match else None for match in found]
    assert keys == [
        "time_s",
        "speed_kmh",
        "throttle_pct",
        "latitude_deg",
        "longitude_deg",
        "brake_bar",
        "rpm",
        "Öltemp",
        "Давление",
        None,
        "accel_lat_ms2",
        "speed",
    ]
    assert found[1] and found[1].scale == pytest.approx(1.609344) and found[10] and found[10].scale == pytest.approx(9.80665)
    assert in_unit("speed_kmh", "bar") is None and in_unit("tyre_c_fl", "°F") and parted("Öl [°C]") == ("Öl", "°C")
    units = guessed(["t", "v"], ["ms", "m/s"])
    assert units[0] and units[0].scale == 1e-3 and units[1] and units[1].scale == pytest.approx(3.6)
    for key in CHANNELS:
        match = guessed([key])[0]
        assert match is not None and match.key == key and match.scale == 1.0
