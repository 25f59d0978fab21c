"""What goes into the kernel and what comes out of it, as plain arrays.

The compiler sees the record's layout in the type of its argument, so that a change here makes it compile anew.
"""

import numpy as np

SPEED_POINTS = 560  #: length of the thrust table; at the kernel's step up to 140 m/s
TORQUE_POINTS = 400  #: most points of a torque curve
GEARS = 10  #: most gears
FLOOR_POINTS = 301  #: length of the floor's tables; one a millimetre

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
        ("stagger", "f8", (2,)),  # circumference of each axle's right tyre over that of its left one, less 1 [-]
        ("efficiency", "f8"),  # wheel over crank power [-]
        ("fuel_l_per_j", "f8"),  # fuel per crank energy [l/J]
        ("thrust", "f8", (SPEED_POINTS,)),  # full-throttle force at the wheels, upshifts spread over a band of speed [N]
        ("torque_rpm", "f8", (TORQUE_POINTS,)),  # [1/min]
        ("torque", "f8", (TORQUE_POINTS,)),  # at the wheels' end of the drive, over the ratio [N m]
        ("torque_points", "i8"),
        ("gears", "i8"),  # of those that are used
        ("gear_number", "f8", (GEARS,)),  # 1 first
        ("rpm_per_ms", "f8", (GEARS,)),  # engine speed over road speed [1/min per m/s]
        ("per_radius", "f8", (GEARS,)),  # ratio over the radius of the driven wheels [1/m]
        ("gear_up", "f8", (GEARS,)),  # speed at which the next gear is taken; in the last one, of the rev limit [m/s]
        ("gear_down", "f8", (GEARS,)),  # speed of a corner below which it pays to change down into it [m/s]
        ("limit_rpm", "f8"),  # [1/min]
        ("shift_s", "f8"),  # pause of an upshift [s]
        ("engine_drag", "f8"),  # closed-throttle torque over a four-stroke engine's mean pressure in bar [N m/bar]
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
        ("standing", "i8"),  # 1 where water stands on the road
        ("floats_from", "f8", (4,)),  # speed from which on a tyre begins to float on it [m/s]
        ("floats_to", "f8", (4,)),  # speed from which on it floats wholly [m/s]
        ("ability", "f8"),  # share of the envelope used [-]
        ("ability_brake", "f8"),  # further share under brakes [-]
        ("drive_use", "f8"),  # share of the driven tyres' grip along that is used: the driver's, or what traction control lets through [-]
        ("brake_use", "f8"),  # the same of all tyres under brakes [-]
        ("antilock", "i8"),  # 1 where anti-lock brakes let each axle have what it can hold
        ("flap_drag", "f8"),  # drag area that an open flap takes away [m2]
        ("flap_front", "f8"),  # downforce area at the front axle that it takes away [m2]
        ("flap_rear", "f8"),  # [m2]
        ("boost_w", "f8"),  # power of an energy store at the wheels [W]
        ("roll_front", "f8"),  # load that springs and bars of the front move per roll moment of the body [1/m]
        ("roll_rear", "f8"),
        ("cross_front", "f8"),  # load moved off the left front per load that the front axle gains on one wheel: unlike springs [-]
        ("cross_rear", "f8"),  # the same for what the rear axle gains [-]
        ("jack", "f8"),  # load that steering puts on the inner front wheel, per steering angle [N/rad]
        ("floor", "i8"),  # 1 where a floor works
        ("floor_pull", "f8", (2, FLOOR_POINTS)),  # body downforce of each axle over its reference, by height in mm [-]
        ("floor_touch", "f8", (2, FLOOR_POINTS)),  # load that the floor carries on the road, by height in mm [N]
        ("floor_rest", "f8", (2,)),  # height of each axle at rest [mm]
        ("floor_body", "f8", (2,)),  # body downforce area of each axle at its reference height [m2]
        ("floor_drag", "f8"),  # share of the touching force that brakes the car [-]
        ("floor_sunk", "f8", (2, SPEED_POINTS // 8)),  # how far each axle sinks on a level road, by every eighth speed [mm]
        ("floor_rub", "f8", (SPEED_POINTS // 8,)),  # drag of a floor that touches, likewise [N]
        ("sink", "f8", (2,)),  # load that an axle takes per sinking, tyres in series [N/mm]
        ("sink_stop", "f8", (2,)),  # the same on the bump stops
        ("stop_at", "f8", (2,)),  # sinking at which the bump stops are met [mm]
    ]
)

#: What a driver is told, station by station; see `lap.orders`.
BRAKING, OPENING, COASTING, HELD, MOST, LEANING, SPENDING = range(7)
ORDERS = 7

#: Columns of the lap's result, and the place of each; SI units, shares without one.
COLUMNS = (
    "speed", "accel", "lateral", "gear", "throttle", "brake",
    "load_fl", "load_fr", "load_rl", "load_rr",
    "front_utilisation", "rear_utilisation", "balance",
    "slide_fl", "slide_fr", "slide_rl", "slide_rr",
    "fuel_l", "engine_w", "drag_w", "rolling_w", "brake_w", "time", "trim", "closed_w", "boost_w",
)  # fmt: skip
SPEED, ACCEL, LATERAL, GEAR, THROTTLE, BRAKE = range(6)
LOAD_FL, LOAD_FR, LOAD_RL, LOAD_RR = range(6, 10)
FRONT_UTILISATION, REAR_UTILISATION, BALANCE = range(10, 13)
SLIDE_FL, SLIDE_FR, SLIDE_RL, SLIDE_RR = range(13, 17)
FUEL_L, ENGINE_W, DRAG_W, ROLLING_W, BRAKE_W, TIME, TRIM, CLOSED_W, BOOST_W = range(17, len(COLUMNS))
