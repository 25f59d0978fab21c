"""What goes into the kernel and what comes out of it, as plain arrays.

The compiler sees the record's layout in the type of its argument, so that a change here makes it compile anew.
"""

import numpy as np

SPEED_POINTS = 560  #: length of the thrust table; at the kernel's step up to 140 m/s

#: What the kernel knows of a car; filled by `lap.assembly`.
CAR = np.dtype(
    [
        ("mass", "f8"),  # [kg]
        ("wheelbase", "f8"),  # [m]
        ("cg_behind", "f8"),  # centre of gravity behind the front axle [m]
        ("cg_height", "f8"),  # [m]
        ("static", "f8", (4,)),  # share of the weight on each wheel [-]
        ("lateral_front", "f8"),  # front load transfer over m ay: from wheel to wheel [-]
        ("lateral_rear", "f8"),  # the same at the rear [-]
        ("track_front", "f8"),  # [m]
        ("track_rear", "f8"),  # [m]
        ("roll_deg", "f8"),  # body roll per lateral acceleration [deg/(m/s2)]
        ("camber_roll_front", "f8"),  # camber that the wheels lose per degree of roll [-]
        ("camber_roll_rear", "f8"),
        ("camber", "f8", (4,)),  # static camber of each wheel, its top to the left positive [deg]
        ("density", "f8"),  # of the air [kg/m3]
        ("drag_area", "f8"),  # [m2]
        ("side_area", "f8"),  # side force coefficient times area [m2]
        ("wind_front", "f8"),  # share of a side wind's force that the front tyres hold [-]
        ("lift_front", "f8"),  # downforce area at the front axle [m2]
        ("lift_rear", "f8"),  # [m2]
        ("wind_east", "f8"),  # air moving towards +x [m/s]
        ("wind_north", "f8"),  # air moving towards +y [m/s]
        ("drive_front", "f8"),  # share of thrust on the front axle [-]
        ("brake_front", "f8"),  # share of braking on the front axle [-]
        ("brake_max", "f8"),  # greatest braking force [N]
        ("lock_preload", "f8"),  # force difference that the differential holds without load [N]
        ("lock_power", "f8"),  # share of the driving force that it can move to the slower wheel [-]
        ("lock_coast", "f8"),  # the same off the throttle [-]
        ("efficiency", "f8"),  # wheel over crank power [-]
        ("fuel_l_per_j", "f8"),  # fuel per crank energy [l/J]
        ("thrust", "f8", (SPEED_POINTS,)),  # full-throttle force at the wheels, less what upshifts cost [N]
        ("gear", "f8", (SPEED_POINTS,)),  # gear that gives it, 1 first
        ("mu", "f8", (4,)),  # friction at reference load with this lap's temperature, wear and surface [-]
        ("mu_long", "f8", (4,)),  # longitudinal over lateral [-]
        ("mu_level", "f8", (4,)),  # share of the friction at vanishing load [-]
        ("mu_fall", "f8", (4,)),  # its loss per load [1/N]
        ("camber_opt", "f8", (4,)),  # best camber into the corner [deg]
        ("camber_loss", "f8", (4,)),  # [1/deg2]
        ("hot_kpa", "f8", (4,)),
        ("best_kpa_unloaded", "f8", (4,)),  # best pressure at vanishing load [kPa]
        ("best_kpa_per_n", "f8", (4,)),
        ("kpa_loss", "f8", (4,)),  # [-]
        ("stiffness", "f8", (4,)),  # cornering stiffness over load [1/rad]
        ("rolling", "f8", (4,)),  # [-]
        ("ability", "f8"),  # share of the envelope used [-]
        ("ability_brake", "f8"),  # further share under brakes [-]
        ("coast", "f8"),  # metres rolled off the throttle before each braking [m]
    ]
)

#: Columns of the lap's result, and the place of each; SI units, shares without one.
COLUMNS = (
    "speed", "accel", "lateral", "gear", "throttle", "brake",
    "load_fl", "load_fr", "load_rl", "load_rr",
    "front_utilisation", "rear_utilisation", "balance",
    "slide_fl", "slide_fr", "slide_rl", "slide_rr",
    "fuel_l", "engine_w", "drag_w", "rolling_w", "brake_w", "time",
)  # fmt: skip
SPEED, ACCEL, LATERAL, GEAR, THROTTLE, BRAKE = range(6)
LOAD_FL, LOAD_FR, LOAD_RL, LOAD_RR = range(6, 10)
FRONT_UTILISATION, REAR_UTILISATION, BALANCE = range(10, 13)
SLIDE_FL, SLIDE_FR, SLIDE_RL, SLIDE_RR = range(13, 17)
FUEL_L, ENGINE_W, DRAG_W, ROLLING_W, BRAKE_W, TIME = range(17, len(COLUMNS))
