"""The race as it went: the gap to the plan over the laps, with stops, flags and changes of plan where they came."""

from dataclasses import dataclass

from apexcore.quantities import format_number
from apextrim.ui.pictures import Axis, Plot

from .after import Compared

_PLOT = Plot(760, 270, left=58, right=744, top=40, bottom=226)
#: What is marked over the laps, and what it is called.
_FLAGS = {"safety": "safety car", "yellow": "full-course yellow", "red": "red flag", "wet": "wet", "dry": "dry", "puncture": "flat tyre"}


@dataclass(frozen=True)
class RaceCall:
    """Something over the laps.

    :param kind: `stop`, `flag` or `plan`
    :param row: its height among those of one lap, from 0
    """

    x: float
    kind: str
    row: int
    words: str

    @property
    def y(self) -> int:
        """Its height over the picture [px]."""
        return _PLOT.top - 10 - 12 * min(self.row, 2)


@dataclass(frozen=True)
class AfterPicture:
    """Seconds behind the plan as each lap ends, up is time lost.

    :param known: stretches of laps whose times are known, as paths
    :param guessed: stretches that laps without a time are in, which count as planned
    :param zero: the plan [px]
    """

    plot: Plot
    x: Axis
    y: Axis
    known: tuple[str, ...]
    guessed: tuple[str, ...]
    spots: tuple[tuple[float, float, str], ...]
    calls: tuple[RaceCall, ...]
    zero: float


#: Parts of the gap in words, and what they hold.
_PARTS = {
    "stops": ("stops", "laps that begin with a stop, planned or driven"),
    "flags": ("flags and flat tyres", "laps behind a safety car, under a yellow or red flag, or on a flat tyre"),
    "rain": ("rain", "wet laps without a flag"),
    "spoiled": ("spoiled laps", "laps far slower than the usual one: traffic, mistakes"),
    "pace": ("pace", "all other laps: driver, tyres and fuel"),
}  # fmt: skip
#: Length of the bar of the largest part either side of the middle [px].
_LONGEST_PX = 110.0


@dataclass(frozen=True)
class PartBar:
    """A part of the gap as a bar: left of the middle gained, right lost.

    :param x: its left end, the middle being 0 [px]
    """

    name: str
    holds: str
    seconds: float
    laps: int
    x: float
    width: float


def part_bars(found: Compared) -> list[PartBar]:
    """The parts of the gap, the largest first."""
    most = max((abs(part.seconds) for part in found.parts), default=0.0) or 1.0
    bars = []
    for part in found.parts:
        width = _LONGEST_PX * abs(part.seconds) / most
        name, holds = _PARTS[part.what]
        bars.append(PartBar(name, holds, part.seconds, part.laps, 0.0 if part.seconds >= 0.0 else -width, max(width, 1.0)))
    return bars


def after_picture(found: Compared) -> AfterPicture | None:
    """The gap to the plan over the laps; None before the second lap."""
    rows = found.laps[: len(found.now.state.times_s)]
    gaps, told, gap = [0.0], [True], 0.0
    for _, planned, driven in rows:
        sure = planned is not None and driven is not None
        gap += (driven or 0.0) - (planned or 0.0) if sure else 0.0
        gaps.append(gap)
        told.append(sure)
    if len(gaps) < 3:
        return None
    x = _PLOT.x_axis(0.0, len(gaps) - 1.0, 9, lambda value: f"{value:.0f}")
    y = _PLOT.y_axis(min(-1.0, *gaps), max(1.0, *gaps), 5, lambda value: format_number(value, 0, signed=bool(value)), inset=6)
    known, guessed = list[str](), list[str]()
    first = 1
    for lap in range(1, len(gaps) + 1):
        if lap == len(gaps) or told[lap] != told[first]:
            path = "M" + " ".join(f"{x.at(n):.1f},{y.at(gaps[n]):.1f}" for n in range(first - 1, lap))
            (known if told[first] else guessed).append(path)
            first = lap
    spots = tuple(
        (
            x.at(n),
            y.at(gaps[n]),
            f"lap {n}: {format_number(gaps[n], 1, signed=True)} s against the plan{'' if told[n] else ', its time unknown'}",
        )
        for n in range(1, len(gaps))
    )
    return AfterPicture(_PLOT, x, y, tuple(known), tuple(guessed), spots, _calls(found, x, len(gaps) - 1), y.at(0.0))


def _calls(found: Compared, x: Axis, last: int) -> tuple[RaceCall, ...]:
    """Stops, flags and changes of plan, by lap."""
    laps, there = 0, list[tuple[int, str, str]]()
    at_mark = dict[int, int]()
    for mark in found.now.marks:
        laps += mark.kind == "lap"
        at_mark[mark.number] = laps
        if mark.kind in _FLAGS:
            there.append((laps, "flag", f"after lap {laps}: {_FLAGS[mark.kind]}"))
    for lap, _, lost in found.stops_s:
        there.append((lap, "stop", f"after lap {lap}: stop{'' if lost is None else f', {lost:.1f} s lost'}"))
    for number, _, words in found.now.race.followed:
        lap = max((count for mark, count in at_mark.items() if mark <= number), default=0)
        there.append((lap, "plan", f"after lap {lap}: plan changed. {words}"))
    calls, rows = list[RaceCall](), dict[int, int]()
    for lap, kind, words in sorted(there, key=lambda one: one[0]):
        if 0 <= lap <= last:
            calls.append(RaceCall(x.at(lap), kind, rows.get(lap, 0), words))
            rows[lap] = rows.get(lap, 0) + 1
    return tuple(calls)
