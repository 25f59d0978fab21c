"""Forms of a run."""

from typing import Any

from django import forms

from apextrim.events import adapter
from apextrim.events.models import Event, Session
from apextrim.garage.models import Sheet
from apextrim.ui.fields import QuantityField

#: Bounds of what a run starts with.
MOST_TYRE_AGE = 500
MOST_VIRTUAL_LAPS = 60


class RunForm(forms.Form):
    """A run: sheet, tyres and their age, fuel at the start."""

    sheet = forms.ModelChoiceField(Sheet.objects.none(), label="Sheet", empty_label=None)
    session = forms.ModelChoiceField(Session.objects.none(), label="Session", empty_label=None)
    front = forms.ChoiceField(label="Front tyres")
    rear = forms.ChoiceField(label="Rear tyres")
    tyre_age = QuantityField("", 0, MOST_TYRE_AGE, label="Laps on the tyres", decimals=0)
    fuel_l = QuantityField("l", 0.5, 500, label="Fuel at the start")
    note = forms.CharField(max_length=200, required=False, label="Note")

    def __init__(self, event: Event, *args: Any, **kwargs: Any) -> None:
        car = adapter.car_of(event)
        sheet = event.sheet_in_car
        kwargs.setdefault(
            "initial",
            {
                "sheet": sheet,
                "session": event.session,
                "tyre_age": 0,
                "fuel_l": sheet.values.get("fuel", car.fuel_l) if sheet else car.fuel_l,
            },
        )
        super().__init__(*args, **kwargs)
        self.fields["sheet"].queryset = event.sheets.all()  # type: ignore[attr-defined]
        self.fields["session"].queryset = event.sessions.all()  # type: ignore[attr-defined]
        choices = [(one.key, f"{one.letter} {one.name}") for one in car.tyres.compounds]
        self.fields["front"].choices = self.fields["rear"].choices = choices  # type: ignore[attr-defined]
        fuel = self.fields["fuel_l"]
        assert isinstance(fuel, QuantityField)
        fuel.high = car.tank_l


class VirtualForm(RunForm):
    """A run for the virtual driver."""

    laps = QuantityField("", 3, MOST_VIRTUAL_LAPS, whole=True, label="Laps, out and in included", initial=8)
