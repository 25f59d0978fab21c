"""Writes the demo's cars and circuits as files of the product's own formats. Run it after changing a value here."""

import json
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
WHEELS = [("fl", "front left", 0), ("fr", "front right", 1), ("rl", "rear left", 2), ("rr", "rear right", 3)]


def item(
    key: str,
    name: str,
    place: str,
    unit: str,
    low: float,
    high: float,
    step: float,
    base: float,
    decimals: int,
    sets: str,
    scale: float = 1.0,
    offset: float = 0.0,
) -> dict[str, Any]:
    return {
        "key": key, "name": name, "place": place, "unit": unit, "low": low, "high": high, "step": step, "base": base,
        "decimals": decimals, "sets": sets, "scale": scale, "offset": offset,
    }  # fmt: skip


def compound(key: str, name: str, letter: str, hatch: str, mu: float, wear: float, best_c: float, loss: float) -> dict[str, Any]:
    return {
        "key": key, "name": name, "letter": letter, "hatch": hatch,
        "mu": mu, "mu_long_ratio": 1.06, "load_ref_n": 3600, "load_sensitivity": 0.17, "stiffness_per_rad": 34,
        "inclination_opt_deg": 2.2, "inclination_loss": 0.0022, "inclination_long_loss": 0.0020,
        "pressure_opt_kpa": 188, "pressure_opt_kpa_per_kn": 5.5, "pressure_loss": 1.1,
        "temperature_opt_c": best_c, "temperature_width_c": 26, "temperature_loss": 0.035,
        "wear_per_mj": wear, "wear_loss": loss, "cliff_wear": 0.72, "cliff_loss": 0.16, "rolling": 0.013,
    }  # fmt: skip


def coupe() -> dict[str, Any]:
    items = [
        item(f"pressure_{w}", f"Cold pressure {words}", w, "kPa", 110, 200, 1, 140 if n < 2 else 136, 0, f"tyres.cold_kpa.{n}")
        for w, words, n in WHEELS
    ]
    items += [
        item(f"camber_{w}", f"Camber {words}", w, "°", -5.0, 0.0, 0.1, -3.2 if n < 2 else -2.4, 1, f"tyres.camber_deg.{n}")
        for w, words, n in WHEELS
    ]
    items += [
        item("spring_front", "Front springs", "front", "N/mm", 90, 210, 5, 150, 0, "front.spring_n_per_mm"),
        item("spring_rear", "Rear springs", "rear", "N/mm", 80, 210, 5, 145, 0, "rear.spring_n_per_mm"),
        item("bar_front", "Front bar", "front", "", 1, 9, 1, 5, 0, "front.bar_n_per_mm", 14.0, 0.0),
        item("bar_rear", "Rear bar", "rear", "", 1, 9, 1, 4, 0, "rear.bar_n_per_mm", 12.0, 0.0),
        item("ride_front", "Front ride height", "front", "mm", 52, 75, 1, 60, 0, "aero.ride_front_mm"),
        item("ride_rear", "Rear ride height", "rear", "mm", 55, 90, 1, 68, 0, "aero.ride_rear_mm"),
        item("wing", "Rear wing", "rear", "", 1, 12, 1, 6, 0, "aero.wing_position"),
        item("brake_bias", "Brake bias", "car", "%", 60, 78, 0.5, 69, 1, "brakes.front_share", 0.01),
        item("final_drive", "Final drive", "car", ":1", 3.2, 4.6, 0.05, 3.9, 2, "powertrain.final_drive"),
        item("fuel", "Fuel", "car", "l", 5, 62, 1, 40, 0, "fuel_l"),
    ]
    return {
        "format": "apex-trim car 1", "key": "brackendale_gt", "name": "Brackendale Gannet", "kind": "front-engined GT coupé",
        "wheelbase_m": 2.68, "fuel_l": 40, "tank_l": 62,
        "mass": {
            "dry_kg": 1235, "driver_kg": 80, "front_share": 0.495, "cg_height_m": 0.43,
            "tank_from_front_m": 2.2, "tank_height_m": 0.38, "unsprung_front_kg": 92, "unsprung_rear_kg": 98,
        },
        "front": {"track_m": 1.66, "spring_n_per_mm": 150, "motion_ratio": 0.82, "bar_n_per_mm": 70, "roll_centre_m": 0.05, "camber_recovery": 0.35, "tyre_n_per_mm": 290},
        "rear": {"track_m": 1.64, "spring_n_per_mm": 145, "motion_ratio": 0.86, "bar_n_per_mm": 48, "roll_centre_m": 0.09, "camber_recovery": 0.40, "tyre_n_per_mm": 300},
        "aero": {
            "drag_area_m2": 0.88, "lift_area_m2": 1.25, "front_share": 0.60, "wing_drag_area_m2": 0.015, "wing_lift_area_m2": 0.055,
            "wing_behind_rear_m": 0.55, "wing_position": 6, "ride_front_mm": 60, "ride_rear_mm": 68, "ride_reference_mm": [60, 68],
            "lift_per_mm": 0.006, "share_per_mm": 0.0035,
        },
        "powertrain": {
            "torque_nm": [[2000, 340], [3000, 425], [4000, 478], [4800, 500], [5600, 497], [6400, 470], [7000, 436], [7500, 398]],
            "gears": [3.05, 2.18, 1.68, 1.36, 1.13, 0.96], "final_drive": 3.9, "efficiency": 0.91, "shift_s": 0.09, "limit_rpm": 7400,
            "front_drive_share": 0, "fuel_g_per_kwh": 300,
        },
        "brakes": {"front_share": 0.69, "max_force_n": 30000},
        "tyres": {
            "radius_m": [0.325, 0.335], "cold_kpa": [140, 140, 136, 136], "cold_at_c": 20, "camber_deg": [-3.2, -3.2, -2.4, -2.4],
            "heat_share": 0.20, "cooling_w_per_k": 24, "cooling_w_per_k_ms": 0.80, "heat_capacity_j_per_k": 11000,
            "compounds": [
                compound("marl", "Marl", "M", "dots", 1.47, 0.041, 86, 0.085),
                compound("slate", "Slate", "S", "slant", 1.442, 0.0235, 90, 0.062),
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
        "heights_m": [[0.0, 4.0], [0.12, 6.5], [0.28, 15.0], [0.45, 9.0], [0.60, 3.0], [0.78, 0.5], [0.92, 2.5]],
    }  # fmt: skip


def main() -> None:
    for folder, value in (("cars", coupe()), ("circuits", sallowmere())):
        path = HERE / folder / f"{value['key']}.json"
        path.parent.mkdir(exist_ok=True)
        path.write_text(json.dumps(value, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
