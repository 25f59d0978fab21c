"""A verdict corner by corner, and sector by sector."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.judge.model import Observed, Priors
from apexcore.judge.parts import PartVerdict, judge_parts, part_sentence
from apexcore.quantities import format_number
from apextrim.accounts.owned import asked_for
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.traces.parts import modelled_times, times_of, titles_of
from apextrim.ui.uploads import problems_of
from apextrim.ui.whisker_plot import Estimate, WhiskerPlot, WhiskerRow, whisker_plot

from . import queries
from .expected import WaysForm, expected, guessed
from .forms import ASKED, two_sides
from .sides import SHEET, is_tag


@dataclass(frozen=True)
class PartLine:
    """A part of the lap with its verdict.

    :param modelled_s: what the vehicle model expected of the change there [s]; None where it is of no sheet
    """

    title: str
    found: PartVerdict
    modelled_s: float | None = None

    @property
    def agrees(self) -> bool:
        """Whether the model's expectation lies within the interval."""
        return self.modelled_s is None or self.found.low_s <= self.modelled_s <= self.found.high_s


@dataclass(frozen=True)
class Parts:
    """The verdicts of the parts of a lap.

    :param text: the sentence
    :param laps: of both sides that have their parts
    """

    text: str
    lines: list[PartLine]
    laps: int

    @property
    def picture(self) -> WhiskerPlot | None:
        """Every part's difference with its interval, and what the model expected of it."""
        rows = []
        for line in self.lines:
            one, expected = line.found, line.modelled_s
            seen = "no difference seen" if not one.sure else "quicker" if one.mean_s < 0 else "slower"
            words = (
                f"{line.title}: {format_number(one.mean_s, 2, signed=True)} s, {format_number(one.low_s, 2, signed=True)} to "
                f"{format_number(one.high_s, 2, signed=True)}: {seen}"
            )
            if expected is not None:
                words += f"; modelled {format_number(expected, 2, signed=True)} s{'' if line.agrees else ', which disagrees'}"
            of_model = None if expected is None else Estimate(expected, expected, expected)
            rows.append(WhiskerRow(line.title, (of_model, Estimate(one.low_s, one.mean_s, one.high_s)), f"{words}."))
        kinds = ("modelled", "from your laps")
        x_words = "seconds a lap: − quicker, + slower"
        return whisker_plot(rows, kinds, self.text, x_words, lambda value: format_number(value, 2, signed=bool(value)), least=0.02)


def _parts(laps: list[Observed], times: list[tuple[float, ...]], priors: Priors, titles: list[str], names: tuple[str, str]) -> Parts | None:
    """The parts' verdicts; None where too few laps of a side have them."""
    if any(sum(lap.level == level for lap in laps) < 2 for level in (0, 1)) or any(len(row) != len(titles) for row in times):
        return None
    found = judge_parts(laps, np.array(times), priors)
    return Parts(part_sentence(found, titles, *names), [PartLine(*pair) for pair in zip(titles, found, strict=True)], len(laps))


def _by_corner(event: Event, judged: queries.Judged, names: tuple[str, str]) -> Parts | None:
    there = times_of(event, [(run.run.pk, number) for run in judged.runs for number in run.numbers])
    return _parts(*_with_parts(judged, there), judged.priors, titles_of(event), names)


def _with_parts(
    judged: queries.Judged, there: Mapping[tuple[int, int], tuple[float, ...]]
) -> tuple[list[Observed], list[tuple[float, ...]]]:
    """The laps judged that have their parts, and these.

    :param there: times of the parts by run and number of the lap
    """
    laps, times = [], []
    for run in judged.runs:
        for lap, number in zip(run.laps, run.numbers, strict=True):
            if (run.run.pk, number) in there:
                laps.append(lap)
                times.append(there[run.run.pk, number])
    return laps, times


def _beside_model(event: Event, a: str, b: str, parts: Parts | None) -> Parts | None:
    """The same with what the model expected of the two sheets, corner by corner."""
    first, second = (asked_for(event.sheets.all(), key) for key in (a, b))
    if parts is None or first is None or second is None:
        return parts
    expected = modelled_times(event, second) - modelled_times(event, first)
    lines = [replace(line, modelled_s=float(one)) for line, one in zip(parts.lines, expected, strict=True)]
    return replace(parts, lines=lines)


def _beside_ways(
    request: HttpRequest, event: Event, tag: str, names: tuple[str, str], parts: Parts | None
) -> tuple[Parts | None, dict[str, Any]]:
    """The same with what the model expects of the two ways of driving that a tag tells apart, and what the page says of it.

    :param tag: its name
    """
    spans = cases.spans_of(event)
    if parts is None or not spans:
        return parts, {}
    told = "corner" in request.GET
    form = WaysForm(spans, names, request.GET if told else guessed(spans, tag, names))
    context: dict[str, Any] = {"ways": form}
    if not form.is_valid():
        return parts, context
    values = form.cleaned_data
    context["corner"] = values["corner"]
    try:
        found = expected(event, values["corner"], (values["way_a"], values["way_b"]))
    except ApexError as error:
        context["way_problem"] = str(error)
        return parts, context
    if found is None:
        return parts, context
    lines = [replace(line, modelled_s=float(one)) for line, one in zip(parts.lines, found.parts_s, strict=True)]
    return replace(parts, lines=lines), context | {"expected": found}


def _by_sector(judged: queries.Judged, names: tuple[str, str]) -> Parts | None:
    timed = {(run.run.pk, row.number): tuple(row.sectors_s) for run in judged.runs for row in run.run.laps.all()}
    laps, times = _with_parts(judged, {key: sectors for key, sectors in timed.items() if len(sectors) > 1})
    count = max((len(row) for row in times), default=0)
    return _parts(laps, times, judged.priors, [f"sector {k + 1}" for k in range(count)], names) if times else None


@require_GET
def corners(request: HttpRequest, event_id: int) -> HttpResponse:
    """Where one side gains on the other, and where it costs."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "verdicts"), "asked": request.GET.urlencode()}
    form = two_sides(event, request.GET)
    if form is None:
        context["missing"] = "Choose two sides on the Verdicts bench first."
    else:
        values, sides = form.cleaned_data, dict(form.kind.sides)
        names = (sides.get(values["a"], "A"), sides.get(values["b"], "B"))
        try:
            judged = queries.judged_sides(event, form.kind.key, (values["a"], values["b"]), names, values["margin"], values["trust"])
            if isinstance(judged, queries.NotYet):
                context["missing"] = judged.why
            else:
                found = [("Corner by corner", _by_corner(event, judged, names)), ("Sector by sector", _by_sector(judged, names))]
                if form.kind.key == SHEET:
                    found[0] = (found[0][0], _beside_model(event, values["a"], values["b"], found[0][1]))
                elif is_tag(form.kind.key):
                    parts, told = _beside_ways(request, event, form.kind.words.removeprefix("tag: "), names, found[0][1])
                    found[0] = (found[0][0], parts)
                    context |= told
                context |= {
                    "judged": judged,
                    "tables": [(title, parts) for title, parts in found if parts is not None],
                    "names": names,
                    "asked_names": [(name, values[name]) for name in ASKED],
                }
        except ApexError as error:
            context["missing"] = " ".join(problems_of(error))
    return render(request, "verdicts/corners.html", context)
