"""What a circuit in two minutes is told: bends drawn with the mouse, or straights and corners typed a line each."""

import json
import math
import re
from typing import Any

from django import forms

from apexcore.circuit.sketch import MOST_BENDS, Bend, Drawn, drawn_circuit, missing_words, read_lines, typed_circuit
from apexcore.circuit.track import Circuit
from apexcore.errors import FileRejected, InputError
from apexcore.formats.circuits import key_of
from apexcore.quantities.words import counted
from apextrim.ui.fields import QuantityField
from apextrim.ui.units import current, read_typed

#: Longest text of bends and of lines that is looked at.
_MOST_TEXT = 20_000
#: What stands in a layout that was made here.
LAYOUT = "full"


def metre() -> float:
    """Metres of a plain number that the reader types."""
    return current().back(1.0, "m")


def read_bends(text: str) -> list[Bend]:
    """Bends as the drawing sends them: `[[x, y, radius or null, name], …]`, in pixels, y downwards.

    :raises InputError: where they are none
    """
    try:
        rows = json.loads(text[:_MOST_TEXT] or "[]")
        bends = [_bend(number, *row) for number, row in enumerate(rows[: MOST_BENDS + 1], start=1)]
    except (ValueError, TypeError, RecursionError, OverflowError):
        raise InputError("drawing", text[:30], "bends that were drawn here") from None
    return bends


def _bend(number: int, x: Any, y: Any, radius: Any = None, name: Any = "") -> Bend:
    spot = (float(x), -float(y))
    if not all(math.isfinite(value) for value in spot):
        raise ValueError("not finite")
    told = None if radius in (None, "") else read_typed(str(radius), "m", f"bend {number}, radius", 4.01, 3000.0)
    return Bend(*spot, told, " ".join(str(name).split())[:40])


class SketchForm(forms.Form):
    """A circuit in short."""

    name = forms.CharField(max_length=60, label="Circuit")
    length_m = QuantityField("m", 150, 30_000, decimals=0, label="Lap length")
    width_m = QuantityField("m", 3.1, 40, decimals=1, label="Width of the road")
    closed = forms.ChoiceField(choices=[("lap", "a lap"), ("course", "an open course, start to finish")], label="It is")
    how = forms.ChoiceField(choices=[("draw", "drawn"), ("type", "typed")], widget=forms.HiddenInput)
    bends = forms.CharField(max_length=_MOST_TEXT, required=False, widget=forms.HiddenInput)
    lines = forms.CharField(
        max_length=_MOST_TEXT, required=False, label="Straights and corners in driving order, one a line",
        widget=forms.Textarea(attrs={"rows": 14, "spellcheck": "false"}),
    )  # fmt: skip

    @property
    def told_fields(self) -> list[forms.BoundField]:
        """The boxes above the drawing."""
        return [self[name] for name in ("name", "length_m", "width_m", "closed")]

    @property
    def is_lap(self) -> bool:
        """Whether the end is the start."""
        return self.cleaned_data.get("closed") != "course"

    def begun_words(self) -> str:
        """What a drawing with too few bends for a road still lacks, as a sentence; empty for any other."""
        if self.cleaned_data["how"] != "draw":
            return ""
        try:
            count = len(read_bends(self.cleaned_data["bends"]))
        except InputError:
            return ""
        least, words = (3, "a lap") if self.is_lap else (2, "a course")
        if count >= least:
            return ""
        so_far = f"{counted(count, 'bend')} so far: {words} has {least} or more." if count else ""
        return so_far or "Click where the road bends, in driving order. The start line comes to lie before the first bend."

    def circuit(self) -> tuple[Circuit, Drawn | None]:
        """The circuit of a valid form, and how it lies in the drawing where it was drawn.

        :raises ApexError: naming what cannot be
        """
        told = self.cleaned_data
        key, name = key_of(told["name"]), " ".join(told["name"].split())
        if told["how"] == "draw":
            return drawn_circuit(read_bends(told["bends"]), told["length_m"], key, name, LAYOUT, told["width_m"], self.is_lap)
        read = read_lines(told["lines"], metre())
        lacks = missing_words(read.segments) if self.is_lap else ""
        if read.problem or lacks:
            raise FileRejected([read.problem or lacks])
        try:
            return typed_circuit(key, name, LAYOUT, told["width_m"], read.segments, self.is_lap), None
        except InputError as error:  # what was typed is lines, not parts of a circuit
            part = re.search(r"segment (\d+)$", error.place)
            if part is None:
                raise
            line = read.lines[int(part[1]) - 1]
            typed = told["lines"].splitlines()[line - 1].strip()
            raise InputError(f"Line {line}", typed, f"{error.expected}, which would make it {error.value}") from None
