"""The next event from one that was."""

from urllib.parse import urlencode

from django import forms
from django.contrib import messages
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from apexcore.circuit.conditions import Conditions
from apexcore.errors import ApexError
from apextrim.accounts.owned import owned
from apextrim.events import facts, signals
from apextrim.events.forms import SessionForm
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.models import Car, Circuit
from apextrim.ui.fields import quantity
from apextrim.ui.units import typed_as
from apextrim.ui.uploads import problems_of

from .again import Wanted, again, usual_start

#: Difference of the weather from which on the sheet is to be adapted [K].
_OTHER_WEATHER_K = 1.5


class AgainForm(forms.Form):
    """What the next event is, and what goes along."""

    name = forms.CharField(max_length=80, label="Event")
    car = forms.ModelChoiceField(Car.objects.none(), label="Car", empty_label=None)
    circuit = forms.ModelChoiceField(Circuit.objects.none(), label="Circuit", empty_label=None)
    starts_at = SessionForm.base_fields["starts_at"]
    air_c = quantity(Conditions, "air_c", "Air temperature", "°C")
    track_c = quantity(Conditions, "track_c", "Track temperature", "°C")
    sheet = forms.BooleanField(required=False, label="The sheet in the car")
    book = forms.BooleanField(required=False, label="The racer's book, where the circuit is the same")
    rules = forms.BooleanField(required=False, label="Race rules and item limits")

    def __init__(self, owner: User, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.fields["car"].queryset = owned(Car, owner)  # type: ignore[attr-defined]
        self.fields["circuit"].queryset = owned(Circuit, owner)  # type: ignore[attr-defined]

    @property
    def about(self) -> list[forms.BoundField]:
        """What it is."""
        return [self[name] for name in ("name", "car", "circuit", "starts_at", "air_c", "track_c")]

    @property
    def along(self) -> list[forms.BoundField]:
        """What goes along."""
        return [self[name] for name in ("sheet", "book", "rules")]


@require_http_methods(["GET", "POST"])
def next_event(request: HttpRequest, event_id: int) -> HttpResponse:
    """Asks what the next event is, and makes it."""
    before, owner = event_for(request.user, event_id), request.user
    then = facts.conditions_of(before)
    usual = {
        "name": _next_name(before.name), "car": before.car_id, "circuit": before.circuit_id, "starts_at": usual_start(before),
        "air_c": then.air_c, "track_c": then.track_c, "sheet": True, "book": True, "rules": True,
    }  # fmt: skip
    form = AgainForm(owner, request.POST or None, initial=usual)  # type: ignore[arg-type]
    errors: list[str] = []
    if request.method == "POST" and form.is_valid():
        v = form.cleaned_data
        weather = then.model_copy(update={"air_c": v["air_c"], "track_c": v["track_c"]}).model_dump()
        wanted = Wanted(v["name"], v["car"], v["circuit"], weather, v["starts_at"], v["sheet"], v["book"], v["rules"])
        try:
            made = again(owner, before, wanted)  # type: ignore[arg-type]
        except ApexError as error:
            errors = problems_of(error)
        else:
            signals.event_made.send(Event, event=made.event)
            messages.success(request, " ".join([f"{made.event.name} is made from {before.name}.", *made.left[:4]]))
            apart = max(abs(v["air_c"] - then.air_c), abs(v["track_c"] - then.track_c))
            if made.sheet is None or apart < _OTHER_WEATHER_K:
                return redirect("brief", made.event.pk)
            asked = {"air_c": typed_as(then.air_c, "°C"), "track_c": typed_as(then.track_c, "°C")}
            plain = {name: f"{getattr(then, name):g}" for name in ("humidity_pct", "pressure_hpa", "rubber_pct", "wet_pct")}
            return redirect(f"{reverse('carry_sheet', args=[made.event.pk, made.sheet.pk])}?{urlencode(asked | plain)}")
    context = {"event": before, "frame": frame(before, ""), "form": form, "errors": errors}
    return render(request, "archive/again.html", context, status=422 if errors or form.errors else 200)


def _next_name(name: str) -> str:
    """The name with its last number one higher; a number behind it where it has none."""
    stem, _, last = name.rpartition(" ")
    return f"{stem} {int(last) + 1}"[:80] if stem and last.isdecimal() and len(last) < 5 else f"{name[:76]} 2"
