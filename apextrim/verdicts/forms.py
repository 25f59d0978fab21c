"""Which two sheets to judge."""

from typing import Any

from django import forms

from apextrim.events.models import Event
from apextrim.garage.models import Sheet
from apextrim.ui.fields import QuantityField


class JudgeForm(forms.Form):
    """Two sheets and the margin that matters."""

    a = forms.ModelChoiceField(Sheet.objects.none(), label="A", empty_label=None)
    b = forms.ModelChoiceField(Sheet.objects.none(), label="B", empty_label=None)
    margin = QuantityField("s", 0.0, 5.0, label="Matters beyond", decimals=2)

    def __init__(self, event: Event, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("a", "b"):
            self.fields[name].queryset = event.sheets.all()  # type: ignore[attr-defined]

    def clean(self) -> dict[str, Any]:
        values = super().clean() or {}
        if values.get("a") and values.get("a") == values.get("b"):
            raise forms.ValidationError(f"A and B are both {values['a'].name}; choose two different sheets.")
        return values
