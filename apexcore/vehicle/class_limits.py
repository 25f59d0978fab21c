"""What a class allows of a whole car: its least weight, its greatest power, power to weight and ballast."""

import math
from dataclasses import dataclass
from itertools import pairwise

from pydantic import Field

from ..quantities.text import format_number
from ..quantities.values import Value
from .car import Car, Powertrain
from .sheet import Sheet, adjusted

#: Slack with which a limit counts as kept: far below what any scales or dynamometer tells, in its own unit.
SLACK = 1e-6
#: Each limit: its field, what is limited, whether it is a least value, its unit and the digits shown.
_LIMITS = (
    ("least_kg", "weight with driver", True, "kg", 1), ("most_kw", "power", False, "kW", 1),
    ("least_kg_per_kw", "weight to power", True, "kg/kW", 3), ("most_ballast_kg", "ballast", False, "kg", 1),
)  # fmt: skip


class ClassLimits(Value):
    """Limits of a class; None where it has no such limit.

    :param least_kg: car with driver, ballast and the fuel on the scales [kg]
    :param scales_fuel_l: fuel in the tank when it is weighed [l]
    :param most_kw: greatest power at the crank, through the restrictor, on the strongest fuel map [kW]
    :param least_kg_per_kw: least weight for each kilowatt of that power [kg/kW]
    :param most_ballast_kg: all ballast together [kg]
    """

    least_kg: float | None = Field(None, ge=50, le=5000)
    scales_fuel_l: float = Field(0.0, ge=0, le=500)
    most_kw: float | None = Field(None, ge=1, le=2000)
    least_kg_per_kw: float | None = Field(None, ge=0.2, le=100)
    most_ballast_kg: float | None = Field(None, ge=0, le=500)

    @property
    def any(self) -> bool:
        """Whether anything is limited."""
        return any(getattr(self, key) is not None for key, *_ in _LIMITS)

    @property
    def words(self) -> str:
        """The limits in one line."""
        parts = [
            f"{'least' if at_least else 'most'} {words} {format_number(value, decimals)} {unit}"
            for key, words, at_least, unit, decimals in _LIMITS
            if (value := getattr(self, key)) is not None
        ]
        return ", ".join(parts) or "none"

    def needed_kg(self, power_kw: float) -> float:
        """Least weight on the scales of a car of that power [kg]; 0 where nothing asks for any."""
        return max(self.least_kg or 0.0, (self.least_kg_per_kw or 0.0) * power_kw)


@dataclass(frozen=True)
class Standing:
    """A car as its class sees it.

    :param weight_kg: on the scales [kg]
    :param power_kw: at the crank [kW]
    :param ballast_kg: all of it [kg]
    """

    weight_kg: float
    power_kw: float
    ballast_kg: float

    @property
    def kg_per_kw(self) -> float:
        """Weight for each kilowatt [kg/kW]."""
        return self.weight_kg / self.power_kw


@dataclass(frozen=True)
class Kept:
    """One limit and how a car stands to it.

    :param key: the field of `ClassLimits`
    :param words: what is limited
    :param value: the car's
    :param limit: the class's
    :param at_least: whether the limit is a least value
    :param unit: of both
    :param decimals: digits shown after the decimal point
    """

    key: str
    words: str
    value: float
    limit: float
    at_least: bool
    unit: str
    decimals: int

    @property
    def room(self) -> float:
        """How far inside the limit the car is; negative is outside."""
        return self.value - self.limit if self.at_least else self.limit - self.value

    @property
    def ok(self) -> bool:
        """Whether it is kept."""
        return self.room >= -SLACK

    @property
    def sentence(self) -> str:
        """A breach in words, without its full stop; never rounded to where it would read as kept."""
        low, digits = abs(self.room), self.decimals
        while digits < 6 and round(low, digits) == 0.0:
            digits += 1
        side = "below the least" if self.at_least else "above the most"
        return (
            f"{self.words}: {format_number(low, digits)} {self.unit} {side} that the class allows,"
            f" {format_number(self.limit, self.decimals)} {self.unit}"
        )


def peak_power_kw(drive: Powertrain) -> float:
    """Greatest power at the crank, on the strongest fuel map [kW].

    Torque is straight between its points, so that power is a parabola there: its peak is an end or the vertex.
    """
    points = [(rpm, torque) for rpm, torque in drive.torque_nm if rpm < drive.limit_rpm]
    beyond = next(((rpm, torque) for rpm, torque in drive.torque_nm if rpm >= drive.limit_rpm), None)
    if beyond is None:
        points.append((drive.limit_rpm, drive.torque_nm[-1][1]))
    elif not points:
        points = [(drive.limit_rpm, drive.torque_nm[0][1])]
    else:
        (a_rpm, a), (b_rpm, b) = points[-1], beyond
        points.append((drive.limit_rpm, a + (b - a) * (drive.limit_rpm - a_rpm) / (b_rpm - a_rpm)))
    best = max(rpm * torque for rpm, torque in points)
    for (low, a), (high, b) in pairwise(points):
        slope = (b - a) / (high - low)
        if slope < 0.0 and low < (vertex := 0.5 * (low - a / slope)) < high:
            best = max(best, vertex * (a + slope * (vertex - low)))
    strongest = max((one.torque for one in drive.maps), default=1.0)
    return best * math.pi / 30.0 / 1000.0 * drive.restrictor * strongest


def standing(car: Car, sheet: Sheet, limits: ClassLimits) -> Standing:
    """A sheet's car as its class sees it: weighed with the driver, the ballast and the fuel that the class names."""
    moved = adjusted(car, sheet)
    ballast = sum(place.kg for place in moved.ballast)
    mass = moved.mass
    weight = mass.dry_kg + mass.driver_kg + ballast + limits.scales_fuel_l * mass.fuel_kg_per_l
    return Standing(weight, peak_power_kw(moved.powertrain), ballast)


def against(limits: ClassLimits, stands: Standing) -> tuple[Kept, ...]:
    """Every limit that there is, with how a car stands to it."""
    values = {
        "least_kg": stands.weight_kg, "most_kw": stands.power_kw, "least_kg_per_kw": stands.kg_per_kw, "most_ballast_kg": stands.ballast_kg,
    }  # fmt: skip
    return tuple(
        Kept(key, words, values[key], limit, at_least, unit, decimals)
        for key, words, at_least, unit, decimals in _LIMITS
        if (limit := getattr(limits, key)) is not None
    )


def breaches(car: Car, sheet: Sheet, limits: ClassLimits) -> list[str]:
    """What of the class's limits a sheet breaks, a sentence each, without its full stop."""
    return [one.sentence for one in against(limits, standing(car, sheet, limits)) if not one.ok]
