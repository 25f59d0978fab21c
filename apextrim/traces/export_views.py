"""Traces out: a lap or a whole run as CSV or Parquet."""

from collections.abc import Iterator, Sequence

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.views.decorators.http import require_GET

from apexcore.errors import FileRejected
from apexcore.formats.recording import write_csv, write_parquet
from apexcore.judge.traces.cut import RecordedLap
from apextrim.events.queries import event_for
from apextrim.runs.models import LapTrace
from apextrim.runs.queries import run_for
from apextrim.runs.recorded import build, recorded_lap
from apextrim.ui.faults import plain_page

_PARQUET = "application/vnd.apache.parquet"


def _joined(laps: Sequence[RecordedLap]) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Laps one after the other on one clock, with their numbers; a channel that a lap lacks is a gap."""
    keys = list(dict.fromkeys(key for lap in laps for key in lap.columns))
    began = np.concatenate([[0.0], np.cumsum([lap.time_s for lap in laps])])
    inner = [slice(0, len(lap.t) - 1) for lap in laps[:-1]] + [slice(0, len(laps[-1].t))]  # the end of a lap is the start of the next
    t = np.concatenate([start + lap.t[part] for start, lap, part in zip(began, laps, inner, strict=False)])
    columns = {"lap": np.concatenate([np.full(len(lap.t[part]), float(lap.number)) for lap, part in zip(laps, inner, strict=True)])}
    for key in keys:
        columns[key] = np.concatenate(
            [lap.columns.get(key, np.full(len(lap.t), np.nan))[part] for lap, part in zip(laps, inner, strict=True)]
        )  # fmt: skip
    return t, columns


def _answer(name: str, kind: str, laps: Sequence[RecordedLap], units: dict[str, str]) -> HttpResponseBase:
    t, columns = _joined(laps)
    headers = {"Content-Disposition": f'attachment; filename="{name}.{kind}"'}
    if kind == "parquet":
        try:
            return HttpResponse(write_parquet(t, columns, units), content_type=_PARQUET, headers=headers)
        except FileRejected as missing:
            return plain_page(503, "Parquet cannot be written yet", f"{missing} CSV can be had meanwhile.")
    rows: Iterator[str] = write_csv(t, columns)
    return StreamingHttpResponse(rows, content_type="text/csv; charset=utf-8", headers=headers)


@require_GET
def run(request: HttpRequest, event_id: int, run_id: int, kind: str) -> HttpResponseBase:
    """All recorded laps of a run, one after the other."""
    event = event_for(request.user, event_id)
    row = run_for(request.user, event, run_id)
    build(row)
    traces = list(LapTrace.objects.filter(lap__run=row).select_related("lap").order_by("lap__number"))
    if not traces:
        raise Http404
    units = {key: unit for trace in traces for key, unit in trace.units.items()}
    return _answer(f"{row.name}-channels", kind, [recorded_lap(trace) for trace in traces], units)


@require_GET
def lap(request: HttpRequest, event_id: int, run_id: int, number: int, kind: str) -> HttpResponseBase:
    """One recorded lap."""
    event = event_for(request.user, event_id)
    row = run_for(request.user, event, run_id)
    trace = LapTrace.objects.filter(lap__run=row, lap__number=number).select_related("lap").first()
    if trace is None:
        raise Http404
    return _answer(f"{row.name}-lap-{number}", kind, [recorded_lap(trace)], trace.units)
