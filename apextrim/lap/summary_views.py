"""The lap in ten lines: sectors, what there is to say of it, and on an oval its lanes."""

from dataclasses import dataclass
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.trim.reading.summary import sector_times_s, ten_lines
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.modelling.cases import Case
from apextrim.runs.models import Lap
from apextrim.ui.circuit_map import map_view
from apextrim.ui.fields import QuantityField

from . import asked, corner_presenters

#: Laps of such a run that are shown beside its last: the first at speed, and after ten and twenty.
_SHOWN_LAPS = (2, 10, 20)
#: Laps of a run in lanes at most.
_MOST_LAPS = 60


class RotationForm(forms.Form):
    """How long the run in lanes is."""

    laps = QuantityField("", 4, _MOST_LAPS, whole=True, label="Laps")


@dataclass(frozen=True)
class SectorRow:
    """:param modelled_s: by the vehicle model [s]
    :param best_s: the racer's best, None where no lap has it [s]
    :param best_run: the run it was driven on"""

    name: str
    modelled_s: float
    best_s: float | None
    best_run: str

    @property
    def over_s(self) -> float | None:
        """The racer's best over the model's [s]."""
        return None if self.best_s is None else self.best_s - self.modelled_s


@require_GET
def summary(request: HttpRequest, event_id: int) -> HttpResponse:
    """The lap, summed up."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap")}
    form = RotationForm(request.GET if "laps" in request.GET else {"laps": "20"})
    try:
        case = asked.shown_case(event)
        circuit, lap, spans = parsed_circuit(case.circuit), answers.answer_in(case).lap, case.spans()
        rows = sector_rows(event, sector_times_s(circuit, lap))
        bests = [row.best_s for row in rows]
        best = timed(event).order_by("time_s").select_related("run").first()
        context |= {
            "lap": lap, "lines": ten_lines(circuit, case.lap_case(), lap, spans, answers.misses_in(case)), "sectors": rows,
            "ideal_s": None if None in bests else sum(one for one in bests if one is not None), "best": best, "circuit": circuit,
            "map": map_view(circuit, case.lap_case().line, spans, lap.column("brake"), lap.column("throttle")),
        }  # fmt: skip
        if circuit.lanes > 1:
            _fill_lanes(event, case, form, context)
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/summary.html", context, status=422 if form.errors else 200)


def timed(event: Event) -> Any:
    """The timed laps of an event."""
    return Lap.objects.filter(run__event=event, run__deleted_at=None, kind="timed")


def sector_rows(event: Event, modelled: list[float]) -> list[SectorRow]:
    """The sectors with their modelled times and the racer's best; laps with another number of sectors tell nothing here."""
    best: list[tuple[float, str] | None] = [None] * len(modelled)
    if len(modelled) > 1:
        for sectors, number in timed(event).exclude(sectors_s=[]).values_list("sectors_s", "run__number").iterator():
            if len(sectors) != len(modelled):
                continue
            for k, seconds in enumerate(sectors):
                if best[k] is None or seconds < best[k][0]:  # type: ignore[index]
                    best[k] = (float(seconds), f"R{number}")
    else:
        quickest = timed(event).order_by("time_s").select_related("run").first()
        best = [None if quickest is None else (quickest.time_s, quickest.run.name)]
    names = [f"Sector {k}" for k in range(1, len(modelled) + 1)] if len(modelled) > 1 else ["Lap"]
    rows = zip(names, modelled, best, strict=True)
    return [SectorRow(name, time, one[0] if one else None, one[1] if one else "") for name, time, one in rows]


@dataclass(frozen=True)
class LaneRow:
    """A lane of an oval.

    :param cells: for each turn the wish with what came of it
    """

    words: str
    cells: list[tuple[int, corner_presenters.WishRow]]


def _fill_lanes(event: Event, case: Case, form: RotationForm, context: dict[str, Any]) -> None:
    """Lanes by turn, what a metre off the better strip costs, and runs low and high."""
    by_lane: dict[str, list[tuple[int, corner_presenters.WishRow]]] = {}
    for span in case.spans():
        for offer in asked.offers(event, case, span):
            if offer.key.startswith("lane-"):
                by_lane.setdefault(offer.words, []).append((span.number, corner_presenters.wish_rows([offer])[0]))
    strips = [(miss.corner, miss.size, miss.cost_s) for miss in answers.misses_in(case) if miss.kind == "strip" and miss.cost_s is not None]
    context |= {
        "lanes": [LaneRow(words, cells) for words, cells in by_lane.items()], "spans": case.spans(), "strips": strips,
        "quickest": bool(case.line), "form": form, "fields": list(form), "wheels": [WHEEL_WORDS[wheel] for wheel in WHEELS],
    }  # fmt: skip
    if form.is_valid():
        runs, laps = answers.rotations_in(case, form.cleaned_data["laps"]), int(form.cleaned_data["laps"])
        shown = [number for number in _SHOWN_LAPS if number < laps] + [laps]
        context |= {"shown_laps": shown, "rotations": [(run, [run.lap_s(number) for number in shown]) for run in runs]}
