"""Kinds of cars and of tyres: what such a one usually has, where its driver did not say.

Source: ranges of the handbooks of the field (Milliken & Milliken, ch. 2, 14 to 17; Gillespie, ch. 2 to 5) and an assumption of this
product within them; each is told to the racer with its spread (`quick`).
"""

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Kind:
    """A kind of car; pairs are front and rear.

    :param words: as it stands on the screen
    :param wheelbase_m: [m]
    :param width_m: [m]
    :param track_m: [m]
    :param tank_l: [l]
    :param front_share: of the mass, where it is proposed [-]
    :param left_share: of the mass [-]
    :param cg_height_m: [m]
    :param unsprung: unsprung mass over that of the car with its driver [-]
    :param radius_m: rolling radius of its tyres [m]
    :param ride_hz: ride frequency [Hz]
    :param bar_share: roll stiffness of the anti-roll bar over that of the springs [-]
    :param motion_ratio: spring travel over wheel travel [-]
    :param roll_centre_m: [m]
    :param camber_recovery: per degree of roll [-]
    :param stop_mm: sinking at which the bump stops are met [mm]
    :param ride_mm: ride heights [mm]
    :param camber_deg: [deg]
    :param drag_area_m2: [m2]
    :param lift_area_m2: downforce area of the body where there is a wing [m2]
    :param wing_lift_area_m2: of one of eight wing positions [m2]
    :param aero_front: front share of the downforce [-]
    :param shift_s: upshift [s]
    :param fuel_g_per_kwh: [g/kWh]
    :param engine_braking: drag of the closed engine [-]
    :param differential: its values
    :param steering: its values
    :param rigid: whether it has no springs
    :param chassis_n_per_mm: stiffness of the frame in roll of a rigid one with 158 kg [N/mm]
    :param rear_brakes: whether only the rear wheels are braked
    """

    words: str
    wheelbase_m: float
    width_m: float
    track_m: tuple[float, float]
    tank_l: float
    front_share: float
    cg_height_m: float
    unsprung: tuple[float, float]
    radius_m: tuple[float, float]
    ride_hz: tuple[float, float]
    drag_area_m2: float
    lift_area_m2: float
    wing_lift_area_m2: float
    ride_mm: tuple[float, float]
    camber_deg: tuple[float, float]
    left_share: float = 0.5
    bar_share: tuple[float, float] = (0.8, 0.5)
    motion_ratio: float = 0.9
    roll_centre_m: tuple[float, float] = (0.05, 0.09)
    camber_recovery: tuple[float, float] = (0.3, 0.35)
    stop_mm: float = 35.0
    aero_front: float = 0.45
    shift_s: float = 0.15
    fuel_g_per_kwh: float = 310.0
    engine_braking: float = 0.7
    differential: Mapping[str, float] = field(default_factory=lambda: {"preload_nm": 60.0, "power": 0.3, "coast": 0.2})
    steering: Mapping[str, float] = field(default_factory=dict)
    rigid: bool = False
    chassis_n_per_mm: tuple[float, float] = (38.0, 84.0)
    rear_brakes: bool = False


KINDS: dict[str, Kind] = {
    "kart": Kind(
        "kart", 1.05, 1.4, (1.13, 1.18), 8.5, 0.43, 0.265, (0.06, 0.10), (0.129, 0.139), (0.0, 0.0), 0.52, 0.0, 0.0, (30, 30),
        (-0.5, 0.0),
        roll_centre_m=(0.0, 0.0), camber_recovery=(0.9, 1.0), motion_ratio=1.0, fuel_g_per_kwh=420.0, engine_braking=0.17,
        differential={"preload_nm": 5000.0, "power": 0.0, "coast": 0.0},
        steering={"ratio": 1.3, "jerk_ms3": 50, "caster_deg": 15, "offset_mm": 90, "frame_nm_per_deg": 170}, rigid=True, rear_brakes=True,
    ),
    "saloon": Kind(
        "saloon or hatch", 2.60, 1.78, (1.52, 1.50), 50, 0.58, 0.48, (0.075, 0.07), (0.30, 0.30), (2.0, 2.1), 0.72, 0.35, 0.035, (90, 95),
        (-3.0, -2.0), stop_mm=45,
    ),
    "coupe": Kind(
        "coupé or GT", 2.62, 1.88, (1.62, 1.60), 65, 0.50, 0.44, (0.07, 0.075), (0.325, 0.33), (2.6, 2.7), 0.82, 0.9, 0.05, (65, 72),
        (-3.2, -2.4), shift_s=0.10,
    ),
    "roadster": Kind(
        "light sports car", 2.30, 1.68, (1.42, 1.44), 40, 0.47, 0.42, (0.085, 0.09), (0.285, 0.29), (2.1, 2.2), 0.62, 0.3, 0.03, (85, 90),
        (-2.6, -1.8),
    ),
    "single_seater": Kind(
        "single-seater", 2.60, 1.70, (1.48, 1.45), 38, 0.44, 0.30, (0.075, 0.09), (0.28, 0.29), (3.2, 3.3), 0.58, 0.7, 0.06, (28, 40),
        (-3.0, -2.0), bar_share=(0.5, 0.35), motion_ratio=0.95, roll_centre_m=(0.02, 0.05), stop_mm=15, shift_s=0.06,
    ),
    "oval": Kind(
        "oval car", 2.72, 1.95, (1.62, 1.62), 75, 0.50, 0.44, (0.08, 0.13), (0.335, 0.34), (2.2, 1.9), 0.82, 0.3, 0.03, (80, 105),
        (-3.0, 0.0), left_share=0.54, bar_share=(0.35, 0.0), motion_ratio=0.85, roll_centre_m=(0.05, 0.26),
        camber_recovery=(0.4, 1.0), shift_s=0.2, fuel_g_per_kwh=330.0, differential={"preload_nm": 120.0, "power": 0.3, "coast": 0.2},
    ),
}  # fmt: skip


@dataclass(frozen=True)
class TyreKind:
    """A kind of tyre.

    :param key: its name in files
    :param words: as it stands on the screen
    :param mu: peak friction, warm and at its pressure [-]
    :param hot_kpa: best hot pressure [kPa]
    :param best_c: best temperature [degC]
    :param width_c: distance from it at which some grip is lost [K]
    :param load_sensitivity: grip lost when the load doubles [-]
    :param stiffness_per_rad: cornering stiffness over load [1/rad]
    :param camber_opt_deg: best camber to the road [deg]
    :param rate_per_load: vertical rate over its usual load [1/m]
    :param rolling: rolling resistance over load [-]
    :param worn_mj: sliding work that takes the tread of a tyre that carries 3500 N [MJ]
    :param slide_share: part of the sliding work that it keeps [-]
    :param fade_loss: grip lost to long heat [-]
    """

    key: str
    words: str
    mu: float
    hot_kpa: float
    best_c: float
    width_c: float
    load_sensitivity: float
    stiffness_per_rad: float
    camber_opt_deg: float
    rate_per_load: float
    rolling: float
    worn_mj: float
    slide_share: float
    fade_loss: float = 0.045

    def wear(self, load_n: float) -> float:
        """Share of the tread that one megajoule takes from a tyre of this load: a larger one has more tread [1/MJ]."""
        return round(min(3500.0 / load_n / self.worn_mj, 0.9), 4)


TYRES: dict[str, TyreKind] = {
    "road": TyreKind("road", "road tyres", 1.05, 230, 55, 28, 0.18, 22, 1.5, 65.0, 0.013, 60.0, 0.40),
    "semi": TyreKind("semi", "road-legal track tyres", 1.20, 215, 68, 24, 0.17, 28, 2.0, 70.0, 0.013, 40.0, 0.42),
    "slick": TyreKind("slick", "slicks", 1.42, 188, 82, 21, 0.16, 34, 2.2, 80.0, 0.013, 24.0, 0.44),
    "intermediate": TyreKind("intermediate", "intermediates", 1.20, 195, 62, 26, 0.165, 30, 2.0, 78.0, 0.014, 12.0, 0.44, 0.07),
    "wet": TyreKind("wet", "wets", 1.13, 200, 45, 25, 0.17, 26, 1.8, 75.0, 0.015, 8.0, 0.44, 0.09),
    "kart": TyreKind("kart", "kart slicks", 1.70, 82, 64, 20, 0.10, 26, 0.5, 240.0, 0.020, 38.0, 0.61),
    "kart_wet": TyreKind("kart_wet", "wets for karts", 1.35, 85, 45, 24, 0.11, 22, 0.5, 220.0, 0.021, 13.0, 0.61, 0.09),
}


#: Tyres for the wet that go with dry ones; road tyres are driven in any weather, and road-legal track tyres as long as intermediates.
FOR_THE_WET: dict[str, tuple[str, ...]] = {"slick": ("intermediate", "wet"), "semi": ("wet",), "kart": ("kart_wet",)}
#: Best hot pressure of the tyre from which the flow of heat is scaled [kPa].
_SCALED_KPA = 188.0


def heat_of(load_n: float, tyre: TyreKind) -> dict[str, float]:
    """The flow of a tyre's heat, scaled from one of 4000 N with the load that it carries: heat capacities with its mass, which goes with
    the load, what passes through surfaces with the load to the power 0.85, and what passes into the road with the patch, load over
    pressure.

    Source: similarity; a cube's surface grows with its mass to the power 2/3, a tyre gets wider rather than larger.
    """
    mass, surface = load_n / 4000.0, (load_n / 4000.0) ** 0.85
    return {
        "skin_j_per_k": round(700 * mass, 1), "tread_j_per_k": round(4050 * mass, 1), "carcass_j_per_k": round(4200 * mass, 1),
        "skin_tread_w_per_k": round(61 * surface, 2), "tread_carcass_w_per_k": round(65 * surface, 2), "air": round(1.03 * surface, 3),
        "road": round(7.7 * surface * _SCALED_KPA / tyre.hot_kpa, 2), "wall": round(1.6 * surface, 3), "slide_share": tyre.slide_share,
    }  # fmt: skip
