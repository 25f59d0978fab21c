"""Laps that a scattering receiver drove on random circuits, averaged: against the circuits themselves, with another receiver than the fit has."""

import math

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import minimum_filter1d
from scipy.spatial import cKDTree

from apexcore.circuit.averaged import averaged
from apexcore.circuit.line import Line, racing_line
from apexcore.circuit.points import Point, checked_points, scatter_m
from apexcore.circuit.track import Circuit, Corner, Straight, centre_line
from apexcore.errors import FileRejected, InputError
from apexcore.formats.circuits import read_circuit
from tests.amounts import many

Floats = NDArray[np.float64]


def random_circuit(seed: int) -> Circuit:
    """Straights and corners drawn until the lap closes, does not cross itself, and no two parts of it lie beside each other."""
    rng = np.random.default_rng([seed, 31])
    while True:
        angles = rng.choice([30.0, 45.0, 60.0, 80.0, 90.0, 110.0, 135.0, 170.0], int(rng.integers(4, 10))) * rng.choice([1, 1, 1, -1])
        angles[:-1] *= rng.choice([1, 1, 1, -1], len(angles) - 1)
        angles[-1] = 360.0 - angles[:-1].sum()
        if not 20.0 <= abs(angles[-1]) <= 200.0:
            continue
        segments: list[Straight | Corner] = []
        for angle in angles:
            radius = float(np.exp(rng.uniform(math.log(12.0), math.log(200.0))))
            transition = min(float(rng.uniform(8.0, 40.0)), abs(math.radians(angle)) * radius * 0.9)
            segments += [
                Straight(length_m=float(rng.uniform(40, 600))),
                Corner(angle_deg=float(angle), radius_m=radius, transition_m=transition),
            ]
        try:
            circuit = Circuit(key="drawn", name="Drawn", layout="whole", width_m=10.0, segments=tuple(segments))
            line = centre_line(circuit, 2.0)
            checked_points([(float(x), float(y), 0.0) for x, y in zip(line.x, line.y, strict=True)], "drawn")
        except (InputError, ValueError):
            continue
        near = cKDTree(np.column_stack([line.x, line.y])).query_pairs(16.0, output_type="ndarray")
        apart = np.abs(near[:, 1] - near[:, 0]) * line.ds
        if 900.0 < line.length_m < 6000.0 and float(np.minimum(apart, line.length_m - apart).max()) < 45.0:
            return circuit


def speeds(bend: Floats, ds: float) -> Floats:
    """Of a point of mass of 1.2 g that brakes and pulls with what grip is left over, at most 3 m/s² and 65 m/s."""
    grip = 1.2 * 9.81
    speed = np.minimum(np.sqrt(grip / np.maximum(np.abs(bend), 1e-5)), 65.0)
    for order, step, most in ((range(len(bend)), 1, 3.0), (range(len(bend) - 1, -1, -1), -1, grip)):
        for at in [*order, *order]:
            before = speed[at - step if step == 1 else (at + 1) % len(bend)]
            left = math.sqrt(max(1.0 - (before**2 * bend[at] / grip) ** 2, 0.0))
            speed[at] = min(speed[at], math.sqrt(before**2 + 2.0 * min(most, grip * left) * ds))
    return np.asarray(speed)


def track(circuit: Circuit, seed: int, laps: int, hz: float, scatter: float, wander: float = 0.0, tau: float = 8.0) -> list[Point]:
    """Positions of a car that drives a little left and right of the middle, from before the line to behind it."""
    rng, line = np.random.default_rng([seed, 32]), centre_line(circuit, 1.0)
    clock = np.concatenate([[0.0], np.cumsum(line.ds / (0.93 * speeds(line.curvature, line.ds)))])
    when = np.arange(-2.0, laps * clock[-1] + 4.0, 1.0 / hz)
    s = np.interp(when % clock[-1], clock, np.arange(len(clock)) * line.ds)
    z, normal = line.x + 1j * line.y, 1j * (line.ahead()[0] + 1j * line.ahead()[1])
    aside = 0.5 * np.sin(6.0 * np.pi * s / line.length_m + 2.1 * np.floor(when / clock[-1]))
    around = np.arange(len(clock)) * line.ds
    place = np.interp(s, around, np.append(z, z[0])) + aside * np.interp(s, around, np.append(normal, normal[0]))
    place = place + scatter * (rng.normal(size=len(when)) + 1j * rng.normal(size=len(when)))
    slow, keep = wander * complex(rng.normal(), rng.normal()), math.exp(-1.0 / hz / tau)
    for k in range(len(when)):
        slow = keep * slow + wander * math.sqrt(1.0 - keep**2) * complex(rng.normal(), rng.normal())
        place[k] += slow
    return [(float(p.real), float(p.imag), 0.0) for p in place]


def as_circuit(points: tuple[Point, ...]) -> Circuit:
    return Circuit(key="found", name="Found", layout="whole", width_m=10.0, points_m=points)


def driven(circuit: Circuit) -> tuple[Line, Floats, float]:
    """The line of least curvature, the speed along it and its lap time."""
    line = racing_line(circuit)
    ds = float(line.ds.mean())
    speed = speeds(line.road[:, 0], ds)
    return line, speed, float((ds / speed).sum())


def slowest_share(true: tuple[Line, Floats, float], found: tuple[Line, Floats, float]) -> float:
    """The least speed found over what is least near there in truth: a false corner has little of it."""
    around = minimum_filter1d(true[1], int(120.0 / float(true[0].ds.mean())) | 1, mode="wrap")
    near = cKDTree(np.column_stack([true[0].x, true[0].y])).query(np.column_stack([found[0].x, found[0].y]))[1]
    return float((found[1] / around[near]).min())


WORLDS = {
    "three laps, 2 m": (3, 10.0, 2.0, 0.0), "three laps, 1.6 m": (3, 5.0, 1.6, 0.0), "one lap, 2 m": (1, 10.0, 2.0, 0.0),
    "one position a second": (3, 1.0, 2.0, 0.0), "a receiver that wanders": (3, 5.0, 0.3, 1.5),
}  # fmt: skip


@pytest.mark.thorough
@pytest.mark.parametrize("world", [one if "laps, 2 m" in one else pytest.param(one, marks=pytest.mark.thorough_only) for one in WORLDS])
def test_scatter_makes_no_corner_and_the_lap_is_within_its_interval(world: str) -> None:
    laps, hz, scatter, wander = WORLDS[world]
    held, count = 0, many(1, 50 if world == "three laps, 2 m" else 20)
    for seed in range(count):
        circuit = random_circuit(seed)
        found = averaged(track(circuit, seed, laps, hz, scatter, wander), 10.0, "track")
        assert found.laps == laps, seed
        true, there = driven(circuit), driven(as_circuit(found.points))
        assert slowest_share(true, there) > 0.7, seed
        held += abs(there[2] / true[2] - 1.0) < 1.96 * found.spread
        assert 0.001 <= found.spread < 0.03, seed
    assert held >= math.floor((0.9 if not wander else 0.8) * count)


@pytest.mark.thorough_only
def test_what_lies_far_off_and_the_way_from_the_pits_do_not_count() -> None:
    circuit = random_circuit(3)
    points = track(circuit, 3, 3, 5.0, 1.0)
    for k in range(40, len(points), 97):
        points[k] = (points[k][0] + 25.0, points[k][1] - 18.0, 0.0)
    rng = np.random.default_rng(7)
    grid = [(points[12][0] + rng.normal(0.0, 1.0), points[12][1] + rng.normal(0.0, 1.0), 0.0) for _ in range(300)]
    stands = averaged([*points[:12], *grid, *points[12:]], 10.0, "track")  # a minute on the grid
    there = driven(as_circuit(stands.points))
    assert stands.laps == 3 and slowest_share(driven(circuit), there) > 0.8 and abs(there[2] / driven(circuit)[2] - 1.0) < 0.01
    pits = [(points[0][0] - 60.0 + 3.0 * k, points[0][1] + 45.0 - 0.5 * k, 0.0) for k in range(10)]
    found = averaged([*pits, *points], 10.0, "track")
    true, there = driven(circuit), driven(as_circuit(found.points))
    assert found.laps in (2, 3) and slowest_share(true, there) > 0.8 and abs(there[2] / true[2] - 1.0) < 0.01


def test_an_exact_lap_stays_as_it_is_and_heights_are_smoothed() -> None:
    circuit = random_circuit(5)
    line = centre_line(circuit, 5.0)
    rng = np.random.default_rng(1)
    high = 12.0 * np.sin(2.0 * np.pi * np.arange(len(line.x)) / len(line.x))
    exact = [(float(x), float(y), float(z)) for x, y, z in zip(line.x, line.y, high, strict=True)]
    found = averaged(exact, 10.0, "track")
    assert found.points == tuple(exact) and found.spread == 0.0 and found.laps == 1 and scatter_m(np.array(exact)) < 0.1
    rough = [(x + rng.normal(), y + rng.normal(), z + 2.0 * rng.normal()) for x, y, z in exact * 3]
    heights = np.array(averaged(rough, 10.0, "track").points)[:, 2]
    true = 12.0 * np.sin(2.0 * np.pi * np.arange(len(heights)) / len(heights))
    assert float(np.abs(heights - heights.mean() - true).max()) < 1.5
    assert float(np.abs(np.diff(heights)).max() / 2.5) < 0.12  # no slope that no lap has


def test_a_file_brings_its_name_and_all_its_laps() -> None:
    circuit = random_circuit(8)
    degrees = [(0.5 + x / 111_195.0 / math.cos(math.radians(50.0)), 50.0 + y / 111_195.0) for x, y, _ in track(circuit, 8, 3, 4.0, 1.6)]
    points = "".join(f'<trkpt lat="{lat:.7f}" lon="{lon:.7f}"/>' for lon, lat in degrees)
    for names, typed, wanted in (("<name>Marram  Bank</name>", False, "Marram Bank"), ("<name>Own</name>", True, "typed")):
        file = f"<gpx><metadata><time>2026</time></metadata><trk>{names}<trkseg>{points}</trkseg></trk></gpx>".encode()
        read = read_circuit(file, "typed", 10.0, typed=typed)
        assert read.name == wanted and 0.0 < read.lap_spread < 0.02 and read.unsure_words().startswith("Its points scatter")
    assert abs(centre_line(read).length_m / centre_line(circuit).length_m - 1.0) < 0.005


@pytest.mark.parametrize("shape", ["a knot", "all alike", "far", "there and back"])
def test_tracks_that_are_no_lap_are_refused_or_harmless(shape: str) -> None:
    t = np.linspace(0.0, 2.0 * np.pi, 400)
    x, y = {
        "a knot": (300.0 * np.sin(t + 0.1), 120.0 * np.sin(2.0 * t + 0.2)), "all alike": (0.0 * t, 0.0 * t),
        "far": (1e8 * np.cos(t), 1e8 * np.sin(t)), "there and back": (500.0 * np.sin(t), 0.01 * t),
    }[shape]  # fmt: skip
    csv = "x_m,y_m\n" + "".join(f"{a:.3f},{b:.3f}\n" for a, b in zip(x, y, strict=True))
    with pytest.raises(FileRejected):
        read_circuit(csv.encode(), "Odd", 10.0)
