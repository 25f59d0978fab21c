"""The adjustable items of a car that is told in short: the racer's own ranges and steps, the usual ones where none are told."""

import math
import re
from typing import Any

from ..errors import InputError
from ..quantities.text import read_number
from .kinds import Kind

#: Final drive to which gear ratios are told: only their product counts.
FINAL = 4.0
#: What may be adjusted, in the order of a form: its key and words.
ADJUSTABLE: dict[str, str] = {
    "pressure": "Tyre pressures", "camber": "Camber", "toe": "Toe", "spring": "Springs", "bar": "Anti-roll bars", "ride": "Ride heights",
    "wing": "Rear wing", "bias": "Brake bias", "final": "Final drive or sprockets", "diff": "Differential preload",
    "track": "Track widths", "cross": "Cross weight (wedge)", "ballast": "Ballast",
    "restrictor": "Restrictor", "corners": "Springs, each corner by itself", "seat": "Seat position (kart)",
    "stagger": "Stagger (rear tyres)", "split": "Torque split (all four driven)", "map": "Fuel map", "traction": "Traction control, levels",
    "antilock": "Anti-lock brakes, levels", "flap": "Drag flap (rear wing)",
}  # fmt: skip
#: What moves on a car whose setup is fixed.
LOCKED = ("pressure", "bias")


def nice(value: float, step: float) -> float:
    """The nearest step, at least one."""
    return max(round(value / step) * step, step)


def range_of(text: str, usual: tuple[float, float, float], unit: str, words: str) -> tuple[float, float, float]:
    """Least, greatest and step of a range as typed: `90 to 210 by 5`, `90-210/5`, `90 210 5`; the usual one where it is empty.

    :raises InputError: if it is none
    """
    if not text.strip():
        return usual
    wanted = "least, greatest and step, such as 90 to 210 by 5"
    if len(text) > 60:
        raise InputError(words, text[:40], wanted)
    parts = re.findall(r"(?<![\d.,])[-−]?\d+(?:[.,]\d+)?", re.sub(r"(?<=\d)\s*[-–/]\s*(?=\d)", " ", text))
    if len(parts) not in (2, 3):
        raise InputError(words, text, wanted)
    low, high, *rest = (read_number(part, unit, words) for part in parts)
    step = rest[0] if rest else usual[2]
    if not low < high or step <= 0 or step > high - low:
        raise InputError(words, text, wanted)
    return low, high, step


def item(
    key: str,
    name: str,
    place: str,
    unit: str,
    bounds: tuple[float, float, float],
    base: float,
    sets: str,
    scale: float = 1.0,
    offset: float = 0.0,
) -> dict[str, Any]:
    """An item whose base stands on a step of its range: the step nearest to it."""
    low, high, step = bounds
    last = math.floor((high - low) / step + 1e-9)
    steps = min(max(round((base - low) / step), 0), last)
    decimals = next((count for count in range(4) if all(abs(round(value, count) - value) < 1e-6 * step for value in (low, step))), 3)
    return {
        "key": key, "name": name, "place": place, "unit": unit, "low": low, "high": round(low + last * step, 9), "step": step,
        "base": round(low + steps * step, 9), "decimals": decimals, "sets": sets, "scale": scale, "offset": offset,
    }  # fmt: skip


_WHEELS = (("fl", "front left"), ("fr", "front right"), ("rl", "rear left"), ("rr", "rear right"))


def items_of(key: str, typed: str, content: dict[str, Any], kind: Kind, teeth: tuple[int, int] | None = None) -> list[dict[str, Any]]:
    """The items of one line of the list, with the racer's own range and step.

    :param teeth: of the sprockets on engine and axle, where there are any
    :raises InputError: if that is none
    """
    words = ADJUSTABLE[key]
    tyres, found = content["tyres"], list[dict[str, Any]]()
    if key in ("pressure", "camber"):
        base = tyres["cold_kpa"] if key == "pressure" else tyres["camber_deg"]
        usual = (max(round(0.6 * base[0], -1), 20.0), round(1.5 * base[0], -1), 1.0) if key == "pressure" else (-5.0, 0.0, 0.1)
        unit, title, path = ("kPa", "Cold pressure", "cold_kpa") if key == "pressure" else ("°", "Camber", "camber_deg")
        bounds = range_of(typed, usual, unit, words)
        return [
            item(f"{key}_{short}", f"{title} {name}", short, unit, bounds, base[n], f"tyres.{path}.{n}")
            for n, (short, name) in enumerate(_WHEELS)
        ]
    for axle in ("front", "rear"):
        row, title = content[axle], axle.capitalize()
        if key == "toe":
            found.append(
                item(f"toe_{axle}", f"{title} toe", axle, "°", range_of(typed, (-0.4, 0.4, 0.05), "°", words), 0.0, f"{axle}.toe_deg")
            )
        elif key == "spring" and not kind.rigid:
            base = row["spring_n_per_mm"]
            bounds = range_of(typed, (nice(0.6 * base, 5), nice(1.6 * base, 5), 5.0), "N/mm", words)
            found.append(item(f"spring_{axle}", f"{title} springs", axle, "N/mm", bounds, base, f"{axle}.spring_n_per_mm"))
        elif key == "bar" and not kind.rigid:
            low, high, step = range_of(typed, (1.0, 5.0, 1.0), "", words)
            middle = low + round(0.5 * (high - low) / step) * step
            per = row["bar_n_per_mm"] / max(middle, 1.0)
            found.append(item(f"bar_{axle}", f"{title} anti-roll bar", axle, "", (low, high, step), middle, f"{axle}.bar_n_per_mm", per))
        elif key == "ride" and not kind.rigid:
            base = content["aero"][f"ride_{axle}_mm"]
            bounds = range_of(typed, (max(base - 15.0, 10.0), base + 25.0, 1.0), "mm", words)
            found.append(item(f"ride_{axle}", f"{title} ride height", axle, "mm", bounds, base, f"aero.ride_{axle}_mm"))
        elif key == "track":
            base = 1000.0 * row["track_m"]
            bounds = range_of(typed, (base - 40.0, base + 60.0, 5.0), "mm", words)
            found.append(item(f"track_{axle}", f"{title} track", axle, "mm", bounds, base, f"{axle}.track_m", 0.001))
    if key == "wing" and "wing_position" in content["aero"]:
        found.append(
            item(
                "wing",
                "Rear wing",
                "rear",
                "",
                range_of(typed, (0.0, 8.0, 1.0), "", words),
                content["aero"]["wing_position"],
                "aero.wing_position",
            )
        )
    elif key == "bias" and not kind.rear_brakes:
        base = 100.0 * content["brakes"]["front_share"]
        bounds = range_of(typed, (nice(base - 12, 1), min(nice(base + 10, 1), 94.0), 0.5), "%", words)
        found.append(item("brake_bias", "Brake bias", "car", "%", bounds, base, "brakes.front_share", 0.01))
    elif key == "final":
        found += _final(typed, words) if teeth is None else _sprocket(typed, teeth)
    elif key == "diff":
        bounds = range_of(typed, (0.0, 200.0, 10.0), "Nm", words)
        found.append(
            item(
                "diff_preload",
                "Differential preload",
                "car",
                "Nm",
                bounds,
                kind.differential["preload_nm"],
                "powertrain.differential.preload_nm",
            )
        )
    elif key == "cross":
        found.append(
            item(
                "cross",
                "Cross weight offset (wedge)",
                "car",
                "%",
                range_of(typed, (-6.0, 6.0, 0.2), "%", words),
                0.0,
                "mass.cross_shift",
                0.01,
            )
        )
    elif key == "corners" and not kind.rigid:
        for n, (short, name) in enumerate(_WHEELS):
            axle = ("front", "rear")[n // 2]
            base = content[axle]["spring_n_per_mm"]
            bounds = range_of(typed, (nice(0.6 * base, 5), nice(1.6 * base, 5), 5.0), "N/mm", words)
            found.append(item(f"spring_{short}", f"Spring {name}", short, "N/mm", bounds, base, f"{axle}.spring_n_per_mm.{n % 2}"))
    elif key == "seat" and kind.rigid:
        bounds = range_of(typed, (-30.0, 40.0, 5.0), "mm", words)
        found.append(item("seat_back", "Seat back", "car", "mm", bounds, 0.0, "mass.seat_back_mm"))
        found.append(item("seat_up", "Seat up", "car", "mm", (-10.0, 30.0, 5.0), 0.0, "mass.seat_up_mm"))
    elif key == "stagger":
        found.append(item("stagger", "Stagger", "rear", "mm", range_of(typed, (0.0, 100.0, 5.0), "mm", words), 0.0, "rear.stagger_mm"))
    elif key == "split" and 0.0 < content["powertrain"]["front_drive_share"] < 1.0:
        bounds = range_of(typed, (20.0, 60.0, 2.0), "%", words)
        found.append(item("split", "Torque to the front", "car", "%", bounds, 40.0, "powertrain.front_drive_share", 0.01))
    elif key == "map":
        content["powertrain"]["maps"] = [{"name": name, "torque": torque, "fuel": fuel} for name, torque, fuel in _MAPS]
        found.append(
            {
                **item("map", "Fuel map", "car", "", (1.0, float(len(_MAPS)), 1.0), 1.0, "powertrain.map_position"),
                "names": [name for name, _, _ in _MAPS],
            }
        )
    elif key in _LET_THROUGH:
        found.append(_levels(key, typed, words, content))
    elif key == "flap":
        found.append(_flap(words, content["aero"]))
    elif key == "ballast":
        found.append(
            item("ballast_floor", "Ballast, floor", "car", "kg", range_of(typed, (0.0, 60.0, 5.0), "kg", words), 0.0, "ballast.0.kg")
        )
        found.append(
            item("ballast_rear", "Ballast, rear", "car", "kg", range_of(typed, (0.0, 60.0, 5.0), "kg", words), 0.0, "ballast.1.kg")
        )
    elif key == "restrictor":
        bounds = range_of(typed, (80.0, 100.0, 1.0), "%", words)
        if bounds[0] < 25.0 or bounds[1] > 100.0:
            raise InputError(words, typed, "the share of the power that is kept: 25 to 100 %")
        found.append(item("restrictor", "Restrictor (power kept)", "car", "%", bounds, bounds[1], "powertrain.restrictor", 0.01))
    return found


#: Fuel maps of an engine whose own are not known: torque and fuel over the rated map's. Source: an assumption of this product.
_MAPS = (("full", 1.0, 1.0), ("race", 0.97, 0.95), ("save", 0.92, 0.90))
#: Share of the grip that the loosest and the tightest level of a system lets through, its lever, and what it is called. Source: an
#: assumption of this product (docs/model.md, driver systems).
_LET_THROUGH: dict[str, tuple[float, float, str]] = {
    "traction": (0.99, 0.90, "Traction control"), "antilock": (0.985, 0.90, "Anti-lock brakes"),
}  # fmt: skip
#: Part of a rear wing's drag and downforce that an open flap takes away. Source: an assumption of this product.
_FLAP = (0.6, 0.5)


def _levels(key: str, typed: str, words: str, content: dict[str, Any]) -> dict[str, Any]:
    """The levels of a system, 0 off; their shares go into the car.

    :raises InputError: if they are no whole levels from 0 on
    """
    loose, tight, name = _LET_THROUGH[key]
    low, high, step = range_of(typed, (0.0, 8.0, 1.0), "", words)
    if low not in (0.0, 1.0) or step != 1.0 or high != int(high) or not 2.0 <= high <= 20.0:
        raise InputError(words, typed, "whole levels from 0 or 1 on, at most 20, such as 0 to 8 by 1")
    count = int(high)
    shares = [round(loose + (tight - loose) * level / (count - 1), 4) for level in range(count)]
    content.setdefault("controls", {})[key] = shares
    return item(key, name, "car", "", (low, high, 1.0), low, f"controls.{key}_level")


def _flap(words: str, aero: dict[str, Any]) -> dict[str, Any]:
    """A flap of the rear wing, open in the circuit's zones; what it takes away goes into the car.

    :raises InputError: if there is no wing
    """
    if "wing_position" not in aero:
        raise InputError(words, "no rear wing", "a car with a rear wing, or no drag flap")
    drag, lift = (share * aero["wing_position"] * aero[f"wing_{of}_area_m2"] for share, of in zip(_FLAP, ("drag", "lift"), strict=True))
    aero |= {"flap_drag_area_m2": round(drag, 4), "flap_lift_area_m2": round(lift, 4)}
    return {**item("flap", "Drag flap", "rear", "", (0.0, 1.0, 1.0), 1.0, "aero.flap_position"), "names": ["shut", "in zones"]}


def _sprocket(typed: str, teeth: tuple[int, int]) -> list[dict[str, Any]]:
    """The sprocket on the axle, about the one that is on: in teeth, beside those of the engine's."""
    engine, axle = teeth
    words = "Axle sprocket, teeth"
    low, high, step = range_of(typed, (float(axle - 8), float(axle + 8), 1.0), "", words)
    if not low <= axle <= high or any(value != int(value) for value in (low, high, step)):
        raise InputError(words, typed, f"whole teeth with the {axle} that are on among them")
    if (high - low) / step > 59:
        raise InputError(words, typed, "at most 60 sprockets")
    found = item("sprocket", "Axle sprocket", "car", "", (low, high, step), float(axle), "powertrain.final_drive", 1.0 / engine)
    names = "|".join(f"{engine}/{round(low + k * step)}" for k in range(round((found["high"] - low) / step) + 1))
    return [{**found, "names": names.split("|")}]


def _final(typed: str, words: str) -> list[dict[str, Any]]:
    """The final drive about the one told: as a ratio, in the racer's own numbers; the middle of the range is what is in the car."""
    low, high, step = range_of(typed, (3.2, 4.8, 0.05), ":1", words)
    middle = FINAL if low <= FINAL <= high else 0.5 * (low + high)
    found = item("final_drive", "Final drive", "car", ":1", (low, high, step), middle, "powertrain.final_drive", 1.0)
    return [{**found, "scale": FINAL / found["base"]}]
