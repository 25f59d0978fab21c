"""The driver's place in a car: one card per driver, looked at before a session."""

from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from apextrim.accounts.owned import asked_for, owned_or_404
from apextrim.ui.meanwhile import BesideOthers

from .models import PLACE_FIELDS, Car, DriversPlace


class PlaceForm(BesideOthers, forms.ModelForm):  # type: ignore[type-arg]
    """One card."""

    class Meta:
        model = DriversPlace
        fields = ("driver", *(name for name, _, _ in PLACE_FIELDS))

    def __init__(self, car: Car, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        self.car = car
        self.fields["driver"].label = "Driver"
        for name, words, hint in PLACE_FIELDS:
            self.fields[name].label = words
            self.fields[name].widget.attrs["placeholder"] = hint

    def clean_driver(self) -> str:
        """A name that no other card of this car has."""
        name = " ".join(str(self.cleaned_data["driver"]).split())
        if self.car.places.filter(driver=name).exclude(pk=self.instance.pk).exists():
            raise forms.ValidationError(f"{name} has a card for {self.car.name} already: change that one.")
        return name


@require_http_methods(["GET", "POST"])
def places(request: HttpRequest, car_id: int) -> HttpResponse:
    """The cards of a car, and a new one; a card that was removed stands in the form for a new one, to be saved again."""
    car = owned_or_404(Car, request.user, pk=car_id)
    going = asked_for(car.places.all(), request.GET.get("remove", ""))
    if going is not None and request.method == "GET":
        question = f"Remove {going.driver}'s place in {car.name}?"
        return render(request, "ui/ask.html", {"question": question, "what": "card", "back": reverse("drivers_places", args=[car.pk])})
    sent, fresh, row = None, PlaceForm(car, auto_id="new_%s"), asked_for(car.places.all(), request.POST.get("card", ""))
    if going is not None:
        going.delete()
        going.pk = None
        fresh = PlaceForm(car, instance=going, auto_id="new_%s")
        messages.info(request, f"{going.driver}'s card is removed. It stands in the form for a new driver: save it to have it back.")
    elif request.method == "POST":
        sent = PlaceForm(car, data=request.POST, instance=row or DriversPlace(car=car), auto_id=f"p{row.pk}_%s" if row else "new_%s")
        if sent.is_valid():
            kept = sent.save()
            messages.success(request, f"{kept.driver}'s place in {car.name} is saved.")
            return redirect("drivers_places", car.pk)
        fresh = fresh if row else sent
    cards = [(one, sent if sent and one == row else PlaceForm(car, instance=one, auto_id=f"p{one.pk}_%s")) for one in car.places.all()]
    return render(request, "library/places.html", {"car": car, "cards": cards, "fresh": fresh}, status=422 if sent else 200)
