"""A test, planned: how many runs of how many laps in which order; afterwards its runs and the verdict."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.judge.plan import MOST_RUNS, POWER, RISKY, Question, Spread, TestPlan, order_risk, plans
from apexcore.judge.tags import parse_tags, tags_text
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, fits
from apextrim.runs.models import Run
from apextrim.runs.queries import newest_of, observed_by, rows_of, runs_of, with_laps
from apextrim.sheets.queries import core_sheet_in_car
from apextrim.ui.fields import QuantityField

from . import actions
from .differences import Difference, Side, differences_of
from .models import PlannedTest
from .sides import SHEET, side_of

#: Scatter of a driver's laps and spread of runs where no laps tell [s]. Source: priors of the lap model.
_USUAL = (0.2, 0.1)
_MOST_DIFFERENCES = 3
#: Laps that tell how a driver scatters: the newest.
_MOST_LAPS = 200
_LINE = re.compile(r"([^:=/|]+)[:=]([^/|]+)/(.+)")


class PlanForm(forms.Form):
    """What is tried, the difference that one cares about, and the time left."""

    a = forms.ChoiceField(label="Sheet A", required=False)
    b = forms.ChoiceField(label="against B", required=False)
    tags = forms.CharField(
        required=False, max_length=300, widget=forms.Textarea(attrs={"rows": 3}),
        label="Or tags, one a line, such as line: early / late; two or three are driven in a pattern",
    )  # fmt: skip
    order = forms.CharField(
        required=False, max_length=60, label="Your own order of runs, if you have one",
        widget=forms.TextInput(attrs={"autocomplete": "off", "class": "long", "placeholder": "A B A B A B"}),
    )  # fmt: skip
    difference = QuantityField("s", 0.01, 5.0, label="Smallest gap worth finding", decimals=2)
    minutes = QuantityField("min", 5, 1440, label="Time left", decimals=0)
    stop = QuantityField("s", 0, 3600, label="Pit time between runs", decimals=0)
    scatter = QuantityField("s", 0.01, 3.0, label="Lap-to-lap scatter", decimals=2)
    shift = QuantityField("s", 0.0, 2.0, label="Run-to-run spread", decimals=2)

    def __init__(self, event: Event, data: Any) -> None:
        super().__init__(data)
        choices = [("", "–"), *[(str(row.pk), row.name) for row in event.sheets.all()]]
        for name in ("a", "b"):
            self.fields[name].choices = choices  # type: ignore[attr-defined]

    def clean_order(self) -> tuple[int, ...]:
        """The side of each run."""
        letters = re.sub(r"[\s,;-]+", "", self.cleaned_data["order"]).upper()
        if not letters:
            return ()
        if not re.fullmatch("[AB]+", letters) or not 2 <= len(letters) <= MOST_RUNS or len(set(letters)) < 2:
            raise forms.ValidationError(
                f"“{letters[:30]}” is not valid; expected an A or a B for each of 2 to {MOST_RUNS} runs, both used."
            )
        return tuple("AB".index(letter) for letter in letters)

    def clean(self) -> dict[str, Any]:
        values = super().clean() or {}
        try:
            values["differences"] = self._differences(values)
        except ApexError as error:
            raise forms.ValidationError(str(error)) from None
        if values.get("order") and len(values["differences"]) > 1:
            raise forms.ValidationError("An order of your own needs one difference; several are driven in a pattern.")
        return values

    def _differences(self, values: dict[str, Any]) -> list[Difference]:
        """What is tried, from the lines of tags, else from the two sheets."""
        found = []
        for number, line in enumerate(str(values.get("tags", "")).splitlines(), start=1):
            if not line.strip():
                continue
            match = _LINE.fullmatch(line)
            if match is None:
                shown = line.strip()[:40]
                raise forms.ValidationError(f"Tags, line {number}: “{shown}” is not valid; expected name: one value / the other.")
            name, off, on = (part.strip() for part in match.groups())
            for value in (off, on):
                parse_tags(f"{name}={value}")
            if off == on:
                raise forms.ValidationError(f"Tags, line {number}: both values are “{off}”; expected two different ones.")
            found.append(Difference(f"tag:{name.lower()}", Side(off, f"{name} {off}"), Side(on, f"{name} {on}")))
        if len(found) > _MOST_DIFFERENCES:
            raise forms.ValidationError(f"Tags: {len(found)} lines; expected at most {_MOST_DIFFERENCES}.")
        if found:
            return found
        a, b = values.get("a"), values.get("b")
        if not a or not b or a == b:
            raise forms.ValidationError("What is tried: expected two different sheets, or at least one line of tags.")
        names = dict(self.fields["a"].choices)  # type: ignore[attr-defined]
        return [Difference(SHEET, Side(a, names[a]), Side(b, names[b]))]


def _measured(event: Event) -> Spread | None:
    """How this driver's laps and runs scatter, from the event's laps; None where there are too few, or the model has no lap."""
    try:
        book = answers.book_of(event, core_sheet_in_car(event))
    except ApexError:
        return None
    level = {key: index for index, key in enumerate(rows_of(event).order_by().values_list("sheet_id", flat=True).distinct())}
    runs = newest_of(observed_by(event, with_laps(rows_of(event)), lambda run: level[run.sheet_id], book.fuel_l_per_lap), _MOST_LAPS)
    laps = [lap for run in runs for lap in run.laps]
    return fits.spread(laps, book.priors()) if laps else None


def _usual(measured: Spread | None) -> dict[str, str]:
    """What the laps of the event say of this driver; the model's priors where there are too few."""
    scatter, shift = (measured.scatter_s, measured.shift_s) if measured else _USUAL
    return {"difference": "0.15", "minutes": "90", "stop": "240", "scatter": f"{scatter:.2f}", "shift": f"{shift:.2f}"}


def _planned(event: Event, values: dict[str, Any]) -> list[TestPlan]:
    sheet = core_sheet_in_car(event)
    measured = _measured(event)
    own = _usual(measured)
    entered = Spread.entered(values["scatter"], values["shift"])
    as_measured = all(f"{values[name]:.2f}" == own[name] for name in ("scatter", "shift"))
    question = Question(
        values["difference"], measured if measured and as_measured else entered, answers.answer_of(event, sheet).lap.time_s, values["stop"],
        values["minutes"], len(values["differences"]),
    )  # fmt: skip
    return plans(question, answers.book_of(event, sheet).priors(), values["order"])


def order_words(differences: Sequence[Difference], order: Iterable[Sequence[int]]) -> list[str]:
    """What each run is driven with.

    :param order: of each run, which differences are on
    """
    return [", ".join(tried.side(on).words for tried, on in zip(differences, marks, strict=True)) for marks in order]


def _page(event: Event, form: PlanForm, asked: bool) -> dict[str, Any]:
    """The page's context, with the plans where the form was filled in and is valid."""
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "verdicts"), "form": form, "asked": asked, "tests": event.tests.all(), "power": POWER,
    }  # fmt: skip
    if not asked or not form.is_valid():
        return context
    try:
        found = _planned(event, form.cleaned_data)
    except ApexError as error:
        return {**context, "problem": str(error)}
    order = order_words(form.cleaned_data["differences"], found[0].order) if found else []
    best = found[0] if found else None
    rated = order_risk([marks[0] for marks in best.order]) if best and len(best.order[0]) == 1 else None
    risky = rated if rated and rated.ratio > RISKY else None
    return {**context, "plans": found, "best": best, "order": order, "risky": risky}


@require_GET
def plan(request: HttpRequest, event_id: int) -> HttpResponse:
    """Plans a test."""
    event = event_for(request.user, event_id)
    asked = "difference" in request.GET
    form = PlanForm(event, {**_usual(_measured(event)), **request.GET.dict()})
    context = _page(event, form, asked)
    return render(request, "verdicts/plan.html", context, status=422 if asked and form.errors else 200)


@require_POST
def keep_plan(request: HttpRequest, event_id: int) -> HttpResponse:
    """Keeps the plan that comes first."""
    event = event_for(request.user, event_id)
    form = PlanForm(event, request.POST)
    context = _page(event, form, True)
    if "plans" not in context:
        return render(request, "verdicts/plan.html", context, status=422)
    if context["best"] is None:
        messages.error(request, "No plan fits into the time left; nothing was kept.")
        return redirect("test_plan", event.pk)
    values = form.cleaned_data
    row = actions.keep_test(event, values["differences"], context["best"], values["difference"])
    return redirect("planned_test", event.pk, row.pk)


def runs_of_test(test: PlannedTest) -> list[Run]:
    """The runs that were driven for a test: those begun after it was planned that carry one side of each difference."""
    sides = [(side_of(tried.kind), {tried.off.key, tried.on.key}) for tried in differences_of(test)]
    rows = runs_of(test.event).filter(made_at__gte=test.made_at)
    return [run for run in rows if all(side(run) in keys for side, keys in sides)]


def filled_in(test: PlannedTest, place: int) -> str:
    """The query that fills the form of a planned run with what it is driven with."""
    chosen = {tried.kind: tried.side(on).key for tried, on in zip(differences_of(test), test.order[place], strict=True)}
    tags = {kind.removeprefix("tag:"): key for kind, key in chosen.items() if kind != SHEET}
    return urlencode({"sheet": chosen.get(SHEET, ""), "tags": tags_text(tags)})


@dataclass(frozen=True)
class PlannedRun:
    """A run of a planned test.

    :param number: from 1, in the order planned
    :param words: what it is to be driven with
    :param run: the run that was driven; None before
    :param timed: its timed laps
    :param as_planned: whether it was driven with what it should be
    """

    number: int
    words: str
    run: Run | None
    timed: int
    as_planned: bool


def _planned_runs(test: PlannedTest) -> list[PlannedRun]:
    """Every run of a test, driven or to be driven."""
    tried, runs = differences_of(test), runs_of_test(test)
    found = []
    for number, (words, marks) in enumerate(zip(order_words(tried, test.order), test.order, strict=True), start=1):
        run = runs[number - 1] if number <= len(runs) else None
        right = run is None or all(
            side_of(difference.kind)(run) == difference.side(on).key for difference, on in zip(tried, marks, strict=True)
        )
        timed = 0 if run is None else sum(lap.kind == "timed" for lap in run.laps.all())
        found.append(PlannedRun(number, words, run, timed, right))
    return found


@require_GET
def planned(request: HttpRequest, event_id: int, test_id: int) -> HttpResponse:
    """A planned test: what to drive next, what was driven, and the way to its verdict."""
    event = event_for(request.user, event_id)
    test = owned_or_404(PlannedTest, request.user, "event", event=event, pk=test_id)
    done = _planned_runs(test)
    upcoming = next((planned_run for planned_run in done if planned_run.run is None), None)
    tried = differences_of(test)
    query = {"by": tried[0].kind, "a": tried[0].off.key, "b": tried[0].on.key, "margin": f"{test.difference_s:.2f}"}
    if len(tried) > 1:
        query = {"by": "several", "margin": f"{test.difference_s:.2f}"}
    context = {
        "event": event, "frame": frame(event, "verdicts"), "test": test, "tried": tried, "done": done, "query": urlencode(query),
        "next": upcoming, "filled": "" if upcoming is None else filled_in(test, upcoming.number - 1),
    }  # fmt: skip
    return render(request, "verdicts/planned.html", context)
