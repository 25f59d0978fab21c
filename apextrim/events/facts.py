"""What an event holds, as core values."""

from collections.abc import Mapping

from apexcore.circuit.conditions import Conditions
from apexcore.race.rules import RaceRules
from apexcore.vehicle.car import Car
from apexcore.vehicle.class_limits import ClassLimits
from apextrim.library.stored import parsed_car

from .models import Event


def book_car_of(event: Event) -> Car:
    """The car of an event as its file has it, before the event's item limits and any calibration."""
    return parsed_car(event.car.data)


def parsed_conditions(stored: Mapping[str, float]) -> Conditions:
    """Conditions as they are stored."""
    return Conditions.model_validate(stored)


def conditions_of(event: Event) -> Conditions:
    """Conditions of an event now."""
    return parsed_conditions(event.conditions)


def class_limits_of(event: Event) -> ClassLimits:
    """What the class of an event allows of the whole car."""
    return ClassLimits.model_validate(event.class_limits)


def rules_of(event: Event) -> RaceRules:
    """Race rules of an event; the tank is the car's."""
    rate = max(float(event.rules.get("refuel_l_per_s", 2.0)), 0.01)  # slower ones were taken once
    return RaceRules.model_validate({"tank_l": book_car_of(event).tank_l, **event.rules, "refuel_l_per_s": rate})
