"""Writes the demo's cars and circuits as files of the product's own formats. Run it after changing a value here."""

import json
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
WHEELS = [("fl", "front left", 0), ("fr", "front right", 1), ("rl", "rear left", 2), ("rr", "rear right", 3)]


def item(
    key: str, name: str, place: str, unit: str, low: float, high: float, step: float, base: float, decimals: int, sets: str,
    scale: float = 1.0, offset: float = 0.0, **more: Any,
) -> dict[str, Any]:  # fmt: skip
    return {
        "key": key, "name": name, "place": place, "unit": unit, "low": low, "high": high, "step": step, "base": base,
        "decimals": decimals, "sets": sets, "scale": scale, "offset": offset, **more,
    }  # fmt: skip


def wheels(
    key: str, words: str, unit: str, low: float, high: float, step: float, bases: list[float], decimals: int, field: str
) -> list[dict[str, Any]]:
    """One item for each wheel."""
    return [
        item(f"{key}_{wheel}", f"{words} {name}", wheel, unit, low, high, step, bases[n], decimals, f"tyres.{field}.{n}")
        for wheel, name, n in WHEELS
    ]


def axles(
    key: str, words: str, unit: str, front: list[float], rear: list[float], step: float, decimals: int, field: str, scale: float = 1.0
) -> list[dict[str, Any]]:
    """One item for each axle; `front` and `rear` are low, high and base."""
    return [
        item(f"{key}_{axle}", f"{axle.capitalize()} {words}", axle, unit, low, high, step, base, decimals, f"{axle}.{field}", scale)
        for axle, (low, high, base) in (("front", front), ("rear", rear))
    ]


_DAMPER = (
    ("bump_slow", "low-speed bump"),
    ("bump_fast", "high-speed bump"),
    ("rebound_slow", "low-speed rebound"),
    ("rebound_fast", "high-speed rebound"),
)


def dampers(front: list[float], rear: list[float], scale: float, offset: float) -> list[dict[str, Any]]:
    """Slow and fast bump and rebound of each axle, in clicks from full soft.

    :param scale: rate of one click [N s/mm]
    :param offset: rate at full soft [N s/mm]
    """
    return [
        item(f"{key}_{axle}", f"{axle.capitalize()} {words}", axle, "", 0, 24, 1, bases[n], 0, f"{axle}.damper.{key}", scale, offset)
        for axle, bases in (("front", front), ("rear", rear))
        for n, (key, words) in enumerate(_DAMPER)
    ]


def damper(clicks: list[float], scale: float, offset: float) -> list[dict[str, float]]:
    """Both dampers of an axle at these clicks."""
    return [{key: offset + scale * click for (key, _), click in zip(_DAMPER, clicks, strict=True)}] * 2


def wheel_dampers(clicks: list[float], scale: float, offset: float) -> list[dict[str, Any]]:
    """Slow bump and slow rebound of each wheel, in clicks."""
    found = []
    for n, (wheel, name, _) in enumerate(WHEELS):
        axle = "front" if n < 2 else "rear"
        for key, words in (_DAMPER[0], _DAMPER[2]):
            sets = f"{axle}.damper.{n % 2}.{key}"
            title = f"{words.capitalize()} {name}"
            found.append(item(f"{key}_{wheel}", title, wheel, "", 0, 24, 1, clicks[n], 0, sets, scale, offset))
    return found


def gears(ratios: list[float], step: float, spread: float) -> list[dict[str, Any]]:
    """One item for each gear ratio, `spread` either way."""
    found = []
    for n, ratio in enumerate(ratios, start=1):
        low, high = round(ratio - spread, 3), round(ratio + spread, 3)
        found.append(item(f"gear_{n}", f"Gear {n}", "car", ":1", low, high, step, ratio, 2, f"powertrain.gears.{n - 1}"))
    return found


def fuel_maps() -> list[dict[str, Any]]:
    """Full, race and saving map."""
    rows = ("full", 1.0, 1.0), ("race", 0.97, 0.95), ("save", 0.92, 0.90)
    return [{"name": name, "torque": torque, "fuel": fuel} for name, torque, fuel in rows]


def differential(preload: float, power: float, coast: float) -> list[dict[str, Any]]:
    """Preload and both locking shares."""
    return [
        item("diff_preload", "Differential preload", "rear", "Nm", 0, 200, 10, preload, 0, "powertrain.differential.preload_nm"),
        item("diff_power", "Power ramp locking", "rear", "%", 0, 90, 5, power, 0, "powertrain.differential.power", 0.01),
        item("diff_coast", "Coast ramp locking", "rear", "%", 0, 90, 5, coast, 0, "powertrain.differential.coast", 0.01),
    ]


def compound(
    key: str, name: str, letter: str, hatch: str, mu: float, wear: float, best_c: float, loss: float, **more: Any
) -> dict[str, Any]:
    return {
        "key": key, "name": name, "letter": letter, "hatch": hatch,
        "mu": mu, "mu_long_ratio": 1.06, "load_ref_n": 3600, "load_sensitivity": 0.17, "stiffness_per_rad": 34,
        "inclination_opt_deg": 2.2, "inclination_loss": 0.0022, "inclination_long_loss": 0.0020,
        "pressure_opt_kpa": 188, "pressure_opt_kpa_per_kn": 5.5, "pressure_loss": 0.7,
        "temperature_opt_c": best_c, "temperature_width_c": 20, "temperature_loss": 0.035,
        "wear_per_mj": wear, "wear_loss": loss, "cliff_wear": 0.72, "cliff_loss": 0.16, "rolling": 0.013, **more,
    }  # fmt: skip


def heat(
    skin: float, tread: float, carcass: float, up: float, down: float, air: float, road: float, wall: float, kept: float
) -> dict[str, float]:
    """The flow of a tyre's heat.

    :param skin: heat capacity of the first millimetre of the tread, of which the skin is 0.6 mm; the others likewise [kJ/K]
    """
    return {
        "skin_j_per_k": round(600 * skin), "tread_j_per_k": 1000 * tread, "carcass_j_per_k": 1000 * carcass, "skin_tread_w_per_k": up,
        "tread_carcass_w_per_k": down, "air": air, "road": road, "wall": wall, "slide_share": kept,
    }  # fmt: skip


def coupe() -> dict[str, Any]:
    items = [
        item(f"pressure_{w}", f"Cold pressure {words}", w, "kPa", 110, 200, 1, 152 if n < 2 else 148, 0, f"tyres.cold_kpa.{n}")
        for w, words, n in WHEELS
    ]
    items += [
        item(f"camber_{w}", f"Camber {words}", w, "°", -5.0, 0.0, 0.1, -3.2 if n < 2 else -2.4, 1, f"tyres.camber_deg.{n}")
        for w, words, n in WHEELS
    ]
    items += [
        item("spring_front", "Front springs", "front", "N/mm", 90, 210, 5, 150, 0, "front.spring_n_per_mm"),
        item("spring_rear", "Rear springs", "rear", "N/mm", 80, 210, 5, 145, 0, "rear.spring_n_per_mm"),
        item("bar_front", "Front anti-roll bar", "front", "", 1, 9, 1, 5, 0, "front.bar_n_per_mm", 14.0, 0.0),
        item("bar_rear", "Rear anti-roll bar", "rear", "", 1, 9, 1, 4, 0, "rear.bar_n_per_mm", 12.0, 0.0),
        item("ride_front", "Front ride height", "front", "mm", 52, 75, 1, 60, 0, "aero.ride_front_mm"),
        item("ride_rear", "Rear ride height", "rear", "mm", 55, 90, 1, 68, 0, "aero.ride_rear_mm"),
        item("wing", "Rear wing", "rear", "", 1, 12, 1, 6, 0, "aero.wing_position"),
        *axles("toe", "toe", "°", [-0.3, 0.3, -0.1], [-0.1, 0.4, 0.1], 0.05, 2, "toe_deg"),
        *differential(80, 45, 30),
        item("brake_bias", "Brake bias", "car", "%", 60, 82, 0.5, 74.5, 1, "brakes.front_share", 0.01),
        item("final_drive", "Final drive", "car", ":1", 3.2, 4.6, 0.05, 3.9, 2, "powertrain.final_drive"),
        *gears([3.05, 2.18, 1.68, 1.36, 1.13, 0.96], 0.01, 0.06),
        item("map", "Fuel map", "car", "", 1, 3, 1, 1, 0, "powertrain.map_position", names=("full", "race", "save")),
        item("ballast_floor", "Ballast, floor", "car", "kg", 0, 60, 5, 0, 0, "ballast.0.kg"),
        item("ballast_tail", "Ballast, tail", "car", "kg", 0, 40, 5, 0, 0, "ballast.1.kg"),
        item("fuel", "Fuel load", "car", "l", 5, 62, 1, 40, 0, "fuel_l"),
        *dampers([10, 4, 14, 6], [9, 4, 13, 6], 0.5, 2.0),
    ]
    return {
        "format": "apex-trim car 1", "key": "brackendale_gt", "name": "Brackendale Gannet", "kind": "front-engined GT coupé",
        "wheelbase_m": 2.68, "width_m": 1.9, "fuel_l": 40, "tank_l": 62,
        "mass": {
            "dry_kg": 1235, "driver_kg": 80, "front_share": 0.495, "cg_height_m": 0.43,
            "tank_from_front_m": 2.2, "tank_height_m": 0.38, "unsprung_front_kg": 92, "unsprung_rear_kg": 98,
        },
        "ballast": [{"key": "floor", "from_front_m": 1.35, "height_m": 0.15}, {"key": "tail", "from_front_m": 3.2, "height_m": 0.4}],
        "front": {"damper": damper([10, 4, 14, 6], 0.5, 2.0), "track_m": 1.66, "spring_n_per_mm": 150, "motion_ratio": 0.82, "bar_n_per_mm": 70, "roll_centre_m": 0.05, "camber_recovery": 0.35, "tyre_n_per_mm": 290, "stop_mm": 25},
        "rear": {"damper": damper([9, 4, 13, 6], 0.5, 2.0), "track_m": 1.64, "spring_n_per_mm": 145, "motion_ratio": 0.86, "bar_n_per_mm": 48, "roll_centre_m": 0.09, "camber_recovery": 0.40, "tyre_n_per_mm": 300, "stop_mm": 25},
        "aero": {
            "drag_area_m2": 0.88, "lift_area_m2": 1.25, "front_share": 0.60, "wing_drag_area_m2": 0.015, "wing_lift_area_m2": 0.055,
            "wing_behind_rear_m": 0.55, "wing_position": 6, "ride_front_mm": 60, "ride_rear_mm": 68, "ride_reference_mm": [60, 68],
            "floor": {"share": 0.6, "power": 1.0, "best_mm": [36, 44], "gap_mm": [30, 30], "rough_mm": 5}, "side_area_m2": 2.6, "side_from_front_m": 1.25, "tow_drag": 0.28, "tow_lift_front": 0.22,
        },
        "powertrain": {
            "torque_nm": [[2000, 340], [3000, 425], [4000, 478], [4800, 500], [5600, 497], [6400, 470], [7000, 436], [7500, 398]],
            "gears": [3.05, 2.18, 1.68, 1.36, 1.13, 0.96], "final_drive": 3.9, "efficiency": 0.91, "shift_s": 0.09, "limit_rpm": 7400,
            "front_drive_share": 0, "fuel_g_per_kwh": 300, "maps": fuel_maps(),
            "differential": {"preload_nm": 80, "power": 0.45, "coast": 0.30},
        },
        "brakes": {"front_share": 0.745, "max_force_n": 30000},
        "tyres": {
            "radius_m": [0.325, 0.335], "cold_kpa": [152, 152, 148, 148], "cold_at_c": 20, "camber_deg": [-3.2, -3.2, -2.4, -2.4],
            "heat": [heat(1.16, 4.05, 4.2, 61, 65, 1.03, 7.7, 1.6, 0.44), heat(1.24, 4.33, 4.5, 66, 69, 1.10, 8.0, 1.7, 0.44)],
            "compounds": [
                compound("marl", "Marl", "M", "dots", 1.47, 0.041, 84, 0.085, warm_up=1.3),
                compound("slate", "Slate", "S", "slant", 1.442, 0.0235, 88, 0.062, warm_up=0.8),
            ],
        },
        "items": items,
    }  # fmt: skip


def single_seater() -> dict[str, Any]:
    soft = {
        "load_ref_n": 2300,
        "pressure_opt_kpa": 158,
        "pressure_opt_kpa_per_kn": 8,
        "load_sensitivity": 0.14,
        "stiffness_per_rad": 38,
        "temperature_width_c": 17.5,
    }
    items = wheels("pressure", "Cold pressure", "kPa", 90, 170, 1, [128, 128, 122, 122], 0, "cold_kpa")
    items += wheels("camber", "Camber", "°", -5, 0, 0.1, [-3.2, -3.2, -2.2, -2.2], 1, "camber_deg")
    items += axles("spring", "springs", "N/mm", [60, 220, 130], [60, 220, 120], 5, 0, "spring_n_per_mm")
    items += axles("bar", "anti-roll bar", "", [0, 8, 4], [0, 8, 3], 1, 0, "bar_n_per_mm", 11.0)
    items += axles("ride", "ride height", "mm", [14, 40, 22], [22, 60, 38], 1, 0, "x")
    items += axles("toe", "toe", "°", [-0.4, 0.2, -0.15], [-0.1, 0.4, 0.1], 0.05, 2, "toe_deg")
    items += [
        item("wing_front", "Front wing", "front", "", 0, 20, 1, 9, 0, "aero.front_wing_position"),
        item("wing", "Rear wing", "rear", "", 0, 14, 1, 7, 0, "aero.wing_position"),
        *differential(40, 40, 20),
        item("brake_bias", "Brake bias", "car", "%", 48, 72, 0.5, 62, 1, "brakes.front_share", 0.01),
        item("final_drive", "Final drive", "car", ":1", 2.8, 4.2, 0.05, 3.45, 2, "powertrain.final_drive"),
        item("ballast_nose", "Ballast, nose", "car", "kg", 0, 20, 1, 0, 0, "ballast.0.kg"),
        item("ballast_seat", "Ballast, seat", "car", "kg", 0, 30, 1, 5, 0, "ballast.1.kg"),
        *gears([2.92, 2.13, 1.68, 1.37, 1.15, 1.0], 0.01, 0.06),
        item("fuel", "Fuel load", "car", "l", 3, 40, 1, 20, 0, "fuel_l"),
        *dampers([12, 4, 15, 6], [11, 4, 14, 6], 0.25, 1.0),
    ]
    for one in items:
        if one["sets"].endswith(".x"):
            one["sets"] = f"aero.ride_{one['place']}_mm"
    return {
        "format": "apex-trim car 1", "key": "ferrow_lark", "name": "Ferrow Lark", "kind": "light single-seater",
        "wheelbase_m": 2.72, "width_m": 1.75, "fuel_l": 20, "tank_l": 40,
        "mass": {
            "dry_kg": 468, "driver_kg": 76, "front_share": 0.44, "cg_height_m": 0.29,
            "tank_from_front_m": 1.75, "tank_height_m": 0.25, "unsprung_front_kg": 44, "unsprung_rear_kg": 54,
        },
        "ballast": [
            {"key": "nose", "from_front_m": -0.5, "height_m": 0.15}, {"key": "seat", "kg": 5, "from_front_m": 1.3, "height_m": 0.12},
        ],
        "front": {"damper": damper([12, 4, 15, 6], 0.25, 1.0), "track_m": 1.51, "spring_n_per_mm": 130, "motion_ratio": 0.95, "bar_n_per_mm": 44, "roll_centre_m": 0.02, "camber_recovery": 0.3, "tyre_n_per_mm": 210, "stop_mm": 10},
        "rear": {"damper": damper([11, 4, 14, 6], 0.25, 1.0), "track_m": 1.47, "spring_n_per_mm": 120, "motion_ratio": 0.95, "bar_n_per_mm": 33, "roll_centre_m": 0.05, "camber_recovery": 0.35, "tyre_n_per_mm": 230, "stop_mm": 10},
        "aero": {
            "drag_area_m2": 0.56, "lift_area_m2": 0.95, "front_share": 0.46, "wing_drag_area_m2": 0.014, "wing_lift_area_m2": 0.07,
            "wing_behind_rear_m": 0.45, "wing_position": 7, "front_wing_drag_area_m2": 0.003, "front_wing_lift_area_m2": 0.032,
            "front_wing_ahead_m": 0.6, "front_wing_position": 9, "ride_front_mm": 22, "ride_rear_mm": 38, "ride_reference_mm": [22, 38],
            "floor": {"share": 0.8, "power": 0.55, "best_mm": [9, 20], "gap_mm": [2, 4], "rough_mm": 3}, "side_area_m2": 1.4, "side_from_front_m": 1.5,
            "tow_drag": 0.32, "tow_lift_front": 0.35, "tow_lift_rear": 0.15,
        },
        "powertrain": {
            "torque_nm": [[3000, 150], [4000, 176], [5000, 192], [6000, 198], [6800, 192], [7400, 180], [8000, 160]],
            "gears": [2.92, 2.13, 1.68, 1.37, 1.15, 1.0], "final_drive": 3.45, "efficiency": 0.92, "shift_s": 0.06, "limit_rpm": 7900,
            "fuel_g_per_kwh": 290, "differential": {"preload_nm": 40, "power": 0.40, "coast": 0.20},
        },
        "brakes": {"front_share": 0.62, "max_force_n": 18000},
        "tyres": {
            "radius_m": [0.285, 0.295], "cold_kpa": [128, 128, 122, 122], "camber_deg": [-3.2, -3.2, -2.2, -2.2],
            "heat": [heat(0.71, 1.79, 2.3, 49, 45, 0.64, 5.4, 1.2, 0.74), heat(0.93, 2.34, 2.9, 64, 59, 0.83, 6.9, 1.3, 0.74)],
            "compounds": [
                compound("flint", "Flint", "F", "cross", 1.62, 0.085, 78, 0.07, **soft),
                compound("shale", "Shale", "H", "bars", 1.57, 0.051, 83, 0.05, **soft),
            ],
        },
        "items": items,
    }  # fmt: skip


def oval_saloon() -> dict[str, Any]:
    hard = {"load_ref_n": 4000, "pressure_opt_kpa": 230, "inclination_opt_deg": 2.5, "temperature_width_c": 18}
    items = wheels("pressure", "Cold pressure", "kPa", 100, 260, 2, [190, 172, 190, 164], 0, "cold_kpa")
    items += [
        item("camber_fl", "Camber front left", "fl", "°", 0, 6, 0.25, 3.5, 2, "tyres.camber_deg.0"),
        item("camber_fr", "Camber front right", "fr", "°", -6, 0, 0.25, -3.5, 2, "tyres.camber_deg.1"),
        item("spring_fl", "Spring front left", "fl", "N/mm", 70, 300, 5, 150, 0, "front.spring_n_per_mm.0"),
        item("spring_fr", "Spring front right", "fr", "N/mm", 70, 300, 5, 180, 0, "front.spring_n_per_mm.1"),
        item("spring_rl", "Spring rear left", "rl", "N/mm", 25, 120, 5, 70, 0, "rear.spring_n_per_mm.0"),
        item("spring_rr", "Spring rear right", "rr", "N/mm", 25, 120, 5, 75, 0, "rear.spring_n_per_mm.1"),
        item("bar_front", "Front anti-roll bar diameter", "front", "mm", 22, 44, 2, 26, 0, "front.bar_n_per_mm", 2.6, -40.0),
        item("toe_front", "Front toe", "front", "°", -0.4, 0.2, 0.05, -0.15, 2, "front.toe_deg"),
        item("cross", "Cross weight offset (wedge)", "car", "%", -6, 6, 0.2, -1.0, 1, "mass.cross_shift", 0.01),
        item("ballast_left", "Ballast, left rail", "car", "kg", 0, 90, 5, 60, 0, "ballast.0.kg"),
        item("ballast_tail", "Ballast, tail", "car", "kg", 0, 40, 5, 0, 0, "ballast.1.kg"),
        item("brake_bias", "Brake bias", "car", "%", 50, 80, 0.5, 70, 1, "brakes.front_share", 0.01),
        item("final_drive", "Final drive", "car", ":1", 3.6, 6.2, 0.05, 4.85, 2, "powertrain.final_drive"),
        item("spoiler", "Spoiler", "rear", "°", 60, 70, 5, 65, 0, "aero.wing_position", 0.1, 0.0, locked=True),
        item("fuel", "Fuel load", "car", "l", 5, 80, 1, 40, 0, "fuel_l"),
        *wheel_dampers([14, 14, 10, 10], 0.5, 3.0),
    ]
    return {
        "format": "apex-trim car 1", "key": "drummock_stallard", "name": "Drummock Stallard", "kind": "oval saloon",
        "wheelbase_m": 2.74, "width_m": 1.95, "fuel_l": 40, "tank_l": 80,
        "mass": {
            "dry_kg": 1190, "driver_kg": 85, "front_share": 0.505, "left_share": 0.545, "cross_shift": -0.01, "cg_height_m": 0.43,
            "tank_from_front_m": 3.0, "tank_height_m": 0.4, "unsprung_front_kg": 120, "unsprung_rear_kg": 190,
        },
        "ballast": [
            {"key": "left_rail", "kg": 60, "from_front_m": 1.45, "left_m": 0.75, "height_m": 0.15}, {"key": "tail", "from_front_m": 3.4, "height_m": 0.35},
        ],
        "front": {"damper": damper([14, 6, 14, 8], 0.5, 3.0), "track_m": 1.62, "spring_n_per_mm": [150, 180], "motion_ratio": 0.72, "bar_n_per_mm": 27.6, "roll_centre_m": 0.05, "camber_recovery": 0.4, "tyre_n_per_mm": 320, "stop_mm": 30},
        "rear": {"damper": damper([10, 6, 10, 8], 0.5, 3.0), "track_m": 1.62, "spring_n_per_mm": [70, 75], "motion_ratio": 0.95, "bar_n_per_mm": 0, "roll_centre_m": 0.26, "camber_recovery": 1.0, "tyre_n_per_mm": 320, "stop_mm": 30},
        "aero": {
            "drag_area_m2": 0.82, "lift_area_m2": 0.35, "front_share": 0.40, "wing_drag_area_m2": 0.008, "wing_lift_area_m2": 0.03,
            "wing_behind_rear_m": 0.9, "wing_position": 6.5, "ride_front_mm": 80, "ride_rear_mm": 110, "ride_reference_mm": [80, 110],
            "side_area_m2": 3.0, "side_from_front_m": 1.2, "tow_drag": 0.35, "tow_lift_front": 0.2,
        },
        "powertrain": {
            "torque_nm": [[2500, 430], [3500, 500], [4500, 535], [5200, 530], [6000, 490], [6800, 420], [7200, 380]],
            "gears": [2.2, 1.6, 1.2, 1.0], "final_drive": 4.85, "efficiency": 0.88, "shift_s": 0.2, "limit_rpm": 7100,
            "fuel_g_per_kwh": 330, "differential": {"preload_nm": 120, "power": 0.3, "coast": 0.2},
        },
        "brakes": {"front_share": 0.70, "max_force_n": 26000},
        "tyres": {
            "radius_m": [0.335, 0.34], "cold_kpa": [190, 172, 190, 164], "camber_deg": [3.5, -3.5, 0, 0],
            "heat": [heat(1.15, 3.2, 3.4, 72, 70, 1.0, 7.4, 1.7, 0.41)] * 2,
            "compounds": [compound("bramble", "Bramble", "B", "solid", 1.24, 0.06, 88, 0.08, **hard)],
        },
        "items": items,
    }  # fmt: skip


def kart() -> dict[str, Any]:
    tiny = {
        "load_ref_n": 420, "load_sensitivity": 0.10, "stiffness_per_rad": 26, "pressure_opt_kpa": 82, "pressure_opt_kpa_per_kn": 18,
        "inclination_opt_deg": 0.5, "inclination_loss": 0.004, "rolling": 0.02, "temperature_width_c": 19,
    }  # fmt: skip
    teeth = tuple(f"{n} : 11" for n in range(70, 91))
    items = wheels("pressure", "Cold pressure", "kPa", 45, 110, 1, [62, 60, 62, 58], 0, "cold_kpa")
    items += [
        item("track_front", "Front track", "front", "mm", 1080, 1180, 5, 1130, 0, "front.track_m", 0.001),
        item("track_rear", "Rear track", "rear", "mm", 1100, 1240, 5, 1180, 0, "rear.track_m", 0.001),
        item(
            "torsion_front",
            "Front torsion bar",
            "front",
            "",
            1,
            3,
            1,
            2,
            0,
            "front.chassis_n_per_mm",
            3.5,
            31.0,
            names=("none", "flat", "upright"),
        ),
        item(
            "axle_rear",
            "Rear axle",
            "rear",
            "",
            1,
            4,
            1,
            2,
            0,
            "rear.chassis_n_per_mm",
            8.0,
            68.0,
            names=("soft", "medium", "hard", "extra hard"),
        ),
        item("toe_front", "Front toe", "front", "°", -0.5, 0.3, 0.2, -0.1, 1, "front.toe_deg"),
        item("caster", "Caster", "front", "°", 10, 20, 1, 15, 0, "steering.caster_deg"),
        item(
            "stays", "Seat stays", "car", "", 0, 3, 1, 1, 0, "steering.frame_nm_per_deg", 14.0, 156.0, names=("none", "one", "two", "three")
        ),
        item("seat_back", "Seat back", "car", "mm", -30, 40, 5, 0, 0, "mass.seat_back_mm"),
        item("seat_up", "Seat up", "car", "mm", -10, 30, 5, 0, 0, "mass.seat_up_mm"),
        item("driver", "Driver", "car", "kg", 45, 110, 1, 74, 0, "mass.driver_kg"),
        item("sprocket", "Rear sprocket", "car", "", 70, 90, 1, 76, 0, "powertrain.final_drive", 1 / 11, 0.0, names=teeth),
        item("ballast_seat", "Ballast, seat", "car", "kg", 0, 15, 0.5, 3, 1, "ballast.0.kg"),
        item("ballast_floor", "Ballast, floor pan", "car", "kg", 0, 15, 0.5, 0, 1, "ballast.1.kg"),
        item("fuel", "Fuel load", "car", "l", 1, 8, 0.5, 4, 1, "fuel_l"),
    ]
    return {
        "format": "apex-trim car 1", "key": "wisp_125", "name": "Wisp 125", "kind": "kart, one gear",
        "wheelbase_m": 1.05, "width_m": 1.4, "fuel_l": 4, "tank_l": 8.5,
        "mass": {
            "dry_kg": 84, "driver_kg": 74, "front_share": 0.43, "cg_height_m": 0.265, "tank_from_front_m": 0.3, "tank_height_m": 0.12,
            "unsprung_front_kg": 10, "unsprung_rear_kg": 16,
        },
        "ballast": [{"key": "seat", "kg": 3, "from_front_m": 0.68, "height_m": 0.3}, {"key": "floor", "from_front_m": 0.25, "height_m": 0.05}],
        "front": {"track_m": 1.13, "spring_n_per_mm": 100, "motion_ratio": 1, "bar_n_per_mm": 0, "roll_centre_m": 0, "camber_recovery": 0.9, "tyre_n_per_mm": 95, "rigid": True, "chassis_n_per_mm": 38},
        "rear": {"track_m": 1.18, "spring_n_per_mm": 100, "motion_ratio": 1, "bar_n_per_mm": 0, "roll_centre_m": 0, "camber_recovery": 1, "tyre_n_per_mm": 105, "rigid": True, "chassis_n_per_mm": 84},
        "aero": {"drag_area_m2": 0.52, "lift_area_m2": 0, "front_share": 0.5, "ride_front_mm": 30, "ride_rear_mm": 30, "ride_reference_mm": [30, 30], "side_area_m2": 0.5, "side_from_front_m": 0.55, "tow_drag": 0.2, "tow_lift_front": 0, "tow_lift_rear": 0},
        "powertrain": {
            "torque_nm": [[5000, 11], [7000, 15], [9000, 18.5], [10500, 19.6], [11500, 18.8], [12500, 17], [13500, 14.6], [14500, 11.5], [15500, 8]],
            "gears": [1.0], "final_drive": 6.9090909091, "efficiency": 0.90, "shift_s": 0, "limit_rpm": 15500, "fuel_g_per_kwh": 420,
            "differential": {"preload_nm": 5000, "power": 0, "coast": 0}, "engine_braking": 0.17,
        },
        "brakes": {"front_share": 0.0, "max_force_n": 1900}, "steering": {"ratio": 1.3, "jerk_ms3": 50, "caster_deg": 15, "offset_mm": 90, "frame_nm_per_deg": 170},
        "tyres": {
            "radius_m": [0.129, 0.139], "cold_kpa": [62, 60, 62, 58], "camber_deg": [-0.5, -0.5, 0, 0],
            "heat": [heat(0.17, 0.37, 0.40, 13, 11, 0.15, 2.3, 0.25, 0.61), heat(0.27, 0.59, 0.60, 20, 18, 0.24, 3.3, 0.29, 0.61)],
            "compounds": [compound("teasel", "Teasel", "T", "dots", 1.72, 0.26, 66, 0.07, **tiny)],
        },
        "items": items,
    }  # fmt: skip


def touring_hatch() -> dict[str, Any]:
    items = wheels("pressure", "Cold pressure", "kPa", 110, 220, 1, [152, 152, 146, 146], 0, "cold_kpa")
    items += wheels("camber", "Camber", "°", -5, 0, 0.1, [-3.4, -3.4, -2.4, -2.4], 1, "camber_deg")
    items += axles("spring", "springs", "N/mm", [60, 180, 110], [60, 180, 120], 5, 0, "spring_n_per_mm")
    items += axles("bar", "anti-roll bar", "", [1, 7, 3], [1, 7, 5], 1, 0, "bar_n_per_mm", 12.0)
    items += axles("toe", "toe", "°", [-0.3, 0.3, -0.1], [-0.2, 0.4, 0.05], 0.05, 2, "toe_deg")
    items += [
        item("wing", "Rear wing", "rear", "", 1, 8, 1, 4, 0, "aero.wing_position"),
        item("diff_preload", "Differential preload", "car", "Nm", 0, 200, 10, 60, 0, "powertrain.differential.preload_nm"),
        item("diff_power", "Power ramp locking", "car", "%", 0, 90, 5, 35, 0, "powertrain.differential.power", 0.01),
        item("diff_coast", "Coast ramp locking", "car", "%", 0, 90, 5, 20, 0, "powertrain.differential.coast", 0.01),
        item("centre", "Torque to the front", "car", "%", 30, 60, 2, 44, 0, "powertrain.front_drive_share", 0.01),
        item("map", "Fuel map", "car", "", 1, 3, 1, 1, 0, "powertrain.map_position", names=("full", "race", "save")),
        item("restrictor", "Restrictor (torque kept)", "car", "%", 85, 100, 1, 96, 0, "powertrain.restrictor", 0.01, locked=True),
        item("brake_bias", "Brake bias", "car", "%", 58, 84, 0.5, 78.5, 1, "brakes.front_share", 0.01),
        item("final_drive", "Final drive", "car", ":1", 3.4, 5.2, 0.05, 4.0, 2, "powertrain.final_drive"),
        item("ballast_floor", "Ballast, floor", "car", "kg", 0, 80, 5, 30, 0, "ballast.0.kg"),
        *gears([3.0, 2.15, 1.65, 1.33, 1.11, 0.95], 0.01, 0.06),
        item("fuel", "Fuel load", "car", "l", 5, 60, 1, 35, 0, "fuel_l"),
        *dampers([10, 4, 13, 6], [10, 4, 13, 6], 0.4, 2.0),
    ]
    return {
        "format": "apex-trim car 1", "key": "pentlow_hare", "name": "Pentlow Hare", "kind": "four-wheel-drive touring hatch",
        "wheelbase_m": 2.62, "width_m": 1.85, "fuel_l": 35, "tank_l": 60,
        "mass": {
            "dry_kg": 1150, "driver_kg": 80, "front_share": 0.575, "cg_height_m": 0.46, "tank_from_front_m": 2.1, "tank_height_m": 0.35,
            "unsprung_front_kg": 96, "unsprung_rear_kg": 90,
        },
        "ballast": [{"key": "floor", "kg": 30, "from_front_m": 1.5, "left_m": -0.3, "height_m": 0.2}],
        "front": {"damper": damper([10, 4, 13, 6], 0.4, 2.0), "track_m": 1.60, "spring_n_per_mm": 110, "motion_ratio": 0.95, "bar_n_per_mm": 36, "roll_centre_m": 0.06, "camber_recovery": 0.2, "tyre_n_per_mm": 270, "stop_mm": 35},
        "rear": {"damper": damper([10, 4, 13, 6], 0.4, 2.0), "track_m": 1.58, "spring_n_per_mm": 120, "motion_ratio": 0.9, "bar_n_per_mm": 60, "roll_centre_m": 0.11, "camber_recovery": 0.35, "tyre_n_per_mm": 270, "stop_mm": 35},
        "aero": {
            "drag_area_m2": 0.78, "lift_area_m2": 0.55, "front_share": 0.55, "wing_drag_area_m2": 0.012, "wing_lift_area_m2": 0.04,
            "wing_behind_rear_m": 0.6, "wing_position": 4, "ride_front_mm": 75, "ride_rear_mm": 85, "ride_reference_mm": [75, 85], "lift_per_mm": 0.004,
            "side_area_m2": 2.8, "side_from_front_m": 1.2,
        },
        "powertrain": {
            "torque_nm": [[2500, 330], [3500, 405], [4500, 420], [5500, 410], [6200, 385], [6800, 345], [7200, 305]],
            "gears": [3.0, 2.15, 1.65, 1.33, 1.11, 0.95], "final_drive": 4.0, "efficiency": 0.86, "shift_s": 0.08, "limit_rpm": 7000,
            "front_drive_share": 0.44, "fuel_g_per_kwh": 310, "restrictor": 0.96, "maps": fuel_maps(),
            "differential": {"preload_nm": 60, "power": 0.35, "coast": 0.20},
        },
        "brakes": {"front_share": 0.785, "max_force_n": 26000},
        "tyres": {
            "radius_m": [0.315, 0.315], "cold_kpa": [152, 152, 146, 146], "camber_deg": [-3.4, -3.4, -2.4, -2.4],
            "heat": [heat(1.0, 3.5, 3.8, 53, 56, 0.89, 6.9, 1.5, 0.41)] * 2,
            "compounds": [
                compound("marl", "Marl", "M", "dots", 1.40, 0.045, 82, 0.085, temperature_width_c=21), compound("slate", "Slate", "S", "slant", 1.37, 0.026, 87, 0.062, temperature_width_c=21),
            ],
        },
        "items": items,
    }  # fmt: skip


def prototype() -> dict[str, Any]:
    """A closed two-seater with driver systems, a drag flap and an energy store."""
    big = {"load_ref_n": 3400, "pressure_opt_kpa": 172, "stiffness_per_rad": 38, "load_sensitivity": 0.15}
    items = wheels("pressure", "Cold pressure", "kPa", 100, 190, 1, [136, 136, 134, 134], 0, "cold_kpa")
    items += wheels("camber", "Camber", "°", -5, 0, 0.1, [-3.0, -3.0, -2.0, -2.0], 1, "camber_deg")
    items += axles("spring", "springs", "N/mm", [90, 260, 180], [90, 260, 170], 5, 0, "spring_n_per_mm")
    items += axles("bar", "anti-roll bar", "", [1, 9, 5], [1, 9, 4], 1, 0, "bar_n_per_mm", 13.0)
    items += axles("toe", "toe", "°", [-0.3, 0.3, -0.1], [-0.1, 0.4, 0.1], 0.05, 2, "toe_deg")
    items += [
        item("ride_front", "Front ride height", "front", "mm", 36, 60, 1, 44, 0, "aero.ride_front_mm"),
        item("ride_rear", "Rear ride height", "rear", "mm", 40, 75, 1, 54, 0, "aero.ride_rear_mm"),
        item("wing", "Rear wing", "rear", "", 1, 12, 1, 6, 0, "aero.wing_position"),
        item("flap", "Drag flap", "rear", "", 0, 1, 1, 1, 0, "aero.flap_position", names=("shut", "in zones")),
        *differential(60, 40, 30),
        item("traction", "Traction control", "car", "", 0, 10, 1, 3, 0, "controls.traction_level"),
        item("antilock", "Anti-lock brakes", "car", "", 0, 6, 1, 2, 0, "controls.antilock_level"),
        item("store", "Energy a lap", "car", "kJ", 0, 1600, 100, 1000, 0, "boost.lap_kj"),
        item("map", "Fuel map", "car", "", 1, 3, 1, 1, 0, "powertrain.map_position", names=("full", "race", "save")),
        item("brake_bias", "Brake bias", "car", "%", 48, 74, 0.5, 60, 1, "brakes.front_share", 0.01),
        item("final_drive", "Final drive", "car", ":1", 2.8, 4.2, 0.05, 3.5, 2, "powertrain.final_drive"),
        *gears([3.0, 2.2, 1.72, 1.4, 1.17, 1.0], 0.01, 0.06),
        item("fuel", "Fuel load", "car", "l", 5, 70, 1, 35, 0, "fuel_l"),
        *dampers([11, 5, 14, 7], [10, 5, 13, 7], 0.5, 2.0),
    ]
    return {
        "format": "apex-trim car 1", "key": "garrowby_plover", "name": "Garrowby Plover", "kind": "closed two-seater with an energy store",
        "wheelbase_m": 2.95, "width_m": 1.9, "fuel_l": 35, "tank_l": 70,
        "mass": {
            "dry_kg": 1010, "driver_kg": 75, "front_share": 0.465, "cg_height_m": 0.33, "tank_from_front_m": 1.9, "tank_height_m": 0.3,
            "unsprung_front_kg": 82, "unsprung_rear_kg": 90,
        },
        "front": {"damper": damper([11, 5, 14, 7], 0.5, 2.0), "track_m": 1.62, "spring_n_per_mm": 180, "motion_ratio": 0.85, "bar_n_per_mm": 65, "roll_centre_m": 0.03, "camber_recovery": 0.35, "tyre_n_per_mm": 280, "stop_mm": 18},
        "rear": {"damper": damper([10, 5, 13, 7], 0.5, 2.0), "track_m": 1.58, "spring_n_per_mm": 170, "motion_ratio": 0.88, "bar_n_per_mm": 52, "roll_centre_m": 0.06, "camber_recovery": 0.40, "tyre_n_per_mm": 290, "stop_mm": 20},
        "aero": {
            "drag_area_m2": 0.78, "lift_area_m2": 1.9, "front_share": 0.50, "wing_drag_area_m2": 0.02, "wing_lift_area_m2": 0.075,
            "wing_behind_rear_m": 0.4, "wing_position": 6, "flap_drag_area_m2": 0.11, "flap_lift_area_m2": 0.28,
            "ride_front_mm": 44, "ride_rear_mm": 54, "ride_reference_mm": [44, 54],
            "floor": {"share": 0.6, "power": 1.0, "best_mm": [26, 32], "gap_mm": [20, 20], "rough_mm": 4}, "side_area_m2": 2.5, "side_from_front_m": 1.4,
            "tow_drag": 0.3, "tow_lift_front": 0.3,
        },
        "powertrain": {
            "torque_nm": [[2500, 330], [3500, 405], [4500, 450], [5500, 470], [6500, 460], [7200, 430], [7800, 390]],
            "gears": [3.0, 2.2, 1.72, 1.4, 1.17, 1.0], "final_drive": 3.5, "efficiency": 0.91, "shift_s": 0.05, "limit_rpm": 7700,
            "front_drive_share": 0, "fuel_g_per_kwh": 285, "maps": fuel_maps(),
            "differential": {"preload_nm": 60, "power": 0.40, "coast": 0.30},
        },
        "brakes": {"front_share": 0.60, "max_force_n": 32000},
        "controls": {
            "traction": [round(0.99 - 0.01 * k, 2) for k in range(10)], "traction_level": 0,
            "antilock": [round(0.985 - 0.015 * k, 3) for k in range(6)], "antilock_level": 0,
        },
        "boost": {"power_kw": 110, "lap_kj": 1000, "store_kj": 2500, "recover_kw": 160, "recovered": 0.8},
        "tyres": {
            "radius_m": [0.330, 0.345], "cold_kpa": [136, 136, 134, 134], "cold_at_c": 20, "camber_deg": [-3.0, -3.0, -2.0, -2.0],
            "pressure_heat": 1.0,
            "heat": [heat(1.2, 4.2, 4.3, 63, 67, 0.86, 6.5, 1.5, 0.44), heat(1.3, 4.6, 4.8, 69, 72, 1.0, 7.4, 1.7, 0.44)],
            "compounds": [
                compound("marl", "Marl", "M", "dots", 1.52, 0.034, 84, 0.085, warm_up=1.2, **big),
                compound("slate", "Slate", "S", "slant", 1.49, 0.021, 88, 0.062, warm_up=0.8, **big),
                compound("sedge", "Sedge", "I", "bars", 1.27, 0.06, 62, 0.06, **{**big, "pressure_opt_kpa": 178, "stiffness_per_rad": 32}, wet_loss=0.185, wet_power=1.25, groove_mm=0.75, fade_loss=0.07),
                compound("burdock", "Burdock", "W", "cross", 1.20, 0.09, 45, 0.06, **{**big, "pressure_opt_kpa": 184, "stiffness_per_rad": 28}, wet_loss=0.08, wet_power=1.0, groove_mm=1.75, fade_loss=0.09),
            ],
        },
        "items": items,
    }  # fmt: skip


def straight(length: float) -> dict[str, Any]:
    return {"kind": "straight", "length_m": length}


def corner(angle: float, radius: float, transition: float, name: str, bank: float = 0) -> dict[str, Any]:
    return {"kind": "corner", "angle_deg": angle, "radius_m": radius, "transition_m": transition, "name": name, "bank_deg": bank}


def sallowmere() -> dict[str, Any]:
    return {
        "format": "apex-trim circuit 1", "key": "sallowmere_fen", "name": "Sallowmere", "layout": "Fen circuit", "width_m": 11.5, "heading_deg": 12,
        "segments": [
            straight(520),
            corner(-82, 46, 26, "Withy Bend"), straight(90),
            corner(-58, 95, 40, "Mill Rise", 2), straight(110),
            corner(96, 34, 22, "Heron Hook"), straight(120),
            corner(-38, 170, 60, "Long Acre"), straight(110),
            corner(-112, 58, 34, "Tollgate"), straight(110),
            corner(52, 70, 30, "Osier In"), straight(45),
            corner(-64, 62, 30, "Osier Out"), straight(560),
            corner(-74, 120, 60, "Weir Sweep", 3), straight(310),
            corner(-80, 27, 18, "Sluice"), straight(250),
        ],
        "sectors_m": [1030, 2080],
        "markers": [
            {"kind": "board", "at_m": 370, "side": "left", "name": "150 board"}, {"kind": "board", "at_m": 420, "side": "left", "name": "100 board"},
            {"kind": "kerb", "at_m": 590, "side": "left", "name": "exit kerb, flat", "height_mm": 25},
            {"kind": "bump", "at_m": 845, "name": "Hook dip", "height_mm": 22}, {"kind": "shadow", "at_m": 1490, "side": "right", "name": "poplar shadow"},
            {"kind": "seam", "at_m": 2195, "name": "resurfaced from here"}, {"kind": "board", "at_m": 2750, "side": "right", "name": "second board"},
            {"kind": "limit", "at_m": 2950, "side": "left", "name": "exit policed"},
        ],
        "strips": [{"from_m": 2195, "to_m": 2420, "left_m": 6, "right_m": -6, "grip": 1.015}],
        "flap_zones": [{"from_m": 40, "to_m": 420}, {"from_m": 2000, "to_m": 2360}],
        "heights_m": [[0.0, 4.0], [0.12, 6.5], [0.28, 15.0], [0.45, 9.0], [0.60, 3.0], [0.78, 0.5], [0.92, 2.5]],
    }  # fmt: skip


def hollin() -> dict[str, Any]:
    return {
        "format": "apex-trim circuit 1", "key": "hollin_bowl", "name": "Hollin", "layout": "Bowl", "width_m": 14, "heading_deg": 0,
        "segments": [
            straight(190), corner(180, 78, 60, "South Bank", 13), straight(190), corner(180, 78, 60, "North Bank", 13),
        ],
        "lanes": 3, "strips": [{"from_m": 0, "to_m": 760, "left_m": -2.5, "right_m": -7, "grip": 1.02}],
        "markers": [{"kind": "bump", "at_m": 330, "name": "tunnel", "height_mm": 18}],
    }  # fmt: skip


def quernlow() -> dict[str, Any]:
    return {
        "format": "apex-trim circuit 1", "key": "quernlow", "name": "Quernlow", "layout": "Long kart track", "width_m": 8, "heading_deg": 95,
        "markers": [{"kind": "kerb", "at_m": 400, "side": "right", "name": "Snail kerb", "height_mm": 40}],
        "segments": [
            straight(150), corner(88, 17, 8, "Gorse"), straight(45), corner(100, 12, 7, "Kettle"), straight(70), corner(-122, 14, 8, "Snail"), straight(40),
            corner(74, 22, 9, "Larch"), straight(55), corner(118, 15, 8, "Quarry"), straight(60), corner(-60, 25, 10, "Dip"), straight(35),
            corner(84, 16, 8, "Chestnut"), straight(80), corner(78, 19, 8, "Last Bend"), straight(70),
        ],
    }  # fmt: skip


def longreach() -> dict[str, Any]:
    return {
        "format": "apex-trim circuit 1", "key": "longreach", "name": "Longreach", "layout": "Standing mile", "width_m": 20, "heading_deg": 0,
        "closed": False, "segments": [straight(1609.344)], "sectors_m": [400],
        "markers": [{"kind": "board", "at_m": 1509, "side": "right", "name": "100 m to the trap"}],
    }  # fmt: skip


def main() -> None:
    cars, circuits = [coupe, single_seater, oval_saloon, kart, touring_hatch, prototype], [sallowmere, hollin, quernlow, longreach]
    for folder, makers in (("cars", cars), ("circuits", circuits)):
        for make in makers:
            value = make()
            path = HERE / folder / f"{value['key']}.json"
            path.parent.mkdir(exist_ok=True)
            path.write_text(json.dumps(value, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
