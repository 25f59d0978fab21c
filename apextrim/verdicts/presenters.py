"""The interval and the evidence as pictures."""

from collections.abc import Mapping
from dataclasses import dataclass

from apexcore.judge.model import Prior
from apexcore.judge.verdict import Verdict
from apexcore.quantities import format_lap, format_number
from apexcore.vehicle.pair import pair_words
from apextrim.runs.queries import per_run
from apextrim.ui.pictures import Axis, Plot
from apextrim.ui.units import current, per_one

from .queries import Judged

_INTERVAL = Plot(640, 104, left=20, right=620, top=10, bottom=66)
#: Runs that have room in the picture; more would lie on each other.
_MOST_DRAWN = 24
_EVIDENCE = Plot(640, 260, left=62, right=624, top=16, bottom=220)


@dataclass(frozen=True)
class IntervalPicture:
    """The interval on a number line; quicker for B lies left."""

    plot: Plot
    axis: Axis
    zero: float
    low: float
    high: float
    mean: float
    margin: tuple[float, float]

    @property
    def margin_width(self) -> float:
        """Width of the band that does not matter [px]."""
        return self.margin[1] - self.margin[0]


def interval_picture(verdict: Verdict) -> IntervalPicture:
    """The 95 % interval beside zero and the margin."""
    reach = 1.25 * max(abs(verdict.low_s), abs(verdict.high_s), 2 * verdict.margin_s, 0.1)
    axis = _INTERVAL.x_axis(-reach, reach, 6, lambda v: format_number(v, 2, signed=True))
    band = (axis.at(-verdict.margin_s), axis.at(verdict.margin_s))
    return IntervalPicture(_INTERVAL, axis, axis.at(0.0), axis.at(verdict.low_s), axis.at(verdict.high_s), axis.at(verdict.mean_s), band)


@dataclass(frozen=True)
class EvidenceSpot:
    x: float
    y: float
    title: str


@dataclass(frozen=True)
class EvidenceRun:
    """A run in the evidence: its laps side by side, its mean as a bar."""

    name: str
    url_id: int
    side: str
    left: float
    right: float
    middle: float
    mean_y: float
    spots: list[EvidenceSpot]


@dataclass(frozen=True)
class EvidencePicture:
    """:param left_out: older runs that are judged and not drawn"""

    runs: list[EvidenceRun]
    plot: Plot
    y: Axis
    left_out: int


def evidence_picture(judged: Judged) -> EvidencePicture:
    """Laps with fuel, tyre age and cold tyres taken out, run by run in the order driven."""
    times_of = list(zip(judged.runs, per_run(judged.runs, judged.verdict.cleaned_s), strict=True))
    left_out = max(len(times_of) - _MOST_DRAWN, 0)
    times_of = times_of[left_out:]
    cleaned = [time for _, times in times_of for time in times]
    room = max(0.08 * (max(cleaned) - min(cleaned)), 0.03)
    y = _EVIDENCE.y_axis(min(cleaned) - room, max(cleaned) + room, 5, lambda v: format_lap(v, 1))
    gap = min(18.0, 280.0 / len(times_of))
    unit = (_EVIDENCE.right - _EVIDENCE.left - gap * len(times_of)) / max(len(cleaned), 1)
    x, found = _EVIDENCE.left + gap / 2, []
    for judged_run, times in times_of:
        spots = [
            EvidenceSpot(
                x + (k + 0.5) * unit, y.at(t), f"{judged_run.run.name} lap {n}: {format_lap(t)} corrected, {format_lap(lap.time_s)} driven"
            )
            for k, (t, n, lap) in enumerate(zip(times, judged_run.numbers, judged_run.laps, strict=True))
        ]
        right = x + unit * len(times)
        side = "b" if judged_run.laps[0].level else "a"
        found.append(
            EvidenceRun(judged_run.run.name, judged_run.run.pk, side, x, right, (x + right) / 2, y.at(sum(times) / len(times)), spots)
        )
        x = right + gap
    return EvidencePicture(found, _EVIDENCE, y, left_out)


def taken_out(judged: Judged, names: Mapping[str, str]) -> list[tuple[str, str, str, str]]:
    """(what, its unit, what the model said, what is found) of everything that is taken out.

    :param names: of the compounds, by their keys, in the car's order
    """
    compounds = list(names.values())
    verdict, priors = judged.verdict, judged.priors

    def row(what: str, unit: str, prior: Prior, found: tuple[float, float], factor: float, decimals: int) -> tuple[str, str, str, str]:
        texts = [
            f"{format_number(factor * mean, decimals, True)} ± {format_number(2 * factor * sd, decimals)}"
            for mean, sd in ((prior.mean, prior.sd), found)
        ]
        return what, unit, texts[0], texts[1]

    rows = [row("fuel weight", f"ms per {current().unit('kg')}", priors.fuel, verdict.fuel_s_per_kg, per_one(1000, "kg"), 1)]
    used = {lap.compound for run in judged.runs for lap in run.laps}
    for index, found in enumerate(verdict.fade_s_per_lap):
        if index in used:
            on = next(run.run for run in judged.runs if any(lap.compound == index for lap in run.laps))
            name = compounds[index] if index < len(compounds) else pair_words(names, on.front, on.rear)
            rows.append(row(f"tyre fade, {name}", "ms per lap of age", priors.fade[index], found, 1000, 0))
    rows.append(row("track temperature", f"ms per {current().unit('°C')}", priors.track, verdict.track_s_per_k, per_one(1000, "°C"), 0))
    rows.append(row("trend of the session", "s per hour", priors.trend, verdict.trend_s_per_h, 1, 2))
    learnt, spread = verdict.learning_s
    rows.append(("learning, first lap of a day", "s", "0.00 or more", f"{learnt:.2f} ± {2 * spread:.2f}"))
    rows.append(("spoiled laps without a mark", "%", "10", f"{100 * verdict.spoiled:.0f}"))
    rows.append(("run-to-run spread", "s", "", f"{verdict.shift_s:.2f}"))
    rows.append(("lap-to-lap scatter", "s", "", f"{verdict.scatter_s:.2f}"))
    return rows
