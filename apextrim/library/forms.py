"""Forms of the garage."""

from django import forms

from apexcore.circuit.track import Circuit
from apextrim.ui.fields import quantity


class CircuitForm(forms.Form):
    """What a file of points does not tell."""

    name = forms.CharField(max_length=60, required=False, label="Name, if not the file's")
    width = quantity(Circuit, "width_m", "Road width, if the file has none", "m")

    open_course = forms.BooleanField(required=False, label="Point-to-point course (not a lap)")
