"""A circuit told in short: one straight or corner a line, as people say it; or as bends drawn with a mouse."""

import math
import re
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np
from pydantic import ValidationError

from ..errors import InputError
from ..quantities.text import format_number, read_number, typed_unit
from .track import Circuit, Corner, Straight, centre_line, turned_deg

Segment = Straight | Corner

#: Most lines that are read, and bends that are drawn.
MOST_LINES, MOST_BENDS = 200, 100
_TURNS = {"left": 1.0, "l": 1.0, "right": -1.0, "r": -1.0}
_WANTED = "a length such as 420, or a corner such as right 90 r 45 Tower, banked ones such as left 180 r 78 bank 13"
_CORNER = re.compile(
    r"(?P<side>left|right|[lr](?=[\s0-9]))[\s,]*(?P<angle>[0-9][0-9.,]*+)\s*(?:°|degrees|deg)?\s*[,/]?\s*"
    r"(?:(?:radius|rad|r)\b\.?|r(?=[0-9])|/)?\s*(?P<radius>[0-9][0-9.,]*+\s*(?:m\b|ft\b)?)"
    r"(?:[\s,/]*bank(?:ed|ing)?\b[\s:]*(?P<bank>-?[0-9][0-9.,]*+)\s*(?:°|degrees|deg)?)?(?P<name>.*)",
    re.IGNORECASE,
)
_STRAIGHT = re.compile(r"(?:(?:straight|s)\b[\s,:]*)?(?P<length>[0-9.,]+\s*(?:m|ft|km)?)\s*(?P<name>[^0-9].*)?", re.IGNORECASE)
#: Transition of a corner that is told none: this share of its arc, and no longer than this [m].
#: Source: an assumption of this product (docs/model.md).
_EASED, _MOST_EASED_M = 0.35, 20.0
#: Share of the shorter way to its neighbours that a drawn bend takes for its arc, at most, and where no radius is told.
_ROOM, _USUAL = 0.48, 0.3
#: Usual radii of drawn bends [m].
_LEAST_M, _MOST_M = 7.0, 220.0
#: What of a straight no transition takes, beside half of it [m]: a lap closes by its straights.
_KEPT_M = 5.5
#: Straights shorter than this are left out of a drawing [m]; more of them where the lap would not close with them.
_SHORT_M = (5.5, 12.0, 25.0)
#: Angles that are off by so much in all are rounded ones [deg].
_ROUNDED_DEG = 0.1


@dataclass(frozen=True)
class Bend:
    """A bend drawn: where the straights before and behind it would meet.

    :param x: to the right, in units of the drawing
    :param y: upwards, in the same
    :param radius_m: None for one that fits [m]
    :param name: what people call it
    """

    x: float
    y: float
    radius_m: float | None = None
    name: str = ""


@dataclass(frozen=True)
class Told:
    """What of a text could be read.

    :param segments: in order, up to the first line that could not
    :param problem: what is wrong with that line, empty where all was read
    :param lines: the line of each segment, from 1
    """

    segments: tuple[Segment, ...]
    problem: str = ""
    lines: tuple[int, ...] = ()


def eased_m(angle_deg: float, radius_m: float) -> float:
    """Transition of a corner that is told none [m]."""
    return round(min(_EASED * abs(math.radians(angle_deg)) * radius_m, _MOST_EASED_M), 1)


def read_lines(text: str, metre: float = 1.0) -> Told:
    """Straights and corners, one a line: `420`, `straight 420 m`, `right 90 r 45 Tower`, `left 60° radius 80`,
    `left 180 r 78 bank 13`.

    Lines that are empty, or begin with #, are passed over.

    :param metre: metres of a plain number, for readers who think in others
    """
    found, numbers = list[Segment](), list[int]()
    lines = text.splitlines()
    for number, line in enumerate(lines, start=1):
        bare = line.strip()
        if not bare or bare.startswith("#"):
            continue
        if len(found) >= MOST_LINES:
            return Told(tuple(found), lines=tuple(numbers), problem=f"Line {number}: expected at most {MOST_LINES} straights and corners.")
        try:
            found.append(_segment(bare[:120], f"line {number}", metre))
            numbers.append(number)
        except InputError as error:
            return Told(tuple(found), f"{str(error)[0].upper()}{str(error)[1:]}", tuple(numbers))
    return Told(tuple(found), lines=tuple(numbers))


def _metres(text: str, place: str, metre: float, low: float, high: float) -> float:
    """A way in metres; one that is typed without a unit is in the reader's."""
    bare = text.strip(" \t,.")
    if typed_unit(bare):
        return read_number(bare, "m", place, low, high)
    return metre * read_number(bare, "m", place, low / metre, high / metre)


def _segment(bare: str, place: str, metre: float) -> Segment:
    corner = _CORNER.fullmatch(bare)
    straight = None if corner else _STRAIGHT.fullmatch(bare)
    if corner:  # within these bounds, and eased by its own share, every corner is one
        angle = read_number(corner["angle"].rstrip(",."), "°", f"{place}, angle", 0.1, 270.0)
        radius = _metres(corner["radius"], f"{place}, radius", metre, 4.01, 3000.0)
        bank = read_number(corner["bank"].rstrip(",."), "°", f"{place}, banking", -10.0, 40.0) if corner["bank"] else 0.0
        signed, name = _TURNS[corner["side"].lower()] * angle, corner["name"].strip(" ,;|\t")[:40]
        return Corner(angle_deg=signed, radius_m=round(radius, 2), transition_m=eased_m(angle, radius), bank_deg=bank, name=name)
    if straight:
        return Straight(length_m=round(_metres(straight["length"], f"{place}, length", metre, 1.01, 5000.0), 2))
    if re.match(r"(?:left|right|[lr])[\s0-9]", bare, re.IGNORECASE):
        raise InputError(place, bare, "angle and radius of a corner, such as right 90 r 45")
    raise InputError(place, bare, _WANTED)


def _beside(segments: Sequence[Segment], closed: bool) -> list[tuple[int, int]]:
    """Each corner with each straight that it has on either side, by their places."""
    count, found = len(segments), list[tuple[int, int]]()
    for n, one in enumerate(segments):
        for m in (n - 1, n + 1):
            there = m % count if closed and count > 1 else m
            if isinstance(one, Corner) and 0 <= there < count and isinstance(segments[there], Straight):
                found.append((n, there))
    return found


def room_made(segments: Sequence[Segment], closed: bool) -> tuple[Segment, ...]:
    """Straights and corners as they were typed, with the way of the corners' transitions taken from the straights on either side: the road
    is as long as was told. Where straights are too short for that, transitions are shorter; between two corners there is none to take from.
    """
    needs, pairs = [0.0] * len(segments), _beside(segments, closed)
    for corner, straight in pairs:
        needs[straight] += 0.5 * getattr(segments[corner], "transition_m", 0.0)
    share = [1.0] * len(segments)
    for corner, straight in pairs:
        if needs[straight] > 0.0:
            length = segments[straight].length_m
            room = min(0.5 * length, max(length - _KEPT_M, 0.0))
            share[corner] = min(share[corner], room / needs[straight])
    eased = [one.model_copy(update={"transition_m": one.transition_m * share[n]}) if isinstance(one, Corner) else one
             for n, one in enumerate(segments)]  # fmt: skip
    return _longer(eased, pairs, -0.5)


def as_told(segments: Sequence[Segment], closed: bool) -> tuple[Segment, ...]:
    """The straights and corners that one would have typed for these: the inverse of `room_made`."""
    return _longer(segments, _beside(segments, closed), 0.5)


def _longer(segments: Sequence[Segment], pairs: Sequence[tuple[int, int]], share: float) -> tuple[Segment, ...]:
    """The same with straights longer by a share of the transitions beside them."""
    by = [0.0] * len(segments)
    for corner, straight in pairs:
        by[straight] += share * getattr(segments[corner], "transition_m", 0.0)
    lengths = [min(one.length_m + more, 5000.0) for one, more in zip(segments, by, strict=True)]
    return tuple(Straight(length_m=lengths[n]) if isinstance(one, Straight) and by[n] else one for n, one in enumerate(segments))


def write_lines(segments: Sequence[Segment], metre: float = 1.0) -> str:
    """Straights and corners as `read_lines` reads them."""
    lines = []
    for one in segments:
        if isinstance(one, Straight):
            lines.append(_plain(one.length_m / metre))
        else:
            side = "left" if one.angle_deg > 0 else "right"
            bank = f" bank {_plain(one.bank_deg)}" if one.bank_deg else ""
            lines.append(f"{side} {_plain(abs(one.angle_deg), 4)} r {_plain(one.radius_m / metre)}{bank} {one.name}".rstrip())
    return "\n".join(lines)


def _plain(value: float, decimals: int = 1) -> str:
    return f"{value:.{decimals}f}".rstrip("0").rstrip(".")


def missing_words(segments: Sequence[Segment]) -> str:
    """What a lap lacks to come back to its own heading, as a sentence; empty where it does."""
    turned = turned_deg(segments)
    if abs(abs(turned) - 360.0) < _ROUNDED_DEG or not segments:
        return ""
    whole = math.copysign(360.0, turned) if turned else 360.0
    off = whole - turned
    side = "left" if off > 0 else "right"
    so_far = f"{format_number(abs(turned), 1).removesuffix('.0')}° to the {'left' if turned > 0 else 'right'}" if turned else "0°"
    return f"The corners add up to {so_far} so far: {format_number(abs(off), 1).removesuffix('.0')}° to the {side} are missing for a lap."


def circuit_of(key: str, name: str, layout: str, width_m: float, segments: Sequence[Segment], closed: bool) -> Circuit:
    """The circuit of these segments, checked as a whole.

    :raises InputError: if the lap does not close, or there is too little of it
    """
    if closed and (lacks := missing_words(segments)):
        raise InputError("corners", f"{format_number(turned_deg(segments), 1)}°", f"360° or −360° in all. {lacks[:-1]}")
    segments = square(segments) if closed else tuple(segments)
    try:
        made = Circuit(key=key, name=name, layout=layout, width_m=width_m, segments=segments, closed=closed)
    except ValidationError as error:
        raise InputError("circuit", f"{len(segments)} parts", str(error.errors()[0]["msg"]).removeprefix("Value error, ")) from None
    centre_line(made)
    return made


def typed_circuit(key: str, name: str, layout: str, width_m: float, segments: Sequence[Segment], closed: bool) -> Circuit:
    """The circuit of segments as they were typed, as long as they add up to; where its straights are too short for that, as it comes.

    :raises InputError: as `circuit_of`
    """
    with suppress(InputError):
        return circuit_of(key, name, layout, width_m, room_made(segments, closed), closed)
    return circuit_of(key, name, layout, width_m, segments, closed)


def as_far_as_it_goes(segments: Sequence[Segment], width_m: float = 10.0) -> Circuit | None:
    """What there is of a circuit, to be drawn: the lap where it closes, else a course from its first straight on; None for nothing."""
    if not segments:
        return None
    for closed in (True, False):
        try:
            return circuit_of("sketch", "Sketch", "sketch", width_m, segments, closed)
        except InputError:
            continue
    return None


@dataclass(frozen=True)
class Drawn:
    """A drawing as straights and corners.

    :param segments: from the start line, in the middle of the way from the last bend to the first, or of an open course
        from its first spot
    :param metre: units of the drawing for a metre
    :param start: where the first segment begins, in the drawing
    :param heading_deg: of the first segment, counter-clockwise from the right
    """

    segments: tuple[Segment, ...]
    metre: float
    start: tuple[float, float]
    heading_deg: float


def drawn_segments(bends: Sequence[Bend], length_m: float, closed: bool = True) -> Drawn:
    """Straights and corners of bends drawn, as long in all as was told.

    A corner with transitions takes the way of its arc and half a transition more from the straight on either side, and its circle
    stands a little further in. Source: geometry of clothoids by their series (shift L²/24R, half the length along the tangent).

    :param bends: of a lap; of an open course the first and the last are its ends
    :param length_m: of the lap or course [m]
    :raises InputError: for too few bends, two on one spot, a bend back on itself or one whose radius has no room
    """
    least = 3 if closed else 2
    if not least <= len(bends) <= MOST_BENDS:
        raise InputError("drawing", f"{len(bends)} bends", f"{least} to {MOST_BENDS}")
    spots = np.array([(bend.x, bend.y) for bend in bends])
    if not np.isfinite(spots).all() or np.abs(spots).max() > 1e6:
        raise InputError("drawing", "a bend far outside", "bends on the drawing")
    ways = np.roll(spots, -1, axis=0) - spots if closed else np.diff(spots, axis=0)
    sizes = np.hypot(ways[:, 0], ways[:, 1])
    if sizes.min() < 1e-6 * max(sizes.max(), 1e-9) or sizes.max() == 0.0:
        raise InputError("drawing", f"bend {int(sizes.argmin()) + 1}", "a spot of its own")
    unit = float(sizes.sum()) / length_m
    for _ in range(40):
        segments = _corners_at(bends, ways, sizes / unit, closed)
        total = sum(one.length_m for one in segments)
        unit *= total / length_m
        if abs(total - length_m) < 0.05:
            break
    start = spots[-1] + 0.5 * ways[-1] if closed else spots[0]
    first = ways[-1] if closed else ways[0]
    return Drawn(tuple(segments), unit, (float(start[0]), float(start[1])), math.degrees(math.atan2(first[1], first[0])))


def _tangent_m(angle_rad: float, radius_m: float, eased: float) -> float:
    """How far before the meeting of its straights a corner begins [m]."""
    shift, half = eased**2 / (24.0 * radius_m), 0.5 * eased - eased**3 / (240.0 * radius_m**2)
    return (radius_m + shift) * math.tan(0.5 * abs(angle_rad)) + half


def _corners_at(bends: Sequence[Bend], ways: np.ndarray, sizes_m: np.ndarray, closed: bool) -> list[Segment]:
    """The segments where the ways between bends are so long [m]."""
    count = len(bends)
    headings = np.arctan2(ways[:, 1], ways[:, 0])
    corners: dict[int, Corner] = {}
    for n in range(count) if closed else range(1, count - 1):
        turn = float((headings[n] - headings[n - 1] + math.pi) % (2 * math.pi) - math.pi)
        if abs(turn) < math.radians(0.02):
            continue
        if abs(turn) > math.radians(172.0):
            raise InputError("drawing", f"bend {n + 1}", "a bend that does not turn back on itself; draw a hairpin as two bends")
        room = float(min(sizes_m[n - 1], sizes_m[n]))
        if not closed:
            room = float(min(sizes_m[n - 1] * (2.0 if n == 1 else 1.0), sizes_m[n] * (2.0 if n == count - 2 else 1.0)))
        corners[n] = _corner(bends[n], n, math.degrees(turn), room)
    segments: list[Segment] = []
    takes = {n: _tangent_m(math.radians(one.angle_deg), one.radius_m, one.transition_m) for n, one in corners.items()}
    if closed:
        half = 0.5 * float(sizes_m[-1])
        order = [*range(count)]
        before = [half, *map(float, sizes_m[:-1])]
    else:
        half, order, before = float(sizes_m[-1]), [*range(1, count - 1)], [*map(float, sizes_m[:-1])]
    left = 0.0
    for n, size in zip(order, before, strict=True):
        left += size
        if n in corners:
            segments += _straight(left - takes[n])
            segments.append(corners[n])
            left = -takes[n]
    segments += _straight(left + half)
    return segments


def _corner(bend: Bend, place: int, angle: float, room_m: float) -> Corner:
    """The corner of a bend with so much way to its neighbours [m]."""
    tangent = math.tan(0.5 * math.radians(abs(angle)))
    if bend.radius_m is None:
        radius = min(max(_USUAL * room_m / tangent, _LEAST_M), _MOST_M, max(0.4 * room_m / tangent, 4.1))
    else:
        radius = bend.radius_m
    if not 4.0 < radius <= 3000.0:
        raise InputError(f"bend {place + 1}, radius", f"{format_number(radius, 1)} m", "more than 4 m and at most 3000 m")
    eased = eased_m(angle, radius)
    while eased > 0.2 and _tangent_m(math.radians(angle), radius, eased) > _ROOM * room_m:
        eased = round(0.5 * eased, 2)
    if _tangent_m(math.radians(angle), radius, eased) > 0.995 * room_m:
        if bend.radius_m is None:
            raise InputError(f"bend {place + 1}", f"{abs(angle):.0f}°", f"a wider one: there are {room_m:.0f} m to the next bend")
        raise InputError(f"bend {place + 1}, radius", f"{format_number(radius, 1)} m", f"less: its straights leave {room_m:.0f} m")
    return Corner(angle_deg=round(angle, 4), radius_m=round(radius, 2), transition_m=eased, name=bend.name[:40])


def _straight(length_m: float) -> list[Segment]:
    return [Straight(length_m=round(min(length_m, 5000.0), 2))] if length_m > 1.01 else []


def drawn_circuit(
    bends: Sequence[Bend], length_m: float, key: str, name: str, layout: str, width_m: float, closed: bool = True
) -> tuple[Circuit, Drawn]:
    """The circuit of bends drawn, as long as was told once it is closed, and how it lies in the drawing.

    :raises InputError: as `drawn_segments`, or if it crosses itself so that its corners make no turn in all
    """
    told = length_m
    for _ in range(4):
        drawn = drawn_segments(bends, told, closed)
        if closed and abs(abs(turned_deg(drawn.segments)) - 360.0) > 1.0:
            raise InputError("drawing", "a way that crosses itself", "one that goes round once")
        made = _closing(drawn, key, name, layout, width_m, closed)
        found = centre_line(made).length_m
        if abs(found - length_m) < 1e-3 * length_m:
            break
        if all(bend.radius_m is None for bend in bends):  # the same figure in another size closes as it did
            with suppress(InputError):  # unless a straight gets too short for it
                sized = _sized(made, length_m / found)
                centre_line(sized)
                made, drawn = sized, replace(drawn, metre=drawn.metre * found / length_m)
                break
        told *= length_m / found
    return made.model_copy(update={"heading_deg": round(drawn.heading_deg, 2)}), drawn


def _sized(circuit: Circuit, size: float) -> Circuit:
    """The same figure so many times as large."""
    segments: list[Segment] = []
    for one in circuit.segments:
        if isinstance(one, Straight):
            segments.append(Straight(length_m=min(one.length_m * size, 5000.0)))
        else:
            radius = min(max(one.radius_m * size, 4.01), 3000.0)
            transition = min(one.transition_m * size, 0.99 * abs(math.radians(one.angle_deg)) * radius)
            segments.append(one.model_copy(update={"radius_m": radius, "transition_m": transition}))
    return circuit.model_copy(update={"segments": tuple(segments)})


def _closing(drawn: Drawn, key: str, name: str, layout: str, width_m: float, closed: bool) -> Circuit:
    """The circuit of a drawing: straights too short to drive are left out until it closes."""
    for short in _SHORT_M:
        segments = [one for one in drawn.segments if isinstance(one, Corner) or one.length_m >= short]
        try:
            return circuit_of(key, name, layout, width_m, segments, closed)
        except InputError as error:
            refused = error
    raise refused


def square(segments: Sequence[Segment]) -> tuple[Segment, ...]:
    """The segments with the last digits of the angles set so that they add up to one turn: drawn angles are rounded."""
    off = math.copysign(360.0, turned_deg(segments)) - turned_deg(segments)
    if abs(off) > _ROUNDED_DEG:
        return tuple(segments)
    places = [n for n, one in enumerate(segments) if isinstance(one, Corner)]
    last = max(places, key=lambda n: abs(segments[n].angle_deg), default=None)  # type: ignore[union-attr]
    if last is None:
        return tuple(segments)
    corner = segments[last]
    assert isinstance(corner, Corner)
    fitted = corner.model_copy(update={"angle_deg": corner.angle_deg + off})
    return (*segments[:last], fitted, *segments[last + 1 :])
