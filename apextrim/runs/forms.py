"""Forms of a run."""

from collections.abc import Mapping
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from apexcore.circuit.conditions import Conditions
from apexcore.errors import InputError
from apexcore.judge.tags import parse_tags
from apexcore.trim.book.fields import VARIANTS
from apextrim.accounts.owned import asked_for
from apextrim.events.models import Event, Session
from apextrim.modelling import cases
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import sheet_in_car
from apextrim.ui.fields import QuantityField, quantity
from apextrim.ui.meanwhile import BesideOthers

from .queries import LeftBy

#: Bounds of what a run starts with.
MOST_TYRE_AGE = 500
MOST_VIRTUAL_LAPS = 60
MOST_PACE_LAPS = 30
_LEAST_FUEL_L = 0.5

_DOES = [("", "–"), ("understeer", "understeer"), ("neutral", "neutral"), ("oversteer", "oversteer")]
PHASES = ("entry", "mid", "exit")


class RunForm(forms.Form):
    """A run: sheet, tyres and their age, fuel at the start, and what else may be judged about it."""

    sheet = forms.ModelChoiceField(Sheet.objects.none(), label="Sheet", empty_label=None)
    session = forms.ModelChoiceField(Session.objects.none(), label="Session", empty_label=None)
    front = forms.ChoiceField(label="Front tyres")
    rear = forms.ChoiceField(label="Rear tyres")
    tyre_age = QuantityField("", 0, MOST_TYRE_AGE, label="Laps on the tyres", decimals=0)
    tyre_set = forms.CharField(max_length=24, required=False, label="Tyre set")
    scrubbed = forms.BooleanField(required=False, label="Set scrubbed before")
    pace_laps = QuantityField("", 0, MOST_PACE_LAPS, required=False, whole=True, label="Pace laps first")
    fuel_l = QuantityField("l", _LEAST_FUEL_L, 500, label="Fuel at the start")
    tags = forms.CharField(max_length=300, required=False, label="Tags, such as line=late; driver=Ann")
    note = forms.CharField(max_length=200, required=False, label="Note")

    def __init__(
        self, event: Event, *args: Any, planned: Mapping[str, str] | None = None, left: LeftBy | None = None, **kwargs: Any
    ) -> None:
        """:param left: how the last run left the car, which is proposed"""
        car = cases.car_of(event)
        sheet = asked_for(event.sheets.all(), (planned or {}).get("sheet", "")) or sheet_in_car(event)
        on_sheet = sheet.values.get("fuel", car.fuel_l) if sheet else car.fuel_l
        self.left = left
        kwargs.setdefault(
            "initial",
            {
                "sheet": sheet,
                "session": event.session,
                "tyre_age": left.tyre_age if left else 0,
                "fuel_l": max(left.fuel_l, _LEAST_FUEL_L) if left and left.fuel_l is not None else on_sheet,
                **({"front": left.run.front, "rear": left.run.rear} if left else {}),
                "tags": (planned or {}).get("tags", "")[:300],
            },
        )
        super().__init__(*args, **kwargs)
        self.fields["sheet"].queryset = event.sheets.all()  # type: ignore[attr-defined]
        self.fields["session"].queryset = event.sessions.all()  # type: ignore[attr-defined]
        choices = [(compound.key, f"{compound.letter} {compound.name}") for compound in car.tyres.compounds]
        self.fields["front"].choices = self.fields["rear"].choices = choices  # type: ignore[attr-defined]
        fuel = self.fields["fuel_l"]
        assert isinstance(fuel, QuantityField)
        fuel.high = car.tank_l

    def clean_pace_laps(self) -> int:
        """How many; none where nothing is typed."""
        return int(self.cleaned_data["pace_laps"] or 0)

    def clean_tags(self) -> dict[str, str]:
        """The tags by name."""
        try:
            return parse_tags(self.cleaned_data["tags"])
        except InputError as error:
            raise ValidationError(str(error)) from None


class WeatherForm(BesideOthers, forms.Form):
    """The track of a run, and whether it is judged."""

    track_c = quantity(Conditions, "track_c", "Track temperature", "°C")
    wet_pct = quantity(Conditions, "wet_pct", "Track wetness", "%", decimals=0)
    left_out = forms.CharField(
        max_length=120,
        required=False,
        label="Leave it out of verdicts, because",
        widget=forms.TextInput(attrs={"autocomplete": "off", "class": "long", "placeholder": "empty: it counts"}),
    )


class OwnRunForm(RunForm):
    """A run of the racer's own with all that there is to say of it between two runs; laps may also come later."""

    fuel_end_l = QuantityField("l", 0, 500, required=False, label="Fuel at the end")
    entry = forms.ChoiceField(choices=_DOES, required=False, label="Entry")
    mid = forms.ChoiceField(choices=_DOES, required=False, label="Mid-corner")
    exit = forms.ChoiceField(choices=_DOES, required=False, label="Exit")
    laps = forms.CharField(
        max_length=40_000, required=False, strip=False, widget=forms.Textarea(attrs={"rows": 6}),
        label="Laps, one a line or pasted from a spreadsheet: time, and if you like out, in or spoiled, and litres burnt",
    )  # fmt: skip

    def clean(self) -> dict[str, Any]:
        values = super().clean() or {}
        start, end = values.get("fuel_l"), values.get("fuel_end_l")
        if start is not None and end is not None and end > start:
            raise ValidationError(f"Fuel at the end: “{end:g} l” is not valid; expected at most the {start:g} l at the start.")
        return values

    def run_values(self) -> dict[str, Any]:
        """What a run is made of, of a valid form."""
        values = {name: value for name, value in self.cleaned_data.items() if name not in (*PHASES, "laps")}
        return {**values, "words": {phase: self.cleaned_data[phase] for phase in PHASES if self.cleaned_data[phase]}}


class VirtualForm(RunForm):
    """A run for the virtual driver."""

    laps = QuantityField("", 3, MOST_VIRTUAL_LAPS, whole=True, label="Laps, out and in included", initial=8)
    book = forms.ChoiceField(
        choices=[("", "by the model"), *[(key, f"by your book, {words}") for key, words in VARIANTS.items()]],
        required=False,
        label="Drives",
    )
