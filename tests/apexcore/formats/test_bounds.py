"""Every schema that a file may be read into bounds each number, text and list in it."""

from collections.abc import Iterator
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

import pytest
from annotated_types import Ge, Gt, Le, Lt, MaxLen
from pydantic import AwareDatetime
from pydantic.fields import FieldInfo

from apexcore.formats.event_file import EventFile
from apexcore.formats.logger import LapEvent, PitEvent, RunEvent, SampleEvent, TyresEvent, WeatherEvent
from apexcore.formats.values_json import SheetFile
from apexcore.quantities.values import Value
from apexcore.race.rules import RaceRules
from apexcore.vehicle.car import Car

DOORS = (EventFile, SheetFile, Car, RaceRules, LapEvent, PitEvent, RunEvent, SampleEvent, TyresEvent, WeatherEvent)


def models(kind: Any, seen: set[type[Value]]) -> Iterator[type[Value]]:
    """A schema and all that it is made of."""
    if isinstance(kind, type) and issubclass(kind, Value):
        if kind not in seen:
            seen.add(kind)
            yield kind
            for field in kind.model_fields.values():
                yield from models(field.annotation, seen)
        return
    for part in get_args(kind):
        if not isinstance(part, FieldInfo):
            yield from models(part, seen)


def rules_of(marks: tuple[Any, ...]) -> list[Any]:
    """The bounds among the marks of a type, those inside of pydantic's `Field` too."""
    return [rule for mark in marks for rule in (mark.metadata if isinstance(mark, FieldInfo) else [mark])]


def unbounded(kind: Any, rules: list[Any]) -> Iterator[str]:
    """What of a type has no bound."""
    origin, parts = get_origin(kind), get_args(kind)
    if origin is Annotated:
        yield from unbounded(parts[0], [*rules, *rules_of(parts[1:])])
    elif origin in (Union, UnionType):
        for part in parts:
            yield from unbounded(part, rules)
    elif origin is Literal or kind in (bool, NoneType, AwareDatetime) or (isinstance(kind, type) and issubclass(kind, Value)):
        return
    elif origin is tuple and (len(parts) != 2 or parts[1] is not Ellipsis):
        for part in parts:
            yield from unbounded(part, [])
    elif origin in (tuple, list, dict):
        if not any(isinstance(rule, MaxLen) for rule in rules):
            yield "its length"
        for part in parts:
            if part is not Ellipsis:
                yield from unbounded(part, [])
    elif kind in (int, float):
        if not any(isinstance(rule, Ge | Gt) for rule in rules) or not any(isinstance(rule, Le | Lt) for rule in rules):
            yield "a number"
    elif kind is str:
        if not any(isinstance(rule, MaxLen) or getattr(rule, "pattern", None) for rule in rules):
            yield "a text"
    else:
        yield f"{kind}"


@pytest.mark.parametrize("door", DOORS, ids=lambda door: door.__name__)
def test_everything_that_a_file_may_hold_has_a_bound(door: type[Value]) -> None:
    found = [
        f"{model.__name__}.{name}: {what}"
        for model in models(door, set())
        for name, field in model.model_fields.items()
        for what in unbounded(field.annotation, list(field.metadata))
        if (model, name) != (EventFile, "rules")  # which `race_rules` reads as the rules that they are, or refuses
    ]
    assert found == []
