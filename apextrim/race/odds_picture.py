"""Ten thousand races as pictures: each plan a curve over race time, and the call under a safety car along the laps."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_lap
from apextrim.ui.pictures import Axis, Plot, Tick, linear_axis

from .odds import CallRange, OddsRow

_PLOT = Plot(760, 236, left=16, right=744, top=26, bottom=192)
#: Steps of the axis, such as a clock has [s].
_STEPS_S = (1.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0)
#: Curves drawn at most: those quickest most often.
_MOST = 5
#: Heights of the names over the curves, one below the other [px].
_NAME_PX = 13.0


@dataclass(frozen=True)
class OddsCurve:
    """A plan over race time.

    :param line: its curve
    :param area: the same down to the axis
    :param middle: where half of its races are quicker [px]
    :param name_x: where its name stands [px]
    :param name_y: its base line [px]
    :param words: what the curve says
    """

    title: str
    line: str
    area: str
    middle: float
    name_x: float
    name_y: float
    words: str


@dataclass(frozen=True)
class OddsPicture:
    """:param curves: the best one first"""

    plot: Plot
    x: Axis
    curves: tuple[OddsCurve, ...]


def odds_picture(rows: Sequence[OddsRow]) -> OddsPicture | None:
    """The plans as curves over race time, all on one scale; None where no race tells."""
    shown = sorted(rows, key=lambda row: -row.outcome.wins)[:_MOST]
    shown = [row for row in shown if len(row.outcome.curve) > 2]
    if not shown:
        return None
    first, last = shown[0].outcome.curve[0][0], shown[0].outcome.curve[-1][0]
    step = next((step for step in _STEPS_S if (last - first) / step < 8.0), 3600.0)
    x = _PLOT.x_axis(first, last, 7, lambda value: format_lap(value, 0), step=step)
    smooth = [_smoothed([share for _, share in row.outcome.curve]) for row in shown]
    top = max(float(one.max()) for one in smooth)
    found = []
    for row, shares in zip(shown, smooth, strict=True):
        spots = [
            (x.at(at), _PLOT.bottom - (_PLOT.depth - 18) * share / top) for (at, _), share in zip(row.outcome.curve, shares, strict=True)
        ]
        line = "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b in spots)
        peak = max(spots, key=lambda spot: -spot[1])
        low, middle, high = row.outcome.time_s
        words = (
            f"{row.title.capitalize()}: {format_lap(middle, 0)} in the middle, {format_lap(low, 0)} to {format_lap(high, 0)} in nine of "
            f"ten races; quickest of the plans in {100 * row.outcome.wins:.0f} %; {row.words}."
        )
        area = f"{line}V{_PLOT.bottom}H{spots[0][0]:.1f}Z"
        found.append(OddsCurve(row.title, line, area, x.at(middle), peak[0] + 6.0, max(peak[1] - 5.0, 14.0), words))
    return OddsPicture(_PLOT, x, _apart(found))


def _smoothed(shares: Sequence[float]) -> np.ndarray:
    """Shares with the raggedness of a few thousand draws taken out."""
    row = np.asarray(shares)
    for _ in range(2):
        row = np.convolve(np.pad(row, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    return row


def _apart(curves: Sequence[OddsCurve]) -> tuple[OddsCurve, ...]:
    """Curves whose names do not lie on each other."""
    found: list[OddsCurve] = []
    for one in curves:
        y = one.name_y
        while any(abs(y - other.name_y) < _NAME_PX and abs(one.name_x - other.name_x) < 90.0 for other in found):
            y += _NAME_PX
        found.append(OddsCurve(one.title, one.line, one.area, one.middle, one.name_x, y, one.words))
    return tuple(found)


#: The strip of calls [px].
_STRIP = Plot(760, 66, left=16, right=744, top=8, bottom=36)


@dataclass(frozen=True)
class CallBand:
    """:param kind: `stop`, `stay`, `even`, or `none` where no stop is allowed
    :param text: what stands in it where there is room"""

    x: float
    width: float
    kind: str
    text: str
    words: str


@dataclass(frozen=True)
class CallStrip:
    """What to do under a safety car along the laps of the race."""

    plot: Plot
    ticks: tuple[Tick, ...]
    bands: tuple[CallBand, ...]


_CALLS = {"stop": "stop", "stay": "stay out", "even": "either", "none": "no stop allowed"}


def call_strip(calls: Sequence[CallRange]) -> CallStrip | None:
    """The calls as bands along the laps; None where there are none."""
    if not calls:
        return None
    last = calls[-1].last + 1
    axis = linear_axis(1.0, float(last), _STRIP.left, _STRIP.right, 10, lambda value: f"{value:.0f}")
    bands = []
    for n, one in enumerate(calls):
        end = calls[n + 1].first if n + 1 < len(calls) else last
        kind = "none" if one.stops is None else "even" if not one.clear else "stop" if one.stops else "stay"
        x, right = axis.at(one.first), axis.at(end)
        laps = f"lap {one.first}" if one.first == one.last else f"laps {one.first} to {one.last}"
        low, high = f"{one.low_s:.1f}", f"{one.high_s:.1f}"
        worth = "" if one.stops is None else f", worth {low} s" if low == high else f", worth {low} to {high} s"
        text = _CALLS[kind] if right - x > 7.0 * len(_CALLS[kind]) else ""
        bands.append(CallBand(x, right - x, kind, text, f"As {laps} ends: {_CALLS[kind]}{worth}"))
    return CallStrip(_STRIP, tuple(tick for tick in axis.ticks if tick.text != "0"), tuple(bands))
