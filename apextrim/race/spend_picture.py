"""What saving costs, and a duel in the pits, as pictures."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.race.rules import Level
from apexcore.race.spend import Duel
from apextrim.ui.pictures import Axis, Plot

_PLOT = Plot(560, 250, left=54, right=544, top=24, bottom=206)


@dataclass(frozen=True)
class SavingCurve:
    """Seconds a lap across what is saved.

    :param path: through the savings that were worked out
    :param spots: each of them: place [px] and words
    """

    plot: Plot
    x: Axis
    y: Axis
    path: str
    spots: tuple[tuple[float, float, str], ...]


def saving_curve(levels: Sequence[Level]) -> SavingCurve | None:
    """What saving costs a lap; None where nothing is worked out."""
    if not levels:
        return None
    rows = sorted((level.saved_pct, level.cost_s, level.tyre_share) for level in levels)
    x = _PLOT.x_axis(0.0, rows[-1][0], 6, lambda value: format_number(value, 0), inset=0)
    y = _PLOT.y_axis(0.0, max(max(cost for _, cost, _ in rows), 0.01), 4, lambda value: format_number(value, 2))
    spots = [
        (x.at(saved), y.at(cost), f"{saved:.1f} % of the fuel saved costs {cost:.2f} s a lap; tyres work {100 * share:.0f} %")
        for saved, cost, share in rows
    ]
    path = "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b in [(x.at(0.0), y.at(0.0)), *((a, b) for a, b, _ in spots)])
    return SavingCurve(_PLOT, x, y, path, tuple(spots))


@dataclass(frozen=True)
class DuelBar:
    """:param ahead: whether one comes out ahead"""

    x: float
    y: float
    width: float
    height: float
    ahead: bool
    words: str


@dataclass(frozen=True)
class DuelPicture:
    """:param zero: where nothing is gained [px]
    :param needed: where the gap is closed [px]"""

    plot: Plot
    x: Axis
    y: Axis
    bars: tuple[DuelBar, ...]
    zero: float
    needed: float
    sentence: str
    x_words: str = "laps by which you stop earlier (+) or later (−)"


def duel_picture(duels: Sequence[tuple[str, Duel]], gap_s: float) -> DuelPicture | None:
    """What stopping so many laps before or after a rival gains, a bar each; None where none is told.

    :param duels: with their words, later to earlier
    """
    if not duels:
        return None
    laps, gains = [one.laps for _, one in duels], [one.gain_s for _, one in duels]
    x = _PLOT.x_axis(min(laps) - 0.6, max(laps) + 0.6, 2 * len(laps), lambda value: format_number(value, 0, signed=bool(value)), step=1.0)
    y = _PLOT.y_axis(min(0.0, *gains), max(gap_s, *gains), 5, lambda value: format_number(value, 0, signed=bool(value)), inset=4)
    wide = 0.62 * (x.at(1.0) - x.at(0.0))
    zero = y.at(0.0)
    bars = [
        DuelBar(
            x.at(one.laps) - 0.5 * wide, min(y.at(one.gain_s), zero), wide, max(abs(y.at(one.gain_s) - zero), 1.0), one.ahead,
            f"{words}: {format_number(one.gain_s, 1, signed=True)} s, {'out ahead' if one.ahead else 'still behind'}",
        )
        for words, one in duels
    ]  # fmt: skip
    ahead = [(words, one) for words, one in duels if one.ahead]
    best = max(duels, key=lambda pair: pair[1].gain_s)
    if ahead:
        sentence = f"{best[0].capitalize()} gains most, {format_number(best[1].gain_s, 1, signed=True)} s, and comes out ahead."
    else:
        short = format_number(max(gap_s - best[1].gain_s, 0.0), 1)
        sentence = f"No stop comes out ahead: {best[0]} gains most and is {short} s short."
    return DuelPicture(_PLOT, x, y, tuple(bars), zero, y.at(gap_s), sentence)
