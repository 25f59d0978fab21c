"""Forms of the brief; bounds come from the core's schemas."""

from typing import Any

from django import forms
from django.contrib.auth.models import User

from apexcore.circuit.conditions import Conditions
from apexcore.lap.driver import LEVEL_WORDS
from apexcore.race.rules import RaceRules
from apexcore.vehicle.car import Car as CoreCar
from apextrim.accounts.owned import owned
from apextrim.library.models import Car, Circuit
from apextrim.ui.fields import quantity

from .models import Event, Session


class EventForm(forms.Form):
    """A new event."""

    name = forms.CharField(max_length=80, label="Event")
    car = forms.ModelChoiceField(Car.objects.none(), label="Car", empty_label=None)
    circuit = forms.ModelChoiceField(Circuit.objects.none(), label="Circuit", empty_label=None)
    real_car = forms.TypedChoiceField(
        choices=[("no", "simulator"), ("yes", "real car")], coerce=lambda word: word == "yes", label="Simulator or real car"
    )

    def __init__(self, owner: User, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["car"].queryset = owned(Car, owner)  # type: ignore[attr-defined]
        self.fields["circuit"].queryset = owned(Circuit, owner)  # type: ignore[attr-defined]


class ConditionsForm(forms.Form):
    """Weather and surface now."""

    air_c = quantity(Conditions, "air_c", "Air temperature", "°C")
    track_c = quantity(Conditions, "track_c", "Track temperature", "°C")
    humidity_pct = quantity(Conditions, "humidity_pct", "Humidity", "%", decimals=0)
    pressure_hpa = quantity(Conditions, "pressure_hpa", "Air pressure", "hPa", decimals=0)
    wind_ms = quantity(Conditions, "wind_ms", "Wind", "m/s")
    wind_from_deg = quantity(Conditions, "wind_from_deg", "Wind from", "°", decimals=0)
    rubber_pct = quantity(Conditions, "rubber_pct", "Rubber on the line", "%", decimals=0)
    wet_pct = quantity(Conditions, "wet_pct", "Track wetness", "%", decimals=0, required=False)

    def clean_wet_pct(self) -> float:
        """Dry where nothing is typed."""
        return float(self.cleaned_data["wet_pct"] or 0.0)


class RulesForm(forms.Form):
    """Race length and rules."""

    laps = quantity(RaceRules, "laps", "Race distance, laps", "", whole=True)
    formation_laps = quantity(RaceRules, "formation_laps", "Formation laps", "")
    pit_loss_s = quantity(RaceRules, "pit_loss_s", "Time lost in the pit lane", "s")
    tyre_change_s = quantity(RaceRules, "tyre_change_s", "Stationary time for tyres", "s")
    least_stops = quantity(RaceRules, "least_stops", "Minimum stops", "", whole=True)
    most_stops = quantity(RaceRules, "most_stops", "Maximum stops", "", whole=True)
    compulsory = forms.MultipleChoiceField(required=False, label="Compulsory compounds", widget=forms.CheckboxSelectMultiple)
    refuelling = forms.BooleanField(required=False, label="Refuelling allowed")
    refuel_l_per_s = quantity(RaceRules, "refuel_l_per_s", "Refuelling rate", "l/s")
    in_parallel = forms.BooleanField(required=False, label="Tyres and fuel at the same time")
    least_standing_s = quantity(RaceRules, "least_standing_s", "Minimum stationary time", "s", required=False)
    first_stop_lap = quantity(RaceRules, "first_stop_lap", "No stop before lap (0: any)", "", whole=True, required=False)
    last_stop_lap = quantity(RaceRules, "last_stop_lap", "No stop after lap (0: any)", "", whole=True, required=False)
    longest_stint = quantity(RaceRules, "longest_stint", "Longest stint, laps (0: any)", "", whole=True, required=False)
    wear_factor = quantity(RaceRules, "wear_factor", "Tyre wear, times that of your laps", "", required=False)
    fuel_factor = quantity(RaceRules, "fuel_factor", "Fuel use, times that of your laps", "", required=False)

    def __init__(self, car: CoreCar, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        choices = [(compound.key, f"{compound.letter} {compound.name}") for compound in car.tyres.compounds]
        self.fields["compulsory"].choices = choices  # type: ignore[attr-defined]

    @property
    def more_open(self) -> bool:
        """Whether the further rules say something, or something is wrong with them."""
        names = ("least_standing_s", "first_stop_lap", "last_stop_lap", "longest_stint")
        told = any(self.errors.get(name) or str(self[name].value() or "0") not in ("0", "0.0") for name in names)
        factors = ("wear_factor", "fuel_factor")
        return told or any(self.errors.get(name) or str(self[name].value() or "1") not in ("1", "1.0") for name in factors)


class SessionForm(forms.Form):
    """A further session."""

    name = forms.CharField(max_length=40, label="Session")
    kind = forms.ChoiceField(choices=Session.KINDS, label="Kind")
    starts_at = forms.DateTimeField(
        label="Starts", input_formats=["%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"], widget=forms.DateTimeInput(attrs={"type": "datetime-local"})
    )


class NowForm(forms.Form):
    """Which session is on, and what is driven."""

    session = forms.ModelChoiceField(Session.objects.none(), label="Current session", empty_label=None)
    real_car = EventForm.base_fields["real_car"]
    driver = forms.ChoiceField(choices=list(LEVEL_WORDS.items()), label="Your pace")

    def __init__(self, event: Event, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["session"].queryset = event.sessions.all()  # type: ignore[attr-defined]
