"""Which difference to judge."""

from collections.abc import Mapping
from typing import Any

from django import forms

from apextrim.events.models import Event
from apextrim.ui.fields import QuantityField

from .queries import TRUST
from .sides import EVERY, SEVERAL, SHEET, Kind, kinds_of

#: What a page of a verdict is asked by.
ASKED = ("by", "a", "b", "margin", "trust")


class JudgeForm(forms.Form):
    """The kind of difference, its two sides, the margin that matters, and how far the vehicle model is trusted.

    :param kinds: of `sides.kinds_of`
    """

    by = forms.ChoiceField(label="Compare")
    a = forms.ChoiceField(label="A", required=False)
    b = forms.ChoiceField(label="B", required=False)
    margin = QuantityField("s", 0.0, 5.0, label="Smallest gap that matters", decimals=2)
    trust = forms.ChoiceField(choices=[(key, key) for key in TRUST], label="Trust in the modelled fuel and tyre effects")

    def __init__(self, kinds: list[Kind], data: Any = None, **kwargs: Any) -> None:
        given = {} if data is None else {key: data[key] for key in ASKED if data.get(key)}
        super().__init__({"by": SHEET, "margin": "0.10", "trust": "usual", **given} if data is not None else None, **kwargs)
        self.kinds = kinds
        self.fields["by"].choices = [(kind.key, kind.words) for kind in self.kinds]  # type: ignore[attr-defined]
        sides = list(self.kind.sides)
        self.fields["a"].choices = sides  # type: ignore[attr-defined]
        self.fields["b"].choices = [*sides, *([(EVERY, "every other")] if len(sides) > 2 else [])]  # type: ignore[attr-defined]

    @property
    def kind(self) -> Kind:
        """The kind chosen; sheets where none that exists is."""
        chosen = self.data.get("by", SHEET) if self.is_bound else SHEET
        return next((kind for kind in self.kinds if kind.key == chosen), self.kinds[0])

    def clean(self) -> dict[str, Any]:
        values = super().clean() or {}
        if values.get("by") == SEVERAL or self.errors:
            return values
        names = dict(self.kind.sides)
        for name in ("a", "b"):
            if not values.get(name):
                raise forms.ValidationError(f"{name.upper()} is not chosen; expected one of {', '.join(names.values()) or 'none yet'}.")
        if values["a"] == values["b"]:
            raise forms.ValidationError(f"A and B are both {names[values['a']]}; choose two different ones.")
        return values


def two_sides(event: Event, asked: Mapping[str, str]) -> JudgeForm | None:
    """The form of a difference between two sides, checked; None where these are not what was asked for."""
    kinds = [kind for kind in kinds_of(event) if kind.key != SEVERAL]
    form = JudgeForm(kinds, {name: asked.get(name, "") for name in ASKED}) if kinds else None
    return form if form is not None and form.is_valid() and form.cleaned_data["b"] != EVERY else None
