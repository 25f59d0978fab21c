"""What an item can move: the physical values of a car, named by their path into it."""

from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, get_args, get_origin

from pydantic import TypeAdapter, ValidationError

from ..quantities.values import Value

if TYPE_CHECKING:
    from .car import Car

_AXLES, _SIDES = ("front", "rear"), ("0", "1")
_DAMPER = ("bump_slow", "bump_fast", "rebound_slow", "rebound_fast")

#: Paths that an item may set. A number picks one of several; a path to a pair (springs, dampers) without one sets both.
LEVERS: frozenset[str] = frozenset(
    [f"tyres.cold_kpa.{wheel}" for wheel in range(4)]
    + [f"tyres.camber_deg.{wheel}" for wheel in range(4)]
    + [f"{axle}.{field}" for axle in _AXLES for field in ("spring_n_per_mm", "bar_n_per_mm", "toe_deg", "stagger_mm", "chassis_n_per_mm")]
    + [f"{axle}.spring_n_per_mm.{side}" for axle in _AXLES for side in _SIDES]
    + [f"{axle}.track_m" for axle in _AXLES]
    + [f"{axle}.damper.{side}{field}" for axle in _AXLES for side in ("", "0.", "1.") for field in _DAMPER]
    + [f"powertrain.gears.{gear}" for gear in range(10)]
    + [f"ballast.{index}.kg" for index in range(8)]
    + ["aero.wing_position", "aero.front_wing_position", "aero.ride_front_mm", "aero.ride_rear_mm"]
    + ["brakes.front_share", "fuel_l", "mass.cross_shift", "mass.driver_kg", "mass.seat_back_mm", "mass.seat_up_mm"]
    + ["steering.caster_deg", "steering.frame_nm_per_deg"]
    + ["powertrain.final_drive", "powertrain.restrictor", "powertrain.map_position", "powertrain.front_drive_share"]
    + [f"powertrain.differential.{field}" for field in ("preload_nm", "power", "coast")]
    + ["controls.traction_level", "controls.antilock_level", "aero.flap_position", "boost.lap_kj"]
)


def leaves(lever: str) -> tuple[str, ...]:
    """The single values that a lever moves: two for a pair."""
    axle, _, rest = lever.partition(".")
    if rest == "spring_n_per_mm":
        return tuple(f"{lever}.{side}" for side in _SIDES)
    if rest.startswith("damper.") and rest.count(".") == 1:
        return tuple(f"{axle}.damper.{side}.{rest.removeprefix('damper.')}" for side in _SIDES)
    return (lever,)


def missing(car: "Car", lever: str) -> str:
    """What a car lacks for this lever to move anything, as words; empty where it has it."""
    parts = lever.split(".")
    first, last = parts[0], parts[-1]
    if lever.startswith("powertrain.gears.") and int(last) >= len(car.powertrain.gears):
        return f"gear {int(last) + 1} of {len(car.powertrain.gears)}"
    if lever.startswith("ballast.") and int(parts[1]) >= len(car.ballast):
        return f"ballast position {int(parts[1]) + 1} of {len(car.ballast)}"
    if lever == "powertrain.map_position" and not car.powertrain.maps:
        return "any fuel map"
    if lever == "controls.traction_level" and not car.controls.traction:
        return "levels of traction control"
    if lever == "controls.antilock_level" and not car.controls.antilock:
        return "levels of anti-lock brakes"
    if lever == "aero.flap_position" and not car.aero.flap_drag_area_m2:
        return "a drag flap"
    if lever == "boost.lap_kj" and not car.boost.power_kw:
        return "an energy store"
    if lever == "steering.frame_nm_per_deg" and not (car.front.rigid and car.rear.rigid):
        return "a frame without springs"
    if first in _AXLES:
        rigid = (car.front if first == "front" else car.rear).rigid
        if rigid and ("spring" in lever or "bar_n" in lever or "damper" in lever):
            return f"springs at the {first}"
        if not rigid and last == "chassis_n_per_mm":
            return f"a rigid axle at the {first}"
    return ""


@cache
def _checker(model: type[Value], lever: str) -> TypeAdapter[Any]:
    """The schema of the one value that a lever moves."""
    annotation: Any = model
    for part in leaves(lever)[0].split("."):
        while get_origin(annotation) is Annotated:
            annotation = get_args(annotation)[0]
        if part.isdigit():
            options = get_args(annotation)
            annotation = options[0] if options[-1] is Ellipsis else options[int(part)]
        else:
            field = annotation.model_fields[part]
            annotation = Annotated[(field.annotation, *field.metadata)] if field.metadata else field.annotation
    return TypeAdapter(annotation)


def refusal(model: type[Value], lever: str, value: float) -> str:
    """Why the schema of a car refuses this physical value of a lever, as words; empty where it takes it."""
    try:
        _checker(model, lever).validate_python(value)
    except ValidationError as error:
        return str(error.errors()[0]["msg"]).lower()
    return ""
