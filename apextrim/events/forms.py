"""Forms of the brief; bounds come from the core's schemas."""

import re
from typing import Any

from django import forms
from django.contrib.auth.models import User

from apexcore.circuit.conditions import Conditions
from apexcore.errors import InputError
from apexcore.lap.driver import LEVEL_WORDS
from apexcore.race.crew import read_work
from apexcore.race.length import (
    length_words,
    minutes_words,
    read_length,
    read_minutes,
    read_sets,
    read_stretches,
    sets_words,
    stretches_words,
)
from apexcore.race.rules import RaceRules, contradictions
from apexcore.race.weather import losses_words, read_losses
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.pair import pair_key
from apextrim.accounts.owned import owned
from apextrim.library.models import Car, Circuit
from apextrim.ui.fields import numbers_of, quantity
from apextrim.ui.meanwhile import BesideOthers

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


class ConditionsForm(BesideOthers, forms.Form):
    """Weather and surface now."""

    air_c = quantity(Conditions, "air_c", "Air temperature", "°C")
    track_c = quantity(Conditions, "track_c", "Track temperature", "°C")
    humidity_pct = quantity(Conditions, "humidity_pct", "Humidity", "%", decimals=0)
    pressure_hpa = quantity(Conditions, "pressure_hpa", "Air pressure", "hPa", decimals=0)
    wind_ms = quantity(Conditions, "wind_ms", "Wind", "m/s")
    wind_from_deg = quantity(Conditions, "wind_from_deg", "Wind from", "°", decimals=0)
    rubber_pct = quantity(Conditions, "rubber_pct", "Rubber on the line", "%", decimals=0)
    wet_pct = quantity(Conditions, "wet_pct", "Track wetness", "%", decimals=0, required=False)

    standing_mm = quantity(Conditions, "standing_mm", "Standing water, depth (0: none)", "mm", required=False)

    def clean_wet_pct(self) -> float:
        """Dry where nothing is typed."""
        return float(self.cleaned_data["wet_pct"] or 0.0)

    def clean_standing_mm(self) -> float:
        """None where nothing is typed."""
        return float(self.cleaned_data["standing_mm"] or 0.0)

    def clean(self) -> dict[str, Any]:
        values = super().clean() or {}
        if values.get("standing_mm") and values.get("wet_pct") is not None and values["wet_pct"] < 100.0:
            self.add_error("standing_mm", "Water stands on a soaked road; expected a track wetness of 100 %, or no standing water.")
        return values


class RulesForm(BesideOthers, forms.Form):
    """Race length and rules."""

    laps = forms.CharField(
        max_length=40, label="Race length",
        widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "20, or 45 min"}),
    )  # fmt: skip
    formation_laps = quantity(RaceRules, "formation_laps", "Formation laps", "")
    pit_loss_s = quantity(RaceRules, "pit_loss_s", "Time lost in the pit lane", "s")
    tyre_change_s = quantity(RaceRules, "tyre_change_s", "Stationary time for tyres", "s")
    least_stops = quantity(RaceRules, "least_stops", "Minimum stops", "", whole=True)
    most_stops = quantity(RaceRules, "most_stops", "Maximum stops", "", whole=True)
    compulsory = forms.MultipleChoiceField(required=False, label="Compulsory compounds", widget=forms.CheckboxSelectMultiple)
    refuelling = forms.BooleanField(required=False, label="Refuelling allowed")
    refuel_l_per_s = quantity(RaceRules, "refuel_l_per_s", "Refuelling rate", "l/s")
    in_parallel = forms.BooleanField(required=False, label="Tyres and fuel at the same time")
    crew_work = forms.CharField(
        max_length=80,
        required=False,
        label="Work at a stop",
        widget=forms.TextInput(attrs={"autocomplete": "off", "class": "long", "placeholder": "max(tyres, fuel) + driver"}),
    )
    stint_l = quantity(RaceRules, "stint_l", "Fuel burnt from pit to pit, at most (0: any)", "l", required=False)
    race_l = quantity(RaceRules, "race_l", "Fuel burnt in the race, at most (0: any)", "l", required=False)
    jokers = quantity(RaceRules, "jokers", "Joker laps", "", whole=True, required=False)
    joker_s = quantity(RaceRules, "joker_s", "A joker lap takes longer by", "s", required=False)
    least_standing_s = quantity(RaceRules, "least_standing_s", "Minimum stationary time", "s", required=False)
    first_stop_lap = quantity(RaceRules, "first_stop_lap", "No stop before lap (0: any)", "", whole=True, required=False)
    last_stop_lap = quantity(RaceRules, "last_stop_lap", "No stop after lap (0: any)", "", whole=True, required=False)
    no_stops = forms.CharField(
        max_length=120,
        required=False,
        label="No stop at the end of laps",
        widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "12-15, 30"}),
    )
    no_stop_minutes = forms.CharField(
        max_length=120,
        required=False,
        label="No stop in minutes of the race",
        widget=forms.TextInput(attrs={"autocomplete": "off", "class": "long", "placeholder": "0-25, 35-60"}),
    )
    lane_s = quantity(RaceRules, "lane_s", "Driving through the pit lane", "s", required=False)
    least_lane_s = quantity(RaceRules, "least_lane_s", "Minimum time in the pit lane (0: any)", "s", required=False)
    longest_stint = quantity(RaceRules, "longest_stint", "Longest stint, laps (0: any)", "", whole=True, required=False)
    wear_factor = quantity(RaceRules, "wear_factor", "Tyre wear, times that of your laps", "", required=False)
    fuel_factor = quantity(RaceRules, "fuel_factor", "Fuel use, times that of your laps", "", required=False)
    mixed = forms.BooleanField(required=False, label="Front and rear tyres may differ")
    tyres_may_stay = forms.BooleanField(required=False, label="Tyres may stay on at a stop")
    compulsory_laps = quantity(RaceRules, "compulsory_laps", "Laps on each compulsory compound, at least", "", whole=True, required=False)
    pit_spread_s = quantity(RaceRules, "pit_spread_s", "Spread of your stops, ±", "s", required=False)
    ballast_kg = quantity(RaceRules, "ballast_kg", "Success ballast", "kg", required=False)
    wheel_minutes = quantity(RaceRules, "wheel_minutes", "Longest time at the wheel (0: any)", "min", required=False)
    drivers = quantity(RaceRules, "drivers", "Drivers", "", whole=True, required=False)
    driver_least_minutes = quantity(RaceRules, "driver_least_minutes", "Each drives at least", "min", required=False)
    driver_most_minutes = quantity(RaceRules, "driver_most_minutes", "Each drives at most (0: any)", "min", required=False)
    driver_rest_minutes = quantity(RaceRules, "driver_rest_minutes", "Rest between two turns", "min", required=False)
    driver_slower_s = forms.CharField(
        max_length=80,
        required=False,
        label="Each slower than the pace by, s a lap",
        widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "0, 0.6"}),
    )
    driver_change_s = quantity(RaceRules, "driver_change_s", "Stationary time for a driver change", "s", required=False)
    track_s = quantity(RaceRules, "track_s", "Track changes a lap by (− quicker)", "s", required=False, decimals=3)
    rain_from = quantity(RaceRules, "rain_from", "Rain from lap (0: none)", "", required=False)
    rain_until = quantity(RaceRules, "rain_until", "Rain until lap (0: to the end)", "", required=False)
    rain_spread = quantity(RaceRules, "rain_spread", "Unsure by, ±", "laps", required=False)
    wet_lap_s = quantity(RaceRules, "wet_lap_s", "A lap in the wet is slower by", "s", required=False)
    dry_on_wet_s = quantity(RaceRules, "dry_on_wet_s", "Dry tyres in the wet lose", "s", required=False)
    wet_on_dry_s = quantity(RaceRules, "wet_on_dry_s", "Wet tyres in the dry lose", "s", required=False)
    wet_losses = forms.CharField(
        max_length=600, required=False, label="Losses by wetness, %: dry/wet tyres, s (empty: from the three before)",
        widget=forms.TextInput(attrs={"autocomplete": "off", "class": "long", "placeholder": "0: 0/8; 25: 4/6; 100: 15/7"}),
    )  # fmt: skip
    heats = quantity(RaceRules, "heats", "Heats on the same sets", "", whole=True, required=False)
    savings_pct = forms.CharField(
        max_length=40,
        required=False,
        label="Stints may save fuel by, %",
        widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "3, 6"}),
    )
    barred = forms.MultipleChoiceField(required=False, label="Not used", widget=forms.CheckboxSelectMultiple)

    def __init__(self, car: CoreCar, *args: Any, **kwargs: Any) -> None:
        if (told := kwargs.get("initial")) and "tank_l" in told:
            kwargs["initial"] = as_typed(RaceRules.model_validate(told))
        super().__init__(*args, **kwargs)
        compounds = car.tyres.compounds
        choices = [(compound.key, f"{compound.letter} {compound.name}") for compound in compounds]
        self.fields["compulsory"].choices = choices  # type: ignore[attr-defined]
        pairs = [(pair_key(a.key, b.key), f"{a.letter} front, {b.letter} rear") for a in compounds for b in compounds if a is not b]
        either = [(compound.key, f"{compound.letter} at either end") for compound in compounds] if len(choices) > 1 else []
        self.fields["barred"].choices = [*either, *pairs]  # type: ignore[attr-defined]
        self.compounds = {f"{_SETS}{compound.key}": compound.key for compound in compounds}
        for name, compound in zip(self.compounds, compounds, strict=True):
            self.fields[name] = forms.CharField(
                max_length=60,
                required=False,
                label=f"Sets of {compound.name}",
                widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "2 new, 1 at 6"}),
            )

    @property
    def sets_fields(self) -> list[forms.BoundField]:
        """The boxes for tyre sets, one for each compound."""
        return [self[name] for name in self.compounds]

    @property
    def more_open(self) -> bool:
        """Whether the further rules say something, or something is wrong with them."""
        return any(self.errors.get(name) or not _says_nothing(self[name].value()) for name in (*_FURTHER, *self.compounds))

    def clean_savings_pct(self) -> tuple[float, ...]:
        """The savings [%]."""
        parts = re.split(r"[,;\s]+|\band\b", self.cleaned_data["savings_pct"])
        return tuple(dict.fromkeys(numbers_of(parts, "%", lambda _: "saving", 0.1, 30, 4, "saving: {} of them")))

    def clean_crew_work(self) -> str:
        """What the crew may do at once."""
        text: str = self.cleaned_data["crew_work"].strip()
        if text:
            try:
                read_work(text, 0.0, 0.0)
            except InputError as error:
                raise forms.ValidationError(str(error)) from None
        return text

    def clean_no_stops(self) -> list[dict[str, int]]:
        """Laps at whose end one may not stop."""
        try:
            return [one.model_dump() for one in read_stretches(self.cleaned_data["no_stops"], "No stop at the end of laps")]
        except InputError as error:
            raise forms.ValidationError(str(error)) from None

    def clean_no_stop_minutes(self) -> list[dict[str, float]]:
        """Stretches of the race's clock in which one may not come in."""
        try:
            return [one.model_dump() for one in read_minutes(self.cleaned_data["no_stop_minutes"], "No stop in minutes of the race")]
        except InputError as error:
            raise forms.ValidationError(str(error)) from None

    def clean_wet_losses(self) -> list[tuple[float, float, float]]:
        """What dry and wet tyres lose by wetness."""
        try:
            return read_losses(self.cleaned_data["wet_losses"], "Losses by wetness")
        except InputError as error:
            raise forms.ValidationError(str(error)) from None

    def clean_driver_slower_s(self) -> tuple[float, ...]:
        """How much slower each driver is [s]."""
        parts = re.split(r"[;\s]+|,(?!\d)|\band\b", self.cleaned_data["driver_slower_s"].strip())
        return tuple(numbers_of(parts, "s", lambda k: f"Driver {chr(65 + k)}, slower by", -20, 60, 8, "{} drivers"))

    def clean_laps(self) -> dict[str, float]:
        """The length."""
        try:
            return read_length(self.cleaned_data["laps"])
        except InputError as error:
            raise forms.ValidationError(str(error)) from None

    def clean(self) -> dict[str, Any]:
        """The rules as the core has them: the length in its parts, and the sets of all compounds in one."""
        values = super().clean() or {}
        sets = list[dict[str, object]]()
        for name, key in self.compounds.items():
            try:
                sets += [{"compound": key, "count": count, "age": age} for count, age in read_sets(values.pop(name, ""))]
            except InputError as error:
                self.add_error(name, str(error))
        if not self.errors:
            values |= {**values.pop("laps"), "sets": sets}
            told = {name: value for name, value in values.items() if name in RaceRules.model_fields and value not in (None, "")}
            for name, words in contradictions(RaceRules.model_construct(**told)).items():
                self.add_error(name, words)
        return values


#: Rules behind the fold.
_FURTHER = (
    "least_standing_s", "first_stop_lap", "last_stop_lap", "no_stops", "no_stop_minutes", "lane_s", "least_lane_s",
    "longest_stint", "wear_factor", "fuel_factor", "compulsory_laps", "pit_spread_s",
    "ballast_kg", "wheel_minutes", "drivers", "driver_least_minutes", "driver_most_minutes", "driver_rest_minutes",
    "driver_slower_s", "driver_change_s", "savings_pct", "barred", "crew_work", "stint_l", "race_l", "jokers", "joker_s",
    "rain_from", "track_s", "heats",
)  # fmt: skip
#: Name of a box for tyre sets, before the compound's key.
_SETS = "sets_"


def _says_nothing(value: object) -> bool:
    """Whether a box is empty or holds what stands there from the start."""
    try:
        return not value or float(str(value)) in (0.0, 1.0)
    except ValueError:
        return False


def as_typed(rules: RaceRules) -> dict[str, Any]:
    """The rules as their form shows them."""
    values = rules.model_dump()
    values["laps"] = length_words(rules)
    values["driver_slower_s"] = ", ".join(f"{value:g}" for value in rules.driver_slower_s)
    values["no_stops"] = stretches_words(rules.no_stops)
    values["no_stop_minutes"] = minutes_words(rules.no_stop_minutes)
    values["wet_losses"] = losses_words(rules.wet_losses)
    values["savings_pct"] = ", ".join(f"{value:g}" for value in rules.savings_pct)
    for key in dict.fromkeys(one.compound for one in rules.sets):
        values[f"{_SETS}{key}"] = sets_words([one for one in rules.sets if one.compound == key])
    return values


class ClassForm(BesideOthers, forms.Form):
    """What the class allows of the whole car; an empty box is no limit."""

    least_kg = quantity(ClassLimits, "least_kg", "Least weight with driver", "kg", required=False)
    scales_fuel_l = quantity(ClassLimits, "scales_fuel_l", "Fuel in the tank when weighed (empty: none)", "l", required=False)
    most_kw = quantity(ClassLimits, "most_kw", "Greatest power", "kW", required=False)
    least_kg_per_kw = quantity(ClassLimits, "least_kg_per_kw", "Least weight to power", "kg/kW", required=False, decimals=3)
    most_ballast_kg = quantity(ClassLimits, "most_ballast_kg", "Most ballast", "kg", required=False)

    def limits(self) -> ClassLimits:
        """The limits of a valid form."""
        return ClassLimits.model_validate({name: value for name, value in self.cleaned_data.items() if value is not None})


class SessionForm(forms.Form):
    """A further session."""

    name = forms.CharField(max_length=40, label="Session")
    kind = forms.ChoiceField(choices=Session.KINDS, label="Kind")
    starts_at = forms.DateTimeField(
        label="Starts", input_formats=["%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"], widget=forms.DateTimeInput(attrs={"type": "datetime-local"})
    )


class NowForm(BesideOthers, forms.Form):
    """Which session is on, and what is driven."""

    session = forms.ModelChoiceField(Session.objects.none(), label="Current session", empty_label=None)
    real_car = EventForm.base_fields["real_car"]
    driver = forms.ChoiceField(choices=list(LEVEL_WORDS.items()), label="Your pace")

    def __init__(self, event: Event, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["session"].queryset = event.sessions.all()  # type: ignore[attr-defined]
