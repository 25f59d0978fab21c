"""The car as data: everything the model needs to know of it, with the bounds of every number.

Wheels are always in the order front left, front right, rear left, rear right.
"""

import itertools
from typing import Annotated, Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from ..quantities.values import Value
from .items import Item
from .levers import leaves, missing, refusal

WHEELS = ("fl", "fr", "rl", "rr")
WHEEL_WORDS = {"fl": "front left", "fr": "front right", "rl": "rear left", "rr": "rear right"}

Rate = Annotated[float, Field(gt=1, le=1000)]
Ride = Annotated[float, Field(ge=5, le=300)]
Radius = Annotated[float, Field(gt=0.05, le=1)]
#: Diameter of a rim [mm], and that of one that is not told, over its tyre's. Source: usual of cars and karts.
Rim = Annotated[float, Field(ge=80, le=700)]
_RIM_SHARE = 0.65
Pressure = Annotated[float, Field(ge=20, le=600)]
Angle = Annotated[float, Field(ge=-15, le=15)]
Speed = Annotated[float, Field(ge=0, le=30_000)]
Torque = Annotated[float, Field(ge=0, le=5000)]
Key = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class Mass(Value):
    """Masses and where they sit.

    :param dry_kg: car without driver and fuel [kg]
    :param driver_kg: driver in race wear [kg]
    :param front_share: share of dry car and driver on the front axle [-]
    :param left_share: share of dry car and driver on the left wheels [-]
    :param cross_shift: cross weight offset: weight moved onto front right and rear left by spring perches or wedges [-]
    :param cg_height_m: centre of gravity of dry car and driver, height above the road [m]
    :param tank_from_front_m: fuel tank, behind the front axle [m]
    :param tank_height_m: fuel, height above the road [m]
    :param fuel_kg_per_l: fuel density [kg/l]
    :param unsprung_front_kg: front unsprung mass [kg]
    :param unsprung_rear_kg: rear unsprung mass [kg]
    :param seat_back_mm: seat moved back from where the front share holds [mm]
    :param seat_up_mm: seat raised from where the height of the centre of gravity holds [mm]
    """

    dry_kg: float = Field(gt=50, le=3000)
    driver_kg: float = Field(ge=30, le=200)
    front_share: float = Field(gt=0.2, lt=0.8)
    left_share: float = Field(0.5, gt=0.3, lt=0.7)
    cross_shift: float = Field(0.0, gt=-0.2, lt=0.2)
    cg_height_m: float = Field(gt=0.05, le=1.2)
    tank_from_front_m: float = Field(ge=-1, le=5)
    tank_height_m: float = Field(gt=0, le=1.2)
    fuel_kg_per_l: float = Field(0.745, gt=0.6, lt=1.0)
    unsprung_front_kg: float = Field(ge=0, le=300)
    unsprung_rear_kg: float = Field(ge=0, le=300)
    seat_back_mm: float = Field(0.0, ge=-400, le=400)
    seat_up_mm: float = Field(0.0, ge=-300, le=300)


class Ballast(Value):
    """A place where ballast may be fixed.

    :param key: the place's name in files
    :param kg: ballast there [kg]
    :param from_front_m: distance behind the front axle [m]
    :param left_m: distance left of the centre line of the car [m]
    :param height_m: height above the road [m]
    """

    key: Key
    kg: float = Field(0.0, ge=0, le=300)
    from_front_m: float = Field(ge=-1, le=5)
    left_m: float = Field(0.0, ge=-1.2, le=1.2)
    height_m: float = Field(0.2, ge=0, le=1.5)


class Damper(Value):
    """Damper rates at the damper; they enter the ride analysis only, never the lap time.

    :param bump_slow: low-speed bump damping [N s/mm]
    :param bump_fast: high-speed bump damping [N s/mm]
    :param rebound_slow: low-speed rebound damping [N s/mm]
    :param rebound_fast: high-speed rebound damping [N s/mm]
    """

    bump_slow: float = Field(0.0, ge=0, le=100)
    bump_fast: float = Field(0.0, ge=0, le=100)
    rebound_slow: float = Field(0.0, ge=0, le=100)
    rebound_fast: float = Field(0.0, ge=0, le=100)


class Axle(Value):
    """One axle's suspension.

    :param track_m: track, from the middle of one tyre to that of the other [m]
    :param spring_n_per_mm: spring rate of each side [N/mm]
    :param motion_ratio: motion ratio: spring travel over wheel travel [-]
    :param bar_n_per_mm: rate of the anti-roll bar at the wheel, for opposite travel [N/mm]
    :param roll_centre_m: height of the roll centre [m]
    :param camber_recovery: camber recovery per degree of roll [-]
    :param tyre_n_per_mm: vertical rate of one tyre [N/mm]
    :param rigid: no springs (kart): only tyres and chassis flex
    :param chassis_n_per_mm: rate of a rigid axle's part of the chassis in roll, at the wheel [N/mm]
    :param stop_mm: sinking from rest at which the bump stops are met, at the wheel [mm]
    :param stop_n_per_mm: what both bump stops add to the springs, at one wheel [N/mm]
    :param toe_deg: toe of each wheel, inwards positive [deg]
    :param stagger_mm: circumference of the right tyre less that of the left one; works against a differential that locks [mm]
    :param damper: damper of the left and of the right wheel
    """

    track_m: float = Field(gt=0.5, le=2.5)
    spring_n_per_mm: tuple[Rate, Rate]
    motion_ratio: float = Field(gt=0.2, le=2)
    bar_n_per_mm: float = Field(ge=0, le=1000)
    roll_centre_m: float = Field(ge=-0.3, le=0.6)
    camber_recovery: float = Field(ge=0, le=1)
    tyre_n_per_mm: float = Field(gt=20, le=1000)
    rigid: bool = False
    chassis_n_per_mm: float = Field(100.0, gt=1, le=2000)
    stop_mm: float = Field(200.0, ge=1, le=500)
    stop_n_per_mm: float = Field(240.0, ge=0, le=2000)
    toe_deg: float = Field(0.0, ge=-3, le=3)
    stagger_mm: float = Field(0.0, ge=-150, le=150)
    damper: tuple[Damper, Damper] = (Damper(), Damper())

    @field_validator("spring_n_per_mm", mode="before")
    @classmethod
    def _one_rate_is_both(cls, value: object) -> object:
        return (value, value) if isinstance(value, int | float) else value


class Floor(Value):
    """A floor that works with its height: downforce grows as it sinks, stalls below a height, and touches.

    g(h) = 1 - A + A f(h)/f(reference), f(h) = (u exp(1 - u))^n with u = h/h_p (docs/model.md, the floor).

    :param share: share A of the body's downforce that goes with the height [-]
    :param power: n, how sharply [-]
    :param best_mm: height h_p of the front and of the rear axle at which it pulls most; below it stalls [mm]
    :param gap_mm: height of each axle at which it begins to touch [mm]
    :param rough_mm: roughness of the road under it [mm]
    :param stiff_n_per_mm: of the floor on the road [N/mm]
    :param rubbing: drag of a floor that touches, over the load that it carries [-]
    """

    share: float = Field(0.7, ge=0, le=1)
    power: float = Field(0.6, gt=0, le=4)
    best_mm: tuple[Ride, Ride]
    gap_mm: tuple[Annotated[float, Field(ge=0, le=200)], Annotated[float, Field(ge=0, le=200)]]
    rough_mm: float = Field(3.0, gt=0.2, le=30)
    stiff_n_per_mm: float = Field(300.0, ge=10, le=5000)
    rubbing: float = Field(0.3, ge=0, le=1)


class Aero(Value):
    """Downforce and drag.

    :param drag_area_m2: drag coefficient times area at wing position 0 and reference ride heights [m2]
    :param lift_area_m2: downforce coefficient times area at wing position 0 and reference ride heights [m2]
    :param front_share: aero balance: front share of downforce [-]
    :param side_area_m2: side force coefficient times area for a wind from the side, per radian of its angle [m2]
    :param side_from_front_m: where the side force acts, behind the front axle [m]
    :param tow_drag: drag saved right behind another car [-]
    :param tow_lift_front: front downforce lost right behind another car [-]
    :param tow_lift_rear: rear downforce lost right behind another car [-]
    :param wing_drag_area_m2: drag area that one wing position adds [m2]
    :param wing_lift_area_m2: downforce area that one wing position adds [m2]
    :param wing_behind_rear_m: rear wing, distance behind the rear axle [m]
    :param wing_position: position of the rear wing, 0 is the flattest [-]
    :param front_wing_drag_area_m2: drag area that one front wing position adds [m2]
    :param front_wing_lift_area_m2: downforce area that one front wing position adds [m2]
    :param front_wing_ahead_m: the front wing's place ahead of the front axle [m]
    :param front_wing_position: position of the front wing, 0 is the flattest [-]
    :param flap_drag_area_m2: drag area that an open drag flap takes away [m2]
    :param flap_lift_area_m2: downforce area of the rear wing that it takes away [m2]
    :param flap_position: 1 where the flap opens in the circuit's zones, 0 where it stays shut [-]
    :param ride_front_mm: ride height at the front axle [mm]
    :param ride_rear_mm: ride height at the rear axle [mm]
    :param ride_reference_mm: ride heights, front and rear, at which the areas hold [mm]
    :param lift_per_mm: relative gain of body downforce per mm that the mean ride height drops, without a `floor` [1/mm]
    :param share_per_mm: gain of the front share per mm of rake beyond the reference, without a `floor` [1/mm]
    :param floor: how its downforce goes with its height; straight by the two numbers before where there is none
    """

    drag_area_m2: float = Field(gt=0, le=5)
    lift_area_m2: float = Field(ge=0, le=10)
    front_share: float = Field(ge=0, le=1)
    side_area_m2: float = Field(0.0, ge=0, le=12)
    side_from_front_m: float = Field(1.2, ge=-2, le=5)
    tow_drag: float = Field(0.25, ge=0, le=0.7)
    tow_lift_front: float = Field(0.25, ge=0, le=0.9)
    tow_lift_rear: float = Field(0.1, ge=0, le=0.9)
    wing_drag_area_m2: float = Field(0.0, ge=0, le=0.2)
    wing_lift_area_m2: float = Field(0.0, ge=0, le=0.5)
    wing_behind_rear_m: float = Field(0.0, ge=-1, le=2)
    wing_position: float = Field(0.0, ge=0, le=40)
    front_wing_drag_area_m2: float = Field(0.0, ge=0, le=0.2)
    front_wing_lift_area_m2: float = Field(0.0, ge=0, le=0.5)
    front_wing_ahead_m: float = Field(0.0, ge=-1, le=2)
    front_wing_position: float = Field(0.0, ge=0, le=60)
    flap_drag_area_m2: float = Field(0.0, ge=0, le=1)
    flap_lift_area_m2: float = Field(0.0, ge=0, le=4)
    flap_position: float = Field(1.0, ge=0, le=1)
    ride_front_mm: float = Field(60.0, ge=5, le=300)
    ride_rear_mm: float = Field(60.0, ge=5, le=300)
    ride_reference_mm: tuple[Ride, Ride] = (60.0, 60.0)
    lift_per_mm: float = Field(0.0, ge=0, le=0.1)
    share_per_mm: float = Field(0.0, ge=0, le=0.05)
    floor: Floor | None = None


class FuelMap(Value):
    """:param name: what the driver reads at the switch
    :param torque: torque over that of the rated map [-]
    :param fuel: fuel for a kilowatt-hour over that of the rated map [-]"""

    name: str = Field(min_length=1, max_length=20)
    torque: float = Field(gt=0.2, le=1.2)
    fuel: float = Field(gt=0.2, le=2.0)


class Differential(Value):
    """A limited-slip differential of each driven axle.

    :param preload_nm: preload: torque it locks with no drive; a rigid axle holds any [N m]
    :param power: locking on power: share of drive torque moved across the axle [-]
    :param coast: locking on coast: share of engine-braking torque moved across the axle [-]
    """

    preload_nm: float = Field(0.0, ge=0, le=100_000)
    power: float = Field(0.0, ge=0, le=0.95)
    coast: float = Field(0.0, ge=0, le=0.95)


class Powertrain(Value):
    """Engine and drive.

    :param torque_nm: points (engine speed, torque) at full throttle, speeds rising [rpm, Nm]
    :param gears: ratio of each gear, first to last, falling
    :param final_drive: ratio behind the gearbox
    :param efficiency: share of the engine's power that reaches the wheels [-]
    :param shift_s: upshift time, no drive [s]
    :param limit_rpm: rev limit [rpm]
    :param front_drive_share: share of the drive torque on the front axle; 0 is rear-wheel drive [-]
    :param fuel_g_per_kwh: fuel for one kilowatt-hour at the crank [g/kWh]
    :param restrictor: torque kept with the restrictor, 1 where there is none [-]
    :param maps: fuel maps; the rated one where there are none
    :param map_position: the map chosen, from 1
    :param differential: differential of each driven axle
    :param engine_braking: drag of the closed engine over the mean pressure of a four-stroke one [-]
    """

    torque_nm: tuple[tuple[Speed, Torque], ...] = Field(min_length=3, max_length=400)
    gears: tuple[Annotated[float, Field(gt=0.2, le=10)], ...] = Field(min_length=1, max_length=10)
    final_drive: float = Field(gt=0.5, le=15)
    efficiency: float = Field(gt=0.5, le=1)
    shift_s: float = Field(ge=0, le=1)
    limit_rpm: float = Field(gt=1000, le=25000)
    front_drive_share: float = Field(0.0, ge=0, le=1)
    fuel_g_per_kwh: float = Field(gt=100, le=1000)
    restrictor: float = Field(1.0, gt=0.2, le=1)
    maps: tuple[FuelMap, ...] = Field((), max_length=12)
    map_position: float = Field(1.0, ge=1, le=12)
    differential: Differential = Differential()
    engine_braking: float = Field(0.7, ge=0, le=2)

    @property
    def fuel_map(self) -> FuelMap:
        """The map chosen."""
        if not self.maps:
            return FuelMap(name="rated", torque=1.0, fuel=1.0)
        return self.maps[min(round(self.map_position), len(self.maps)) - 1]

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speeds = [speed for speed, _ in self.torque_nm]
        if any(b <= a for a, b in itertools.pairwise(speeds)):
            raise ValueError("torque curve: engine speeds must rise from point to point")
        if any(torque <= 0 for _, torque in self.torque_nm):
            raise ValueError("torque curve: every torque must be above 0 N m")
        if any(b >= a for a, b in zip(self.gears, self.gears[1:], strict=False)):
            raise ValueError("gears: each ratio must be below the one before it")
        return self


#: Share of the tyres' grip that a level of a driver system lets through [-].
LetThrough = Annotated[float, Field(ge=0.5, le=1)]


class Controls(Value):
    """What holds wheels that would spin or lock.

    :param traction: share of the driven tyres' grip along that each level of the traction control lets through, level 1 first [-]
    :param traction_level: the level, from 1; 0 is off
    :param antilock: share of the tyres' grip along that each level of the anti-lock brakes lets through, level 1 first [-]
    :param antilock_level: the level, from 1; 0 is off
    """

    traction: tuple[LetThrough, ...] = Field((), max_length=20)
    traction_level: float = Field(0.0, ge=0, le=20)
    antilock: tuple[LetThrough, ...] = Field((), max_length=20)
    antilock_level: float = Field(0.0, ge=0, le=20)

    @property
    def traction_share(self) -> float | None:
        """What the traction control lets through [-]; None where it is off."""
        return _level(self.traction, self.traction_level)

    @property
    def antilock_share(self) -> float | None:
        """What the anti-lock brakes let through [-]; None where they are off."""
        return _level(self.antilock, self.antilock_level)

    @model_validator(mode="after")
    def _levels_are_there(self) -> Self:
        for words, levels, level in (
            ("traction", self.traction, self.traction_level), ("antilock", self.antilock, self.antilock_level),
        ):  # fmt: skip
            if round(level) > len(levels):
                raise ValueError(f"{words}_level: level {level:g} of {len(levels)}")
        return self


def _level(levels: tuple[float, ...], level: float) -> float | None:
    """What a level lets through; None for 0, which is off."""
    return levels[min(round(level), len(levels)) - 1] if levels and round(level) > 0 else None


class Boost(Value):
    """An energy store that drives the car beside its engine, and is filled by braking.

    :param power_kw: power at the wheels; 0 where there is no store [kW]
    :param lap_kj: most that may be spent on a lap [kJ]
    :param store_kj: what the store holds [kJ]
    :param recover_kw: greatest power that braking gives back, at the driven wheels [kW]
    :param recovered: share of it that is there to be spent again [-]
    """

    power_kw: float = Field(0.0, ge=0, le=1500)
    lap_kj: float = Field(0.0, ge=0, le=100_000)
    store_kj: float = Field(0.0, ge=0, le=1_000_000)
    recover_kw: float = Field(0.0, ge=0, le=1500)
    recovered: float = Field(0.8, ge=0, le=1)


class Brakes(Value):
    """:param front_share: share of the braking force at the front [-]
    :param max_force_n: greatest braking force of all four wheels [N]"""

    front_share: float = Field(ge=0, lt=0.95)
    max_force_n: float = Field(gt=500, le=100_000)


#: What a soaked road takes from the grip of a kind of tyre, and how that grows with wetness [-]; a slick's is taken where no kind is known.
#: Source: a study on this product's lap; slicks and road tyres by published wet tests from memory, the others assumptions (docs/model.md).
SLICK_IN_WET = (0.33, 0.62)
IN_WET: dict[str, tuple[float, float]] = {
    "slick": SLICK_IN_WET, "kart": SLICK_IN_WET, "semi": (0.23, 0.90), "road": (0.16, 1.0), "intermediate": (0.185, 1.25),
    "wet": (0.08, 1.0), "kart_wet": (0.08, 1.0),
}  # fmt: skip
#: Depth of the grooves by their share of the tread of a kind of new tyre [mm]; none where no kind is known. Source: assumptions of a study
#: on this product's lap: 3 mm on a quarter, 5 on a third, 8 on three tenths of the tread.
GROOVES: dict[str, float] = {"semi": 0.5, "road": 2.4, "intermediate": 0.75, "wet": 1.75, "kart_wet": 1.75}


class Compound(Value):
    """A tyre compound on this car.

    Grip of a tyre is its peak friction at the reference load times one factor per condition
    (load, inclination, hot pressure, temperature, wear); see `vehicle.tyres`.

    :param key: name in files
    :param name: name on the screen
    :param letter: the letter it is marked by
    :param hatch: the hatch it is drawn with
    :param mu: peak lateral friction at the reference load, everything else ideal [-]
    :param mu_long_ratio: longitudinal over lateral peak friction [-]
    :param load_ref_n: reference load [N]
    :param load_sensitivity: relative loss of friction when the load doubles [-]
    :param stiffness_per_rad: cornering stiffness over load [1/rad]
    :param inclination_opt_deg: best camber to the road in a corner [deg]
    :param inclination_loss: cornering grip lost per squared degree off the best camber [1/deg2]
    :param inclination_long_loss: braking and driving grip lost per squared degree of camber [1/deg2]
    :param pressure_opt_kpa: best hot gauge pressure at the reference load [kPa]
    :param pressure_opt_kpa_per_kn: growth of the best pressure with load [kPa/kN]
    :param pressure_loss: grip lost when hot pressure is 100 % off, growing with its square [-]
    :param temperature_opt_c: best tyre temperature [degC]
    :param temperature_width_c: distance from the best temperature at which the next value is lost [K]
    :param temperature_loss: grip lost that far from the best temperature [-]
    :param wear_per_mj: share of the tread that one megajoule of sliding takes [1/MJ]
    :param wear_loss: relative loss of grip of a tyre worn to the cliff [-]
    :param cliff_wear: wear at the cliff [-]
    :param cliff_loss: further grip lost between the cliff and a bare tyre [-]
    :param rolling: rolling resistance over load [-]
    :param warm_up: how quickly its skin takes up heat, over that of the car's usual tyre [-]
    :param fade_loss: grip that a tread lost to long heat lacks, until it has been spared [-]
    :param wet_loss: grip that a soaked road takes from it [-]
    :param wet_power: how that grows with wetness: below 1 the first water takes most [-]
    :param groove_mm: depth of its grooves by their share of the tread, new [mm]
    """

    key: Key
    name: str = Field(min_length=1, max_length=40)
    letter: str = Field(min_length=1, max_length=2)
    hatch: Literal["solid", "dots", "slant", "cross", "bars"]
    mu: float = Field(gt=0.2, le=4)
    mu_long_ratio: float = Field(1.0, gt=0.5, le=1.5)
    load_ref_n: float = Field(gt=100, le=20_000)
    load_sensitivity: float = Field(ge=0, le=0.6)
    stiffness_per_rad: float = Field(gt=3, le=1e9)
    inclination_opt_deg: float = Field(0.0, ge=-5, le=8)
    inclination_loss: float = Field(0.0, ge=0, le=0.05)
    inclination_long_loss: float = Field(0.0, ge=0, le=0.05)
    pressure_opt_kpa: float = Field(gt=20, le=500)
    pressure_opt_kpa_per_kn: float = Field(0.0, ge=0, le=50)
    pressure_loss: float = Field(0.0, ge=0, le=5)
    temperature_opt_c: float = Field(ge=0, le=150)
    temperature_width_c: float = Field(gt=1, le=100)
    temperature_loss: float = Field(0.0, ge=0, le=0.5)
    wear_per_mj: float = Field(ge=0, le=1)
    wear_loss: float = Field(ge=0, le=0.5)
    cliff_wear: float = Field(gt=0.1, le=1)
    cliff_loss: float = Field(ge=0, le=0.8)
    rolling: float = Field(ge=0, le=0.1)
    warm_up: float = Field(1.0, ge=0.2, le=5)
    fade_loss: float = Field(0.045, ge=0, le=0.3)
    wet_loss: float = Field(SLICK_IN_WET[0], ge=0, le=0.8)
    wet_power: float = Field(SLICK_IN_WET[1], ge=0.3, le=3)
    groove_mm: float = Field(0.0, ge=0, le=8)

    @model_validator(mode="before")
    @classmethod
    def _of_its_kind(cls, data: Any) -> Any:
        """A file of before water was the compound's own says nothing of it: by its kind where its key tells one, else as a slick."""
        if not isinstance(data, dict):
            return data
        if "wet_loss" not in data and data.get("key") in IN_WET:
            loss, power = IN_WET[data["key"]]
            data = {"wet_loss": loss, "wet_power": power, **data}
        return data if "groove_mm" in data or data.get("key") not in GROOVES else {"groove_mm": GROOVES[data["key"]], **data}


class TyreHeat(Value):
    """How the heat of one tyre flows: skin, tread, and carcass with its gas.

    :param skin_j_per_k: heat capacity of the tread's skin [J/K]
    :param tread_j_per_k: heat capacity of the rest of the tread [J/K]
    :param carcass_j_per_k: heat capacity of the carcass with its gas [J/K]
    :param skin_tread_w_per_k: heat between skin and tread [W/K]
    :param tread_carcass_w_per_k: heat between tread and carcass [W/K]
    :param air: heat from the skin to the air, times speed to the power 0.8 [W/K]
    :param road: heat from the skin to the road, times the root of speed [W/K]
    :param wall: heat from the carcass through the sidewalls, times speed to the power 0.8 [W/K]
    :param slide_share: part of the sliding work that the tyre keeps [-]
    """

    skin_j_per_k: float = Field(gt=10, le=20_000)
    tread_j_per_k: float = Field(gt=20, le=50_000)
    carcass_j_per_k: float = Field(gt=20, le=50_000)
    skin_tread_w_per_k: float = Field(gt=0, le=2000)
    tread_carcass_w_per_k: float = Field(gt=0, le=2000)
    air: float = Field(ge=0.001, le=50)
    road: float = Field(ge=0, le=200)
    wall: float = Field(ge=0.001, le=50)
    slide_share: float = Field(gt=0, le=1)


#: A tyre of 10 kJ/K whose numbers are scaled where a car gives no `heat` of its own. Source: an assumption (docs/model.md).
_USUAL_HEAT = TyreHeat(
    skin_j_per_k=700, tread_j_per_k=4050, carcass_j_per_k=4200, skin_tread_w_per_k=61, tread_carcass_w_per_k=65, air=1.03, road=7.7,
    wall=1.6, slide_share=0.44,
)  # fmt: skip
_USUAL_J_PER_K, _KEPT_OF_SLIDING = 10_500.0, 2.2


class Tyres(Value):
    """What all compounds of the car share.

    :param radius_m: rolling radius of each axle's tyres, front and rear [m]
    :param rim_mm: diameter of each axle's rims, across which toe is measured; 0.65 of the tyre's where none is told [mm]
    :param cold_kpa: cold gauge pressure of each wheel [kPa]
    :param cold_at_c: temperature at which cold pressures are set [degC]
    :param camber_deg: static camber of each wheel; negative leans the top inwards [deg]
    :param heat_share: part of the sliding work that heats the tyre's grip, where no `heat` is given [-]
    :param cooling_w_per_k: no longer read; kept for older files [W/K]
    :param cooling_w_per_k_ms: no longer read; kept for older files [W/K per m/s]
    :param heat_capacity_j_per_k: heat capacity of one tyre with its gas and rim, where no `heat` is given [J/K]
    :param surface_share: no longer read; kept for older files [-]
    :param conduction_w_per_k: no longer read; kept for older files [W/K]
    :param carcass_w_per_k: no longer read; kept for older files [W/K]
    :param heat: how the heat of a front and of a rear tyre flows; scaled from a usual tyre where there is none
    :param pressure_heat: how far pressure and camber change what rolling and leaning heat a tyre: 1 as tests have it, 0 not at all, as in
        files of before [-]
    :param compounds: the compounds that fit
    """

    radius_m: tuple[Radius, Radius]
    rim_mm: tuple[Rim, Rim] | None = None
    cold_kpa: tuple[Pressure, Pressure, Pressure, Pressure]
    cold_at_c: float = Field(20.0, ge=-20, le=60)
    camber_deg: tuple[Angle, Angle, Angle, Angle]
    heat_share: float = Field(0.2, gt=0, le=1)
    cooling_w_per_k: float = Field(20.0, gt=0, le=500)
    cooling_w_per_k_ms: float = Field(0.8, ge=0, le=20)
    heat_capacity_j_per_k: float = Field(10_500.0, gt=500, le=100_000)
    surface_share: float = Field(0.2, ge=0.02, le=0.9)
    conduction_w_per_k: float = Field(100.0, gt=0, le=1000)
    carcass_w_per_k: float = Field(4.0, gt=0, le=200)
    heat: tuple[TyreHeat, TyreHeat] | None = None
    pressure_heat: float = Field(0.0, ge=0, le=1)
    compounds: tuple[Compound, ...] = Field(min_length=1, max_length=20)

    def rim_of(self, axle: int) -> float:
        """Diameter of an axle's rims [mm]."""
        return self.rim_mm[axle] if self.rim_mm is not None else round(_RIM_SHARE * 2000.0 * self.radius_m[axle])

    def heat_of(self, wheel: int) -> TyreHeat:
        """How the heat of a wheel's tyre flows."""
        if self.heat is not None:
            return self.heat[wheel // 2]
        scale = self.heat_capacity_j_per_k / _USUAL_J_PER_K
        sized = {name: scale * value for name, value in _USUAL_HEAT if name != "slide_share"}
        return TyreHeat(**sized, slide_share=min(_KEPT_OF_SLIDING * self.heat_share, 1.0))

    def compound(self, key: str) -> Compound:
        """The compound with this key; `KeyError` if the car has none."""
        for compound in self.compounds:
            if compound.key == key:
                return compound
        raise KeyError(key)


class Steering(Value):
    """How fast a car is made to turn otherwise, which is what a line may ask of its driver's hands.

    :param ratio: turn of the steering wheel over that of the front wheels [-]
    :param hands_deg_per_s: how fast the wheel is turned [deg/s]
    :param jerk_ms3: how fast lateral acceleration is made to rise [m/s3]
    :param caster_deg: caster, which with `offset_mm` lifts the frame on its inner front wheel as it is steered [deg]
    :param offset_mm: distance of the wheel's middle from its steering axis [mm]
    :param frame_nm_per_deg: twist of a frame without springs; 0 where steering does not lift it [N m/deg]
    """

    ratio: float = Field(13.0, gt=0.5, le=40)
    hands_deg_per_s: float = Field(400.0, ge=50, le=2000)
    jerk_ms3: float = Field(30.0, ge=3, le=300)
    caster_deg: float = Field(0.0, ge=-5, le=40)
    offset_mm: float = Field(0.0, ge=0, le=300)
    frame_nm_per_deg: float = Field(0.0, ge=0, le=10_000)


#: The levers of driver systems, and the levels that each picks one of.
_LEVELS = {"controls.traction_level": "traction", "controls.antilock_level": "antilock"}


class Car(Value):
    """A car: the physical values at its base setting, and the items one can adjust.

    :param format: marks a file as a car
    :param key: name in files
    :param name: name on the screen
    :param kind: kind of car
    :param wheelbase_m: wheelbase [m]
    :param width_m: greatest width, which keeps the line off the edge of the road [m]
    :param fuel_l: fuel on board [l]
    :param tank_l: fuel that the tank holds [l]
    :param mass: masses and where they sit
    :param ballast: places where ballast may be fixed
    :param front: the front axle
    :param rear: the rear axle
    :param aero: downforce and drag
    :param powertrain: engine and drive
    :param brakes: braking share and force
    :param controls: what holds wheels that would spin or lock
    :param boost: an energy store beside the engine
    :param tyres: what all compounds share, and the compounds
    :param steering: how fast it is made to turn otherwise
    :param items: what can be adjusted
    """

    format: Literal["apex-trim car 1"] = "apex-trim car 1"
    key: Key
    name: str = Field(min_length=1, max_length=60)
    kind: str = Field(min_length=1, max_length=60)
    wheelbase_m: float = Field(gt=0.5, le=5)
    width_m: float = Field(1.8, ge=0.8, le=2.6)
    fuel_l: float = Field(30.0, ge=0, le=500)
    tank_l: float = Field(gt=0, le=500)
    mass: Mass
    ballast: tuple[Ballast, ...] = Field((), max_length=8)
    front: Axle
    rear: Axle
    aero: Aero
    powertrain: Powertrain
    brakes: Brakes
    controls: Controls = Controls()
    boost: Boost = Boost()
    tyres: Tyres
    steering: Steering = Steering()
    items: tuple[Item, ...] = Field(min_length=1, max_length=200)

    @model_validator(mode="after")
    def _items_are_distinct(self) -> Self:
        keys = [item.key for item in self.items]
        doubled = sorted({key for key in keys if keys.count(key) > 1})
        if doubled:
            raise ValueError(f"items: {', '.join(doubled)} stands there more than once")
        return self

    @model_validator(mode="after")
    def _items_can_move_what_they_say(self) -> Self:
        moved_by: dict[str, Item] = {}
        for item in self.items:
            lacking = missing(self, item.sets)
            if lacking:
                raise ValueError(f"{item.name}: it sets {item.sets}, but the car does not have {lacking}")
            for leaf in leaves(item.sets):
                other = moved_by.setdefault(leaf, item)
                if other is not item:
                    raise ValueError(f"{item.name}: {leaf} is set by {other.name} already; expected one item for each value")
            for value in (item.low, item.high):
                why = refusal(Car, item.sets, item.physical(value))
                if why:
                    raise ValueError(f"{item.name}: at {item.text(value)} it sets {item.sets} to {item.physical(value):g}; {why}")
            if item.sets == "powertrain.map_position" and item.physical(item.high) > len(self.powertrain.maps):
                raise ValueError(f"{item.name}: its highest value is map {item.physical(item.high):g} of {len(self.powertrain.maps)}")
            if item.sets in _LEVELS:
                levels = len(getattr(self.controls, _LEVELS[item.sets]))
                if item.physical(item.high) > levels:
                    raise ValueError(f"{item.name}: its highest value is level {item.physical(item.high):g} of {levels}")
        return self

    @model_validator(mode="after")
    def _base_gears_fall(self) -> Self:
        ratios = list(self.powertrain.gears)
        for item in self.items:
            if item.sets.startswith("powertrain.gears."):
                ratios[int(item.sets.rsplit(".", 1)[1])] = item.physical(item.base)
        for number, (before, after) in enumerate(itertools.pairwise(ratios), start=2):
            if after >= before:
                raise ValueError(f"gears: gear {number} is {after:g} on the base sheet; expected less than gear {number - 1}, {before:g}")
        return self

    @model_validator(mode="after")
    def _toe_has_its_rim(self) -> Self:
        rims = {"front.toe_deg": self.tyres.rim_of(0), "rear.toe_deg": self.tyres.rim_of(1)}
        if any(item.sets in rims for item in self.items):
            items = tuple(item.model_copy(update={"rim_mm": rims[item.sets]}) if item.sets in rims else item for item in self.items)
            object.__setattr__(self, "items", items)
        return self

    def free_item(self, lever: str) -> Item | None:
        """The item that moves this physical value and may be adjusted; None if the car has none."""
        return next((item for item in self.items if item.sets == lever and not item.locked), None)

    def item(self, key: str) -> Item:
        """The item with this key; `KeyError` if the car has none."""
        for item in self.items:
            if item.key == key:
                return item
        raise KeyError(key)
