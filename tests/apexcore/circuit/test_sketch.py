"""Circuits told in short: what people type, and what a drawing comes to, against the drawing's own geometry."""

import math
import random
import re

import numpy as np
import pytest

from apexcore.circuit.line import corners, racing_line
from apexcore.circuit.sketch import (
    Bend,
    as_far_as_it_goes,
    as_told,
    circuit_of,
    drawn_circuit,
    missing_words,
    read_lines,
    room_made,
    typed_circuit,
    write_lines,
)
from apexcore.circuit.track import Corner, Straight, centre_line, turned_deg
from apexcore.errors import InputError
from tests.amounts import many


@pytest.mark.parametrize(
    ("typed", "angle", "radius", "name"),
    [
        ("right 90 r 45 Tower", -90, 45, "Tower"),
        ("Left 60° radius 80", 60, 80, ""),
        ("left 60/80 The Kink", 60, 80, "The Kink"),
        ("R90 45", -90, 45, ""),
        ("r 90 r45m Dip", -90, 45, "Dip"),
        ("right 90, 45, Mill", -90, 45, "Mill"),
        ("l 30.5 r 1200", 30.5, 1200, ""),
        ("left 180 deg rad. 20 Two words 2", 180, 20, "Two words 2"),
        ("right 45 r 100 ft S2 exit", -45, 30.48, "S2 exit"),
    ],
)
def test_corners_are_read_as_people_type_them(typed: str, angle: float, radius: float, name: str) -> None:
    (one,) = read_lines(typed).segments
    assert isinstance(one, Corner) and one.name == name
    assert one.angle_deg == pytest.approx(angle) and one.radius_m == pytest.approx(radius)


@pytest.mark.parametrize(
    ("typed", "metres"), [("420", 420), ("straight 420 m", 420), ("s: 300", 300), ("420,5", 420.5), ("1 km", 1000), ("100 ft", 30.48)]
)
def test_straights_are_read_as_people_type_them(typed: str, metres: float) -> None:
    (one,) = read_lines(typed).segments
    assert isinstance(one, Straight) and one.length_m == pytest.approx(metres)


@pytest.mark.parametrize(
    "typed", ["wiggle", "left 90", "r 45", "right 400 r 30", "right 90 r 2", "0.5", "9000", "left", "1,000", "−5", "n" * 500]
)
def test_a_line_that_is_none_is_named_and_what_stands_before_it_is_kept(typed: str) -> None:
    told = read_lines(f"# a comment\n420\n\n{typed}\n300")
    assert told.segments == (Straight(length_m=420),) and told.problem.startswith("Line 4"), told


def test_lines_are_read_in_the_readers_unit_and_written_in_it() -> None:
    told = read_lines("1000\nright 90 r 150 Tower", 0.3048)
    assert told.segments[0] == Straight(length_m=304.8) and write_lines(told.segments, 0.3048) == "1000\nright 90 r 150 Tower"


def test_what_is_missing_for_a_lap_is_said() -> None:
    half = read_lines("400\nleft 90 r 30\n200\nleft 90 r 30").segments
    assert missing_words(half) == "The corners add up to 180° to the left so far: 180° to the left are missing for a lap."
    assert missing_words((*half, *half)) == "" and missing_words(()) == ""
    open_so_far, lap = as_far_as_it_goes(half), as_far_as_it_goes((*half, *half))
    assert open_so_far is not None and not open_so_far.closed and lap is not None and lap.closed
    with pytest.raises(InputError, match="180° to the left are missing"):
        circuit_of("a", "A", "full", 10, half, True)


def simple_ways(dice: random.Random) -> list[tuple[float, float]]:
    """Bends about a middle, so that the way goes round once, none sharper than a hairpin of two bends."""
    count = dice.randint(4, 14)
    angles = [2 * math.pi * (n + dice.uniform(-0.25, 0.25)) / count for n in range(count)]
    return [(dice.uniform(185, 255) * 1.3 * math.cos(a) + 380, dice.uniform(185, 255) * 0.7 * math.sin(a) + 200) for a in angles]


def drawn_off(seed: int) -> tuple[float, float]:
    """By how much a random drawing's lap is off its length, and the middles of its ways off the road; shares of the lap."""
    dice = random.Random(seed)
    spots = simple_ways(dice)
    if seed % 2:
        spots.reverse()
    length = dice.choice([700.0, 1500.0, 4200.0])
    circuit, drawn = drawn_circuit([Bend(x, y) for x, y in spots], length, "a", "A", "full", 8.0)
    line = centre_line(circuit)
    road = np.column_stack([line.x, line.y]) * drawn.metre + np.array(drawn.start)
    ways = zip(spots, spots[1:] + spots[:1], strict=True)
    away = max(np.hypot(road[:, 0] - (ax + bx) / 2, road[:, 1] - (ay + by) / 2).min() / drawn.metre for (ax, ay), (bx, by) in ways)
    assert turned_deg(circuit.segments) == pytest.approx(-360.0 if seed % 2 else 360.0, abs=1e-6)
    spans = corners(circuit, racing_line(circuit))
    assert len(spans) == sum(isinstance(one, Corner) for one in circuit.segments) and 0 < len(spans) <= len(spots)
    return abs(line.length_m / length - 1.0), float(away) / length


@pytest.mark.thorough
def test_random_drawings_come_out_where_they_were_drawn_and_as_long_as_was_told() -> None:
    for seed in range(many(20, 120)):
        off, away = drawn_off(seed)
        assert off < 1e-3 and away < 0.03, (seed, off, away)


def test_what_was_drawn_reads_back_from_its_lines() -> None:
    dice = random.Random(12)
    for _ in range(40):
        circuit, _ = drawn_circuit([Bend(x, y, name="Weir") for x, y in simple_ways(dice)], 2000.0, "a", "A", "full", 8.0)
        told = read_lines(write_lines(as_told(circuit.segments, True)))
        again = circuit_of("a", "A", "full", 8.0, room_made(told.segments, True), True)
        assert not told.problem and centre_line(again).length_m == pytest.approx(centre_line(circuit).length_m, rel=0.01)


def test_a_square_of_told_radii_has_the_closed_forms_length() -> None:
    bends = [Bend(0, 0, 40.0), Bend(0, 100, 40.0), Bend(100, 100, 40.0), Bend(100, 0, 40.0)]
    circuit, drawn = drawn_circuit(bends, 1600.0, "a", "A", "full", 8.0)
    radii = {one.radius_m for one in circuit.segments if isinstance(one, Corner)}
    assert radii == {40.0} and all(one.angle_deg == pytest.approx(-90, abs=1e-6) for one in circuit.segments if isinstance(one, Corner))
    # a square with round corners is shorter than one without by (8 − 2π) radii; easing takes little more
    side = 100 / drawn.metre
    assert 4 * side == pytest.approx(1600 + (8 - 2 * math.pi) * 40, rel=0.012)


def test_an_open_course_begins_and_ends_where_it_was_drawn() -> None:
    spots = [(10.0, 10.0), (200.0, 40.0), (350.0, 300.0), (700.0, 320.0)]
    circuit, drawn = drawn_circuit([Bend(x, y) for x, y in spots], 1100.0, "a", "A", "climb", 7.0, closed=False)
    line = centre_line(circuit)
    ends = np.column_stack([line.x, line.y])[[0, -1]] * drawn.metre + np.array(drawn.start)
    assert not circuit.closed and line.length_m == pytest.approx(1100, rel=0.005)
    assert np.hypot(*(ends - np.array([spots[0], spots[-1]])).T).max() < 0.02 * 1100 * drawn.metre


@pytest.mark.parametrize(
    ("spots", "words"),
    [
        ([(0, 0), (100, 0)], "2 bends"),
        ([(0, 0), (100, 0), (100, 0)], "a spot of its own"),
        ([(0, 0), (100, 0), (200, 0), (300, 0)], "turn back on itself"),
        ([(0, 0), (100, 100), (100, 0), (0, 100)], "crosses itself"),
        ([(0, 0), (float("nan"), 0), (0, 100)], "far outside"),
        ([(0, 0), (1e9, 0), (0, 100)], "far outside"),
        ([(n, n * n) for n in range(120)], "120 bends"),
    ],
)
def test_a_drawing_that_is_no_circuit_says_why(spots: list[tuple[float, float]], words: str) -> None:
    with pytest.raises(InputError, match=words):
        drawn_circuit([Bend(x, y) for x, y in spots], 1000.0, "a", "A", "full", 8.0)


@pytest.mark.parametrize("radius", [3.0, 200.0, 5000.0])
def test_a_radius_without_room_is_refused_by_its_bend(radius: float) -> None:
    bends = [Bend(0, 0), Bend(0, 100, radius), Bend(100, 100), Bend(100, 0)]
    with pytest.raises(InputError, match="bend 2, radius"):
        drawn_circuit(bends, 600.0, "a", "A", "full", 8.0)


def test_a_course_of_a_thousand_kilometres_is_refused_before_it_is_laid_out() -> None:
    told = read_lines("\n".join(["5000", "right 1 r 4.1"] * 95 + ["right 265 r 4.1"]))
    assert not told.problem and as_far_as_it_goes(told.segments) is None
    for closed in (True, False):
        with pytest.raises(InputError, match="at most 60 km"):
            circuit_of("a", "A", "full", 10, told.segments, closed)


@pytest.mark.parametrize(
    ("typed", "bank", "name"),
    [
        ("left 180 r 78 bank 13", 13, ""), ("left 180 r 78 banked 13.5° South Bank", 13.5, "South Bank"),
        ("left 90 r 40, banking: 8 deg Mill", 8, "Mill"), ("right 60 r 30 North Bank", 0, "North Bank"), ("l 90 r 40 bank -3", -3, ""),
    ],
)  # fmt: skip
def test_banking_is_read_beside_the_radius(typed: str, bank: float, name: str) -> None:
    (one,) = read_lines(typed).segments
    assert isinstance(one, Corner) and (one.bank_deg, one.name) == (bank, name)
    assert read_lines(write_lines([one])).segments == (one,)


def test_banking_that_cannot_be_is_refused() -> None:
    assert "banking" in read_lines("left 180 r 78 bank 60").problem


def as_long_as_told(lines: str) -> float:
    """What the lines add up to: straights, and arcs by their angle and radius [m]."""
    total = 0.0
    for line in lines.splitlines():
        turn = re.match(r"(left|right) ([0-9.]+) r ([0-9.]+)", line)
        total += math.radians(float(turn[2])) * float(turn[3]) if turn else float(line)
    return total


@pytest.mark.parametrize(
    "lines",
    [
        "\n".join(["100", "right 90 r 30"] * 4), "right 180 r 25\n60\nright 180 r 25\n60", "\n".join(["12", "left 90 r 40"] * 4),
        "\n".join(["300", "left 180 r 78"] * 2), "\n".join(["7", "left 60 r 90"] * 6),
    ],
)  # fmt: skip
def test_a_typed_lap_is_as_long_as_was_typed(lines: str) -> None:
    """Laps that close as they are typed: nothing else changes their straights."""
    read = read_lines(lines)
    circuit = typed_circuit("a", "A", "full", 8.0, read.segments, True)
    assert centre_line(circuit).length_m == pytest.approx(as_long_as_told(lines), rel=2e-3)
    assert all(one.length_m >= 1.0 for one in circuit.segments)


def test_no_lap_is_refused_for_what_its_transitions_take() -> None:
    """Straights so short that a lap closes by them alone where transitions leave them be."""
    dice, closed, as_it_comes = random.Random(5), 0, 0
    for _ in range(120):
        radius, ways = dice.uniform(8, 60), [dice.uniform(5.2, 14.0), dice.uniform(5.2, 14.0)]
        lines = "\n".join(f"{ways[k % 2] + dice.uniform(0.0, 1.5):.2f}\nleft 90 r {radius:.1f}" for k in range(4))
        read = read_lines(lines).segments
        try:
            before = circuit_of("a", "A", "full", 8.0, read, True)
        except InputError:
            continue
        now = typed_circuit("a", "A", "full", 8.0, read, True)
        closed += 1
        as_it_comes += now == before
    assert closed > 60 and 0 < as_it_comes < closed, (closed, as_it_comes)


def test_an_open_course_and_corners_in_a_row() -> None:
    read = read_lines("200\nleft 60 r 50\n100\nright 60 r 50\n200")
    made = room_made(read.segments, False)
    assert sum(one.length_m for one in made) == pytest.approx(as_long_as_told("200\nleft 60 r 50\n100\nright 60 r 50\n200"))
    assert as_told(made, False) == read.segments
    row = room_made(read_lines("200\nleft 60 r 50\nleft 30 r 90\n100").segments, False)  # no straight between: half a transition more each
    assert sum(one.length_m for one in row) > as_long_as_told("200\nleft 60 r 50\nleft 30 r 90\n100")
    assert room_made((), True) == () and room_made(read_lines("left 90 r 30").segments, True)
    assert room_made(read_lines("left 90 r 30").segments, False)


@pytest.mark.thorough
def test_random_typed_parts_keep_their_length_where_straights_lie_between() -> None:
    for seed in range(many(50, 500)):
        dice = random.Random(seed)
        lines = "\n".join(
            f"{dice.uniform(2, 400):.1f}\n{dice.choice(['left', 'right'])} {dice.uniform(5, 170):.1f} r {dice.uniform(8, 200):.1f}"
            for _ in range(dice.randint(2, 12))
        )
        read, closed = read_lines(lines).segments, bool(seed % 2)
        made = room_made(read, closed)
        last = made[-1]
        assert isinstance(last, Corner)
        ends = 0.0 if closed else 0.5 * last.transition_m  # an open course ends with a corner here: nothing behind it to take from
        assert sum(one.length_m for one in made) == pytest.approx(as_long_as_told(lines) + ends, abs=0.05 * len(made)), seed
        assert all(one.length_m >= 1.0 for one in made)
