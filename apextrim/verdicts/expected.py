"""What the model expects of two ways of driving a corner: beside a verdict on a tag that tells them apart."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from django import forms
from numpy.typing import NDArray

from apexcore.circuit.line import CornerSpan
from apexcore.errors import InputError
from apexcore.lap.solver import Lap
from apexcore.lap.wishes import WISH_WORDS
from apexcore.trim.corner import Told
from apextrim.book.queries import desk_in
from apextrim.events.models import Event
from apextrim.lap import asked
from apextrim.lap.told import told_of
from apextrim.modelling import answers, cases
from apextrim.traces.parts import part_times_of

Floats = NDArray[np.float64]

#: Ways of driving a corner, as a form sends them: nothing otherwise, what the driver is told, lines under a wish.
_TOLD = {
    "b0": "lift, do not brake",
    "c20": "coast 20 m before the brakes",
    "c40": "coast 40 m before the brakes",
    "b90": "brakes at 90 % at most",
    "b80": "brakes at 80 % at most",
    "lower": "a gear lower",
    "higher": "a gear higher",
    "o80": "throttle to 80 % until the corner ends",
}
_LINES = {f"line-{kind}": WISH_WORDS[kind] for kind in (*asked.PLAIN, "kerb")}
WAYS = {"": "as the model drives it", **_TOLD, **_LINES}
#: Words of a tag's value by which its way is guessed.
_GUESSES = {
    "late": "line-late", "early": "line-early", "tight": "line-tight", "wide": "line-wide", "middle": "line-middle", "kerb": "line-kerb",
    "lift": "b0", "lifted": "b0", "coast": "c20", "lower": "lower", "higher": "higher", "short": "line-tight",
}  # fmt: skip


class WaysForm(forms.Form):
    """A corner, and how each side drives it.

    :param spans: corners of the circuit
    :param names: of the two sides
    """

    corner = forms.TypedChoiceField(label="Corner", coerce=int)
    way_a = forms.ChoiceField(required=False, choices=list(WAYS.items()))
    way_b = forms.ChoiceField(required=False, choices=list(WAYS.items()))

    def __init__(self, spans: Sequence[CornerSpan], names: tuple[str, str], data: Any) -> None:
        super().__init__(data)
        self.fields["corner"].choices = [(span.number, span.name or f"corner {span.number}") for span in spans]  # type: ignore[attr-defined]
        for field, name in zip(("way_a", "way_b"), names, strict=True):
            self.fields[field].label = f"{name} is"


def guessed(spans: Sequence[CornerSpan], tag: str, names: tuple[str, str]) -> dict[str, str]:
    """What a form says before anybody filled it in: the corner and the ways that a tag's words name."""
    words = " ".join((tag, *names)).lower()
    numbers = re.findall(r"\d+", words)
    there = [span for span in spans if span.name and span.name.lower() in words] or [span for span in spans if str(span.number) in numbers]
    ways = [next((way for word, way in _GUESSES.items() if word in re.split(r"\W+", name.lower())), "") for name in names]
    return {"corner": str((there or list(spans))[0].number), "way_a": ways[0], "way_b": ways[1]} if spans else {}


@dataclass(frozen=True)
class Expected:
    """What the model expects of B against A.

    :param parts_s: in every part of the lap [s]
    :param corner: number of the corner
    """

    parts_s: Floats
    corner: int

    @property
    def lap_s(self) -> float:
        """Over the lap [s]."""
        return float(self.parts_s.sum())


def expected(event: Event, corner: int, ways: tuple[str, str]) -> Expected | None:
    """What the model expects of two ways through a corner; None where both are the same.

    :raises ApexError: if the car cannot do one of them, or its line was not made yet
    """
    if ways[0] == ways[1]:
        return None
    case = asked.shown_case(event)
    one, other = (part_times_of(event, _lap(event, case, corner, way)) for way in ways)
    return Expected(other - one, corner)


def _lap(event: Event, case: cases.Case, corner: int, way: str) -> Lap:
    """The lap with a corner driven so."""
    if not way:
        return answers.answer_in(case).lap
    book = desk_in(case, corner)
    if way in _LINES:
        offers = {offer.key: offer.row for offer in asked.offers(event, case, book.desk.span)}
        row = offers.get(way.removeprefix("line-"))
        line = None if row is None or not row.offsets_m else asked.line_of(row, book.circuit)
        if line is None:
            raise InputError(f"corner {corner}", f"{_LINES[way]}: no such line yet", "one made on the corner's page, under Lines")
        return book.desk.lap_on(line)
    if way in ("lower", "higher"):
        told: Told | None = Told(gear=book.desk.technique().read.gear + (1 if way == "higher" else -1))
    else:
        told = told_of(way)
    gears = len(book.desk.lap_case.car.powertrain.gears)
    if told is None or (told.gear is not None and not 1 <= told.gear <= gears):
        raise InputError(f"corner {corner}", WAYS[way], f"a gear from 1 to {gears}")
    return book.desk.lap_by(told)
