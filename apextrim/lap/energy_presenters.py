"""An energy store on a lap, in words and picture geometry."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.circuit.line import CornerSpan, Line
from apexcore.quantities import format_number
from apexcore.trim.deployment import Deployment, Spent
from apextrim.ui.pictures import Axis, Plot

PLOT = Plot(420, 220, 64, 404, 22, 180)


@dataclass(frozen=True)
class Row:
    """A stretch on which the store drives.

    :param where: behind which corner it begins
    :param per_kj_ms: what a kilojoule saves on it, in the mean [ms]
    """

    spent: Spent
    where: str

    @property
    def per_kj_ms(self) -> float:
        """What a kilojoule saves on it, in the mean [ms]."""
        return 1000.0 * self.spent.saves_s / self.spent.kj


def rows(found: Deployment, spans: Sequence[CornerSpan], line: Line) -> list[Row]:
    """The stretches, each with the corner that it comes out of."""

    def behind(at_m: float) -> str:
        before = [span for span in spans if line.s[span.apex] <= at_m]
        if not spans or (not before and not line.closed):
            return "from the start"
        span = before[-1] if before else spans[-1]
        return f"out of {span.number} {span.name}".strip()

    return [Row(one, behind(one.from_m)) for one in found.stretches]


@dataclass(frozen=True)
class Picture:
    """Lap time by what is spent, in picture units.

    :param path: the curve
    :param spots: of each lap that was solved
    """

    plot: Plot
    x: Axis
    y: Axis
    path: str
    spots: list[tuple[float, float]]


def picture(by_energy: Sequence[tuple[float, float]]) -> Picture:
    """Lap time [s] by what is spent [kJ]."""
    spent, times = [one[0] for one in by_energy], [one[1] for one in by_energy]
    x = PLOT.x_axis(0.0, max(*spent, 1.0), 5, lambda v: format_number(v, 0))
    y = PLOT.y_axis(min(times), max(times), 4, lambda v: format_number(v, 1), 8)
    spots = [(x.at(kj), y.at(time)) for kj, time in by_energy]
    return Picture(PLOT, x, y, "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b in spots), spots)
