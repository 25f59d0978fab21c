"""What a driver is told to do otherwise in a corner: as a form, and as an address carries it."""

from django import forms

from apexcore.trim.corner import Told
from apextrim.ui.fields import QuantityField


class ToldForm(forms.Form):
    """What the driver is told to do otherwise in a corner."""

    brake = QuantityField("%", 0, 100, required=False, decimals=0, label="Brakes at most (0: lift only)")
    coast = QuantityField("m", 0, 300, required=False, decimals=0, label="Coast before the brakes")
    gear = QuantityField("", 1, 10, required=False, whole=True, label="Hold gear")
    open = QuantityField("%", 0, 100, required=False, decimals=0, label="Throttle to, until the corner ends")
    through = QuantityField("%", 0, 100, required=False, decimals=0, label="Throttle to, all the way through")
    lift = QuantityField("m", 0, 300, required=False, decimals=0, label="Lift before turning in")
    lean = QuantityField("%", 5, 100, required=False, decimals=0, label="Corner on, of the grip")

    def told(self) -> Told:
        """The order of a valid form."""
        v = self.cleaned_data
        share = {key: None if v[key] is None else v[key] / 100.0 for key in ("brake", "open", "lean", "through")}
        gear = None if v["gear"] is None else int(v["gear"])
        return Told(share["brake"], share["open"], v["coast"], gear, share["lean"], share["through"], v["lift"] or None)


def told_text(told: Told) -> str:
    """An order as an address carries it."""
    parts = (
        ("b", told.braking, 100), ("o", told.opening, 100), ("c", told.coast_m, 1), ("g", told.gear, 1), ("l", told.leaning, 100),
        ("t", told.through, 100), ("f", told.lift_m, 1),
    )  # fmt: skip
    return "-".join(f"{key}{value * times:.0f}" for key, value, times in parts if value is not None)


def told_of(text: str) -> Told | None:
    """The order of an address; None where it says nothing that can be told."""
    names = {"b": "brake", "o": "open", "c": "coast", "g": "gear", "l": "lean", "t": "through", "f": "lift"}
    pairs = [(part[:1], part[1:]) for part in text[:60].split("-") if part]
    if any(key not in names for key, _ in pairs):
        return None
    form = ToldForm({names[key]: f"{value} m" if key in "cf" else value for key, value in pairs})  # an address knows no reader
    if not form.is_valid():
        return None
    told = form.told()
    return None if told.empty else told
