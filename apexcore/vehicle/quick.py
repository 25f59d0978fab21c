"""A whole car from what its driver knows by heart: the rest follows from stated relations, each with how sure it is.

Every value that was not told is listed with where it came from, so that it can be looked at and changed; lap times, top speed and
acceleration that the driver knows pull the car into place (`trim.figures.known`).
"""

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

from ..circuit.conditions import GRAVITY
from ..errors import FileRejected, InputError
from ..quantities.text import format_number
from .car import GROOVES, IN_WET, Car
from .kinds import FOR_THE_WET, KINDS, TYRES, Kind, TyreKind, heat_of
from .quick_items import ADJUSTABLE, FINAL, item, items_of, nice

#: Torque of a naturally breathing engine at a share r of the speed of peak power, over that at it: 1 + r − r². Source: Leedy's formula for
#: the full-load power of petrol engines, P/P_max = r + r² − r³ (workshop handbooks; ± 8 % between half and full speed).
_SHARES = (0.35, 0.5, 0.65, 0.8, 0.9, 1.0)
#: What sprockets and a speed that was told may disagree by without a word: a tyre grows, a tooth is 1.3 % [-].
_SAME_RATIO = 0.03
#: Share of the engine's power that reaches the wheels, by driven wheels.
_EFFICIENCY = {"rear": 0.90, "front": 0.91, "all": 0.87}
#: Speed of the first gear at the limiter over that of the last, by the number of gears: gears get closer towards the top.
_FIRST = {1: 1.0, 2: 0.62, 3: 0.48, 4: 0.42, 5: 0.37, 6: 0.345, 7: 0.32, 8: 0.30, 9: 0.29, 10: 0.28}
#: Braking force that brakes give, over what the tyres hold.
_BRAKES_OVER = 1.2
#: Mean tread and side of a tyre that rolls, over its size as written: it is pressed flat a little.
_ROLLS = 0.965
#: Atmospheric pressure at which gauges read 0 [kPa], and 0 degC [K].
_AIR_KPA, _ZERO_K = 101.3, 273.15

_METRIC = re.compile(r"\s*(\d{3})\s*/\s*(\d{2})\s*(?:Z?R|-)?\s*(\d{2}(?:[.,]5)?)\s*", re.IGNORECASE)
_INCHES = re.compile(r"\s*(\d{1,2}(?:[.,]\d+)?)\s*[x×/]\s*(\d{1,2}(?:[.,]\d+)?)\s*[-x×/]\s*(\d{1,2}(?:[.,]\d+)?)\s*", re.IGNORECASE)


@dataclass(frozen=True)
class Told:
    """What a driver says of the car.

    :param name: of the car
    :param kind: one of `kinds.KINDS`
    :param mass_kg: ready to race with the driver, without fuel [kg]
    :param front_share: share of it on the front wheels [-]
    :param power_kw: peak power [kW]
    :param power_rpm: engine speed at which it is [rpm]
    :param limit_rpm: rev limit [rpm]
    :param driven: wheels: rear, front or all
    :param gears: number of gears
    :param top_kmh: speed of the last gear at the rev limit [km/h]
    :param tyre_front: size as written on it; empty for what such a car has
    :param tyre_rear: the same; empty for that of the front
    :param tyre_kind: one of `kinds.TYRES`
    :param wing: whether there is a rear wing
    :param driver_kg: driver in race wear [kg]
    :param ratios: of the gears before the final drive, first gear first, in any unit; the last has the speed told; empty for
        usual steps
    :param teeth: of the sprockets on engine and axle, of a car with one gear; None where it has none, or they are not known
    :param wets: whether tyres for the wet go with it
    :param others: further dry tyres beside the usual ones: softer, harder
    :param store: an energy store: its power [kW], what may be spent a lap [kJ], and the power that braking puts back [kW]; None for none
    :param adjustable: range of each item that may be adjusted as typed, by its key in `ADJUSTABLE`; empty for the usual one
    """

    name: str
    kind: str
    mass_kg: float
    front_share: float
    power_kw: float
    power_rpm: float
    limit_rpm: float
    driven: str
    gears: int
    top_kmh: float
    tyre_front: str = ""
    tyre_rear: str = ""
    tyre_kind: str = "slick"
    wing: bool = False
    driver_kg: float = 80.0
    ratios: tuple[float, ...] = ()
    teeth: tuple[int, int] | None = None
    wets: bool = True
    others: tuple[str, ...] = ()
    store: tuple[float, float, float] | None = None
    adjustable: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Assumed:
    """A value that was not told.

    :param path: into the car
    :param words: what it is
    :param text: the value with its unit
    :param spread: how far it may be off, in words
    :param why: where it comes from
    """

    path: str
    words: str
    text: str
    spread: str
    why: str


def radius_of(size: str, place: str) -> float:
    """Rolling radius of a tyre of a written size: `205/50 R15`, or in inches `10 x 4.50-5` and `24.5/9.0-13` [m].

    :raises InputError: if it is none
    """
    wanted = "a size as it stands on the tyre, such as 205/50 R15 or 10x4.50-5"
    if len(size) > 40:
        raise InputError(place, size[:40], wanted)
    metric = _METRIC.fullmatch(size)
    if metric:
        width, side, rim = (float(part.replace(",", ".")) for part in metric.groups())
        radius = 0.5 * (25.4 * rim + 2.0 * width * side / 100.0) / 1000.0
    else:
        inches = _INCHES.fullmatch(size)
        if not inches:
            raise InputError(place, size, wanted)
        radius = 0.5 * float(inches.group(1).replace(",", ".")) * 0.0254
    if not 0.1 <= radius <= 0.6:
        raise InputError(place, size, "a tyre of 200 to 1200 mm")
    return _ROLLS * radius


def rim_of(size: str) -> float | None:
    """Diameter of the rim of a tyre of a written size [mm]; None where the size says none."""
    match = _METRIC.fullmatch(size[:40]) or _INCHES.fullmatch(size[:40])
    if match is None:
        return None
    rim = 25.4 * float(match.groups()[-1].replace(",", "."))
    return round(rim, 1) if 80.0 <= rim <= 700.0 else None


def torque_curve(power_kw: float, power_rpm: float, limit_rpm: float) -> list[tuple[float, float]]:
    """Full-throttle torque at some engine speeds [rpm, N m], through the peak power told.

    :raises InputError: if peak power lies above the rev limit
    """
    if not 0.4 * limit_rpm <= power_rpm <= limit_rpm:
        raise InputError("Peak power at", f"{power_rpm:.0f} rpm", f"{0.4 * limit_rpm:.0f} to {limit_rpm:.0f} rpm, the rev limit")
    peak = 1000.0 * power_kw / (power_rpm * math.pi / 30.0)
    shares = [*_SHARES, *[share for share in (1.05, 1.1) if share * power_rpm < 0.995 * limit_rpm]]
    if limit_rpm > 1.01 * power_rpm:
        shares.append(limit_rpm / power_rpm)
    return [(round(share * power_rpm), round(max(peak * (1.0 + share - share**2), 0.2 * peak), 2)) for share in shares]


def gear_ratios(gears: int, top_kmh: float, limit_rpm: float, radius_m: float) -> list[float]:
    """Ratios before a final drive of `FINAL` that reach a speed in the last gear at the rev limit, first gear first.

    Steps between gears shrink evenly towards the top. Source: progressive gearing, common practice (Gillespie, Fundamentals of Vehicle
    Dynamics, ch. 2).
    """
    last = limit_rpm * math.pi / 30.0 * radius_m / (top_kmh / 3.6) / FINAL
    if gears == 1:
        return [round(last, 4)]
    total, count = math.log(1.0 / _FIRST[gears]), gears - 1
    weights = [1.0 + 0.5 * (count - 1 - k) / max(count - 1, 1) for k in range(count)]
    steps = [total * weight / sum(weights) for weight in weights]
    ratios = [last]
    for step in reversed(steps):
        ratios.append(ratios[-1] * math.exp(step))
    return [round(ratio, 4) for ratio in reversed(ratios)]


#: Further dry tyres beside a usual one: grip and life over its, and how far the best temperature lies from its [K]. Source: an assumption
#: of this product, within what makers' ranges of one size span.
_BESIDE = {"softer": (1.02, 0.6, -6.0), "harder": (0.98, 1.7, 6.0)}


def _beside(tyre: TyreKind, which: str) -> TyreKind:
    """A softer or harder tyre of the same kind."""
    grip, life, warmer = _BESIDE[which]
    return replace(
        tyre,
        key=which,
        words=f"{which} {tyre.words}",
        mu=round(grip * tyre.mu, 3),
        worn_mj=life * tyre.worn_mj,
        best_c=tyre.best_c + warmer,
    )


def quick_car(told: Told, key: str) -> tuple[Car, tuple[Assumed, ...]]:
    """The car, and what was assumed of it.

    :param key: its name in files
    :raises FileRejected: naming what cannot be
    """
    try:
        maker = _Maker(told, key)
        return maker.car(), tuple(maker.assumed)
    except InputError as error:
        raise FileRejected([str(error)]) from None


class _Maker:
    """One car in the making."""

    def __init__(self, told: Told, key: str) -> None:
        if told.kind not in KINDS or told.tyre_kind not in TYRES or told.driven not in _EFFICIENCY or told.gears not in _FIRST:
            raise InputError("car", f"{told.kind}, {told.tyre_kind}, {told.driven}, {told.gears} gears", "a kind that is known")
        if told.mass_kg <= told.driver_kg + 30.0:
            raise InputError("Mass with driver", f"{told.mass_kg:.0f} kg", f"more than the driver's {told.driver_kg:.0f} kg and a car's")
        self.told, self.key = told, key
        self.kind: Kind = KINDS[told.kind]
        self.tyre: TyreKind = TYRES[told.tyre_kind]
        self.assumed: list[Assumed] = []
        self.radius = tuple(
            self._radius(size, words)
            for size, words in ((told.tyre_front, "Front tyres"), (told.tyre_rear or told.tyre_front, "Rear tyres"))
        )
        self.load_n = told.mass_kg * GRAVITY / 4.0

    def _assume(self, path: str, words: str, value: float, unit: str, decimals: int, spread: str, why: str) -> float:
        rounded = round(value, decimals)
        self.assumed.append(Assumed(path, words, f"{format_number(rounded, decimals)} {unit}".strip(), spread, why))
        return rounded

    def _radius(self, size: str, words: str) -> float:
        if size.strip():
            return round(radius_of(size, words), 4)
        place = 0 if words.startswith("Front") else 1
        return self._assume(
            f"tyres.radius_m.{place}", f"{words}, rolling radius", self.kind.radius_m[place], "m", 3, "± 6 %", "usual of the kind"
        )

    def _rims(self) -> dict[str, list[float]]:
        """The rims that the tyres' sizes name; the tyres' usual ones else."""
        front, rear = rim_of(self.told.tyre_front), rim_of(self.told.tyre_rear or self.told.tyre_front)
        return {"rim_mm": [front, rear]} if front is not None and rear is not None else {}

    def car(self) -> Car:
        """The whole car.

        :raises FileRejected: if it cannot be
        """
        content = {
            "key": self.key, "name": self.told.name, "kind": self.kind.words,
            "wheelbase_m": self._assume("wheelbase_m", "Wheelbase", self.kind.wheelbase_m, "m", 2, "± 8 %", "usual of the kind"),
            "width_m": self.kind.width_m, "tank_l": self.kind.tank_l, "fuel_l": round(0.5 * self.kind.tank_l),
            "mass": self._mass(), "ballast": self._ballast(), "front": self._axle(0), "rear": self._axle(1), "aero": self._aero(),
            "powertrain": self._powertrain(), "brakes": self._brakes(), "tyres": self._tyres(), "steering": dict(self.kind.steering),
        }  # fmt: skip
        if told_store := self.told.store:
            content["boost"] = self._store(*told_store)
        content["items"] = self._items(content)
        try:
            return Car.model_validate(content)
        except ValueError as error:
            from pydantic import ValidationError

            problems = error.errors() if isinstance(error, ValidationError) else []
            raise FileRejected([f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in problems[:8]] or [str(error)]) from None

    def _mass(self) -> dict[str, Any]:
        told, kind = self.told, self.kind
        height = self._assume("mass.cg_height_m", "Centre of gravity height", kind.cg_height_m, "m", 2, "± 12 %", "usual of the kind")
        mass = {
            "dry_kg": round(told.mass_kg - told.driver_kg, 1), "driver_kg": told.driver_kg, "front_share": told.front_share,
            "left_share": kind.left_share, "cg_height_m": height, "tank_from_front_m": round(0.75 * kind.wheelbase_m, 2),
            "tank_height_m": round(0.75 * height, 2),
        }  # fmt: skip
        for axle, share in (("front", kind.unsprung[0]), ("rear", kind.unsprung[1])):
            mass[f"unsprung_{axle}_kg"] = self._assume(
                f"mass.unsprung_{axle}_kg",
                f"{axle.capitalize()} unsprung mass",
                share * told.mass_kg,
                "kg",
                0,
                "± 25 %",
                "share of the mass",
            )
        return mass

    def _ballast(self) -> list[dict[str, Any]]:
        if "ballast" not in self.told.adjustable:
            return []
        height = round(0.5 * self.kind.cg_height_m, 2)
        places = (("floor", 0.5), ("rear", 0.9))
        return [{"key": key, "from_front_m": round(share * self.kind.wheelbase_m, 2), "height_m": height} for key, share in places]

    def _store(self, power_kw: float, lap_kj: float, back_kw: float) -> dict[str, Any]:
        holds = self._assume("boost.store_kj", "What the energy store holds", 2.0 * lap_kj, "kJ", 0, "± 50 %", "two laps of it")
        if back_kw > 0.0:
            self._assume("boost.recovered", "Braking power that comes back", 80.0, "%", 0, "± 10", "usual of motors and cells")
        return {"power_kw": power_kw, "lap_kj": lap_kj, "store_kj": holds, "recover_kw": back_kw, "recovered": 0.8}

    def _axle(self, place: int) -> dict[str, Any]:
        kind, name = self.kind, ("front", "rear")[place]
        words = name.capitalize()
        share = self.told.front_share if place == 0 else 1.0 - self.told.front_share
        sprung = 0.5 * self.told.mass_kg * (share - kind.unsprung[place])
        axle: dict[str, Any] = {
            "track_m": self._assume(f"{name}.track_m", f"{words} track", kind.track_m[place], "m", 2, "± 6 %", "usual of the kind"),
            "motion_ratio": kind.motion_ratio, "roll_centre_m": kind.roll_centre_m[place], "camber_recovery": kind.camber_recovery[place],
            "tyre_n_per_mm": round(self.tyre.rate_per_load * self.load_n / 1000.0), "stop_mm": kind.stop_mm, "toe_deg": 0.0,
        }  # fmt: skip
        if kind.rigid:
            stiff = kind.chassis_n_per_mm[place] * self.told.mass_kg / 158.0
            why = "usual of the kind, by mass"
            stiff = self._assume(f"{name}.chassis_n_per_mm", f"{words} stiffness of the frame in roll", stiff, "N/mm", 0, "± 30 %", why)
            return {**axle, "spring_n_per_mm": 100.0, "bar_n_per_mm": 0.0, "rigid": True, "chassis_n_per_mm": stiff, "stop_mm": 200}
        frequency = kind.ride_hz[place]
        wheel = (2.0 * math.pi * frequency) ** 2 * sprung / 1000.0
        spring = nice(wheel / kind.motion_ratio**2, 5.0)
        why = f"{frequency:.1f} Hz ride frequency"
        axle["spring_n_per_mm"] = self._assume(f"{name}.spring_n_per_mm", f"{words} springs", spring, "N/mm", 0, "± 30 %", why)
        bar = kind.bar_share[place] * 2.0 * wheel
        axle["bar_n_per_mm"] = self._assume(
            f"{name}.bar_n_per_mm", f"{words} anti-roll bar at the wheel", bar, "N/mm", 0, "± 40 %", "share of the springs' roll stiffness"
        )
        return axle

    def _aero(self) -> dict[str, Any]:
        kind = self.kind
        aero: dict[str, Any] = {
            "drag_area_m2": self._assume("aero.drag_area_m2", "Drag area", kind.drag_area_m2, "m²", 2, "± 15 %", "usual of the kind"),
            "lift_area_m2": 0.0, "front_share": kind.aero_front, "ride_front_mm": kind.ride_mm[0], "ride_rear_mm": kind.ride_mm[1],
            "ride_reference_mm": list(kind.ride_mm), "side_area_m2": round(3.0 * kind.drag_area_m2, 2),
            "side_from_front_m": round(0.45 * kind.wheelbase_m, 2),
        }  # fmt: skip
        if self.told.wing:
            body = self._assume(
                "aero.lift_area_m2", "Downforce area of the body", kind.lift_area_m2, "m²", 2, "± 30 %", "usual with a wing"
            )
            wing = kind.wing_lift_area_m2
            self._assume(
                "aero.wing_lift_area_m2", "Downforce area of a wing position", wing, "m²", 3, "± 30 %", "a seventh of a usual wing"
            )
            aero |= {
                "lift_area_m2": body, "wing_lift_area_m2": wing, "wing_drag_area_m2": round(0.24 * wing, 4), "wing_position": 4.0,
                "wing_behind_rear_m": 0.5, "lift_per_mm": 0.004, "share_per_mm": 0.002,
            }  # fmt: skip
        return aero

    def _powertrain(self) -> dict[str, Any]:
        told, kind = self.told, self.kind
        self.assumed.append(
            Assumed(
                "powertrain.torque_nm",
                "Torque curve",
                "through the peak power told",
                "± 8 %",
                "a naturally breathing petrol engine's shape",
            )
        )
        driven = 1 if told.driven == "rear" else 0
        ratios = gear_ratios(told.gears, told.top_kmh, told.limit_rpm, self.radius[driven])
        if told.ratios:
            ratios = self._told_ratios(ratios[-1])
        elif told.gears > 1:
            words = ", ".join(format_number(ratio, 2) for ratio in ratios[:-1])
            why = f"even steps down from {format_number(ratios[0] / ratios[-1], 1)} times the last"
            self.assumed.append(Assumed("powertrain.gears", "Gears below the last", words, "± 8 %", why))
        final = FINAL
        if told.teeth is not None and told.gears == 1:
            final = told.teeth[1] / told.teeth[0]
            ratios = [round(ratios[0] * FINAL / final, 4)]
            self._between(ratios[0])
        shift = 0.0
        if told.gears > 1:
            shift = self._assume("powertrain.shift_s", "Upshift", kind.shift_s, "s", 2, "± 0.05 s", "usual of the kind")
        reaches, words = _EFFICIENCY[told.driven], "Share of the power that reaches the wheels"
        fuel = self._assume("powertrain.fuel_g_per_kwh", "Fuel used", kind.fuel_g_per_kwh, "g/kWh", 0, "± 10 %", "usual of the kind")
        return {
            "torque_nm": torque_curve(told.power_kw, told.power_rpm, told.limit_rpm), "gears": ratios, "final_drive": final,
            "efficiency": self._assume("powertrain.efficiency", words, reaches, "", 2, "± 0.03", "by driven wheels"),
            "shift_s": shift, "limit_rpm": told.limit_rpm, "front_drive_share": {"rear": 0.0, "front": 1.0, "all": 0.4}[told.driven],
            "fuel_g_per_kwh": fuel, "differential": dict(kind.differential), "engine_braking": kind.engine_braking,
        }  # fmt: skip

    def _told_ratios(self, last: float) -> list[float]:
        """The gears as told, scaled so that the last one has the speed that was told."""
        told = self.told.ratios
        if len(told) != self.told.gears or any(b >= a for a, b in pairwise(told)):
            raise InputError("Gear ratios", ", ".join(f"{one:g}" for one in told), f"{self.told.gears} falling numbers, one for each gear")
        return [round(one * last / told[-1], 4) for one in told]

    def _between(self, ratio: float) -> None:
        """Says what the sprockets and the speed told leave between engine and sprockets, where that is more than rounding."""
        told = self.told
        assert told.teeth is not None
        if abs(ratio - 1.0) > _SAME_RATIO:
            words = (
                f"{told.teeth[0]}/{told.teeth[1]} alone would do {told.top_kmh * ratio:.0f} km/h at the rev limit; the speed typed stands"
            )
            text = f"{format_number(ratio, 3)} : 1"
            self.assumed.append(Assumed("powertrain.gears", "Gear between engine and sprockets", text, "as typed", words))

    def _brakes(self) -> dict[str, Any]:
        told, kind = self.told, self.kind
        mu = self.tyre.mu
        ideal = told.front_share + mu * kind.cg_height_m / kind.wheelbase_m
        share = 0.0 if kind.rear_brakes else nice(100.0 * min(ideal + 0.02, 0.9), 0.5) / 100.0
        if not kind.rear_brakes:
            self._assume(
                "brakes.front_share",
                "Brake bias",
                100.0 * share,
                "%",
                1,
                "± 4",
                "both axles lock together at full braking, and a little more",
            )
        most = _BRAKES_OVER * mu * told.mass_kg * GRAVITY
        return {"front_share": share, "max_force_n": round(most, -2)}

    def _tyres(self) -> dict[str, Any]:
        tyre, kind = self.tyre, self.kind
        self._assume("tyres.compounds.0.mu", "Grip of the tyres", tyre.mu, "", 2, "± 8 %", f"usual of {tyre.words}")
        hot = tyre.hot_kpa
        cold = (hot + _AIR_KPA) * (20.0 + _ZERO_K) / (tyre.best_c + _ZERO_K) - _AIR_KPA
        cold = self._assume(
            "tyres.cold_kpa", "Cold pressures", round(cold), "kPa", 0, "± 15 kPa", f"{hot:.0f} kPa hot at {tyre.best_c:.0f} °C, gas law"
        )
        camber = [kind.camber_deg[0]] * 2 + [kind.camber_deg[1]] * 2
        self._assume(
            "tyres.compounds.0.wear_per_mj", "Tyre wear", tyre.wear(self.load_n), "of the tread for 1 MJ", 3, "± 50 %", "by the tyre's size"
        )
        dry = [_beside(tyre, which) for which in self.told.others]
        others = dry + ([TYRES[key] for key in FOR_THE_WET.get(tyre.key, ())] if self.told.wets else [])
        for place, other in enumerate(others, start=1):
            why = "beside the usual ones" if other in dry else f"usual of {other.words}"
            self._assume(f"tyres.compounds.{place}.mu", f"Grip of {other.words}", other.mu, "", 2, "± 8 %", why)
        heat = heat_of(self.load_n, tyre)
        return {
            **self._rims(),
            "radius_m": list(self.radius), "cold_kpa": [cold] * 4, "cold_at_c": 20.0, "camber_deg": camber,
            "heat": [heat, heat], "pressure_heat": 1.0,
            "compounds": [
                self._compound(one, "dots" if one is tyre else {"softer": "slant", "harder": "cross"}.get(one.key, "bars"))
                for one in (tyre, *others)
            ],
        }  # fmt: skip

    def _compound(self, tyre: TyreKind, hatch: str) -> dict[str, Any]:
        kind = self.tyre.key if tyre.key in _BESIDE else tyre.key
        loss, power = IN_WET[kind]
        return {
            "key": tyre.key, "name": tyre.words[:40].capitalize(), "hatch": hatch,
            "letter": {"softer": "So", "harder": "Ha"}.get(tyre.key, tyre.words[0].upper()),
            "mu": tyre.mu, "mu_long_ratio": 1.05,
            "load_ref_n": round(self.load_n), "load_sensitivity": tyre.load_sensitivity, "stiffness_per_rad": tyre.stiffness_per_rad,
            "inclination_opt_deg": tyre.camber_opt_deg, "inclination_loss": 0.0022, "inclination_long_loss": 0.002,
            "pressure_opt_kpa": tyre.hot_kpa, "pressure_opt_kpa_per_kn": 6.0 if self.load_n > 1000 else 18.0, "pressure_loss": 0.7,
            "temperature_opt_c": tyre.best_c, "temperature_width_c": tyre.width_c, "temperature_loss": 0.035,
            "wear_per_mj": tyre.wear(self.load_n), "wear_loss": 0.08, "cliff_wear": 0.72, "cliff_loss": 0.16, "rolling": tyre.rolling,
            "fade_loss": tyre.fade_loss, "wet_loss": loss, "wet_power": power, "groove_mm": GROOVES.get(kind, 0.0),
        }  # fmt: skip

    def _items(self, content: dict[str, Any]) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = []
        for key in ADJUSTABLE:
            if key == "spring" and "corners" in self.told.adjustable:
                continue  # each by itself is both of an axle
            if key in self.told.adjustable:
                teeth = self.told.teeth if self.told.gears == 1 else None
                found += items_of(key, self.told.adjustable[key], content, self.kind, teeth)
        if self.told.store is not None:
            most = self.told.store[1]
            step = nice(most / 20.0, 10.0) if most >= 200.0 else max(round(most / 20.0), 1.0)
            found.append(item("store", "Energy a lap", "car", "kJ", (0.0, most, step), most, "boost.lap_kj"))
        tank = content["tank_l"]
        step = 1.0 if tank >= 20 else 0.1
        found.append(item("fuel", "Fuel load", "car", "l", (step, tank, step), content["fuel_l"], "fuel_l"))
        return found
