"""A car in two minutes: the form of what its driver knows by heart."""

import json
import re
from itertools import pairwise
from typing import Any

from django import forms
from django.contrib.auth.models import User

from apexcore.circuit.conditions import Conditions
from apexcore.errors import InputError
from apexcore.lap.driver import LEVEL_WORDS, LEVELS
from apexcore.quantities import parse_lap, read_number
from apexcore.trim.figures.known import Course, Known
from apexcore.vehicle.kinds import KINDS, TYRES
from apexcore.vehicle.quick import Told
from apexcore.vehicle.quick_items import ADJUSTABLE, LOCKED
from apextrim.ui.fields import QuantityField

from .models import Circuit
from .stored import driven_line

#: Width of a car on whose line a known lap is taken to have been driven [m].
_WIDTH_M = 1.8
#: The fields in their order: of the car, and of what is known.
_CAR = (
    "name", "kind", "mass", "driver_kg", "front", "power", "power_rpm", "limit_rpm", "driven", "gears", "top", "ratios", "teeth",
    "tyre_kind", "tyre_front", "tyre_rear", "softer", "harder", "wets", "wing", "store_kw", "store_kj", "store_back",
)  # fmt: skip
_KNOWN = ("top_seen", "to_100", "lap", "circuit", "pace")
#: Tyres, gears and driven wheels that are usual of a kind.
_USUAL = {
    "kart": {"tyre_kind": "kart", "gears": "1", "driven": "rear"}, "saloon": {"tyre_kind": "semi", "driven": "front"},
    "coupe": {"tyre_kind": "slick", "driven": "rear"}, "roadster": {"tyre_kind": "semi", "driven": "rear"},
    "single_seater": {"tyre_kind": "slick", "driven": "rear"}, "oval": {"tyre_kind": "slick", "driven": "rear"},
}  # fmt: skip
_TEETH = re.compile(r"(\d{1,2})\s*[/:x]\s*(\d{2,3})")
#: Driven wheels in words.
_DRIVEN = (("rear", "the rear"), ("front", "the front"), ("all", "all four"))


class QuickCarForm(forms.Form):
    """What kind of car it is, its numbers, what may be adjusted, and what its driver knows of it."""

    name = forms.CharField(max_length=60, label="Name")
    kind = forms.ChoiceField(choices=[(key, kind.words) for key, kind in KINDS.items()], label="Kind", initial="saloon")
    mass = QuantityField("kg", 60, 3000, label="Mass with driver, no fuel", decimals=0)
    driver_kg = QuantityField("kg", 30, 200, label="Driver in race wear", decimals=0)
    front = QuantityField("%", 25, 75, label="Front weight")
    power = QuantityField("kW", 2, 1500, label="Peak power", decimals=0)
    power_rpm = QuantityField("rpm", 1500, 24_000, label="at", decimals=0)
    limit_rpm = QuantityField("rpm", 2000, 25_000, label="Rev limit", decimals=0)
    driven = forms.ChoiceField(choices=_DRIVEN, label="Driven wheels")
    gears = QuantityField("", 1, 10, whole=True, label="Gears")
    top = QuantityField("km/h", 30, 500, label="Last gear at the rev limit", decimals=0)
    ratios = forms.CharField(
        max_length=120, required=False, label="Gear ratios, first to last, if known",
        widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "3.2, 2.1, 1.6, 1.3, 1.1"}),
    )  # fmt: skip
    teeth = forms.CharField(
        max_length=12, required=False, label="Sprockets, teeth on engine/axle (one gear)",
        widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "11/80"}),
    )  # fmt: skip
    tyre_kind = forms.ChoiceField(choices=[(key, tyre.words) for key, tyre in TYRES.items()], label="Tyres", initial="semi")
    tyre_front = forms.CharField(max_length=40, required=False, label="Tyre size, front")
    tyre_rear = forms.CharField(max_length=40, required=False, label="Tyre size, rear")
    wets = forms.BooleanField(required=False, initial=True, label="Tyres for the wet too")
    softer = forms.BooleanField(required=False, label="A softer tyre too")
    harder = forms.BooleanField(required=False, label="A harder tyre too")
    wing = forms.BooleanField(required=False, label="Rear wing")
    store_kw = QuantityField("kW", 1, 1000, required=False, label="Energy store, power (if any)", decimals=0)
    store_kj = QuantityField("kJ", 10, 50_000, required=False, label="Energy a lap", decimals=0)
    store_back = QuantityField("kW", 0, 1000, required=False, label="Power put back by braking", decimals=0)
    locked = forms.BooleanField(required=False, label="Fixed setup: only brake bias, pressures and fuel move")
    top_seen = QuantityField("km/h", 30, 500, required=False, label="Top speed seen, level road", decimals=0)
    to_100 = QuantityField("s", 1.5, 60, required=False, label="0 to 100 km/h")
    lap = forms.CharField(max_length=20, required=False, label="A good lap of yours")
    circuit = forms.ModelChoiceField(Circuit.objects.none(), required=False, label="at", empty_label="choose a circuit")
    pace = forms.ChoiceField(choices=list(LEVEL_WORDS.items()), label="Your pace", initial="solid midfielder")

    def __init__(self, owner: User, data: Any = None, **kwargs: Any) -> None:
        super().__init__(data, **kwargs)
        self.fields["circuit"].queryset = Circuit.objects.filter(owner=owner)  # type: ignore[attr-defined]
        for key, words in ADJUSTABLE.items():
            self.fields[f"move_{key}"] = forms.BooleanField(required=False, label=words)
            self.fields[f"range_{key}"] = forms.CharField(max_length=60, required=False, label=f"{words}: range and step")

    @property
    def usual(self) -> str:
        """What is usual of each kind, for boxes that nobody has typed in."""
        return json.dumps({key: {"front": f"{100 * kind.front_share:.0f}", **_USUAL.get(key, {})} for key, kind in KINDS.items()})

    @property
    def car_fields(self) -> list[forms.BoundField]:
        """The car itself."""
        return [self[name] for name in _CAR]

    @property
    def known_fields(self) -> list[forms.BoundField]:
        """What its driver knows."""
        return [self[name] for name in _KNOWN]

    @property
    def moves(self) -> list[tuple[forms.BoundField, forms.BoundField]]:
        """A tick and a range for everything that may be adjusted."""
        return [(self[f"move_{key}"], self[f"range_{key}"]) for key in ADJUSTABLE]

    def clean_ratios(self) -> tuple[float, ...]:
        """The ratios in order; none where nothing is typed."""
        parts = [part for part in re.split(r"[;\s]+|,(?!\d)|(?<=\d),\s", self.cleaned_data["ratios"].strip()) if part]
        try:
            return tuple(read_number(part, "", "Gear ratios", 0.2, 30.0) for part in parts)
        except InputError as error:
            raise forms.ValidationError(str(error)) from None

    def clean_teeth(self) -> tuple[int, int] | None:
        """Teeth on engine and axle; None where nothing is typed."""
        typed = self.cleaned_data["teeth"].strip()
        if not typed:
            return None
        told = _TEETH.fullmatch(typed)
        pair = (int(told[1]), int(told[2])) if told else (0, 0)
        if not (7 <= pair[0] <= 40 and 20 <= pair[1] <= 120):
            raise forms.ValidationError(f"Sprockets: “{typed}” is not valid; expected teeth on engine and axle, such as 11/80.")
        return pair

    def clean(self) -> dict[str, Any]:
        values = super().clean() or {}
        if values.get("teeth") and values.get("gears") not in (None, 1):
            self.add_error("teeth", "Sprockets are told for a car with one gear; its gears and the speed of the last say the rest.")
        ratios, gears = values.get("ratios"), values.get("gears")
        if ratios and gears is not None and (len(ratios) != gears or any(b >= a for a, b in pairwise(ratios))):
            typed = ", ".join(f"{one:g}" for one in ratios)
            self.add_error("ratios", f"Gear ratios: “{typed}” is not valid; expected {int(gears)} falling numbers, first gear first.")
        if values.get("kind") == "kart" and values.get("tyre_kind") not in (None, "kart", "kart_wet"):
            self.add_error("tyre_kind", "A kart has kart tyres; expected kart slicks or wets for karts.")
        store = [name for name in ("store_kw", "store_kj") if values.get(name) is not None]
        if len(store) == 1 and not {"store_kw", "store_kj"} & set(self.errors):
            lacking = "store_kj" if store == ["store_kw"] else "store_kw"
            self.add_error(lacking, "An energy store is told by its power and the energy a lap; expected both, or neither.")
        if values.get("store_back") and not store and "store_back" not in self.errors:
            self.add_error("store_back", "Braking puts power back into an energy store; expected its power and the energy a lap.")
        if values.get("lap"):
            try:
                values["lap_s"] = parse_lap(values["lap"], "A good lap of yours")
            except InputError as error:
                self.add_error("lap", str(error))
            if values.get("circuit") is None and "circuit" not in self.errors:
                self.add_error("circuit", "Choose the circuit of that lap; add it to the garage first if it is not there.")
        return values

    def told(self) -> Told:
        """What a valid form tells of the car."""
        v = self.cleaned_data
        ticked = LOCKED if v["locked"] else [key for key in ADJUSTABLE if v[f"move_{key}"]]
        return Told(
            v["name"], v["kind"], v["mass"], v["front"] / 100.0, v["power"], v["power_rpm"], v["limit_rpm"], v["driven"], v["gears"],
            v["top"],
            v["tyre_front"], v["tyre_rear"], v["tyre_kind"], v["wing"], v["driver_kg"], v["ratios"], v["teeth"], v["wets"],
            tuple(which for which in ("softer", "harder") if v[which]),
            None if v["store_kw"] is None else (v["store_kw"], v["store_kj"], v["store_back"] or 0.0),
            {key: v[f"range_{key}"] for key in ticked},
        )  # fmt: skip

    def known(self) -> Known:
        """What a valid form says that its driver knows."""
        v = self.cleaned_data
        return Known(None if v["top_seen"] is None else v["top_seen"] / 3.6, v["to_100"], v.get("lap_s"))

    def course(self) -> Course | None:
        """Where the known lap was driven; None where none is told.

        :raises ApexError: if that circuit has no line
        """
        v = self.cleaned_data
        if v.get("lap_s") is None:
            return None
        return Course(driven_line(v["circuit"].data, _WIDTH_M)[0], Conditions(), LEVELS[v["pace"]])
