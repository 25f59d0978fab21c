"""The long page of a car: which values most people know, and where the odd ones come from."""

#: What stands in sight; the rest of each part is behind a fold. Paths without the numbers of rows and wheels.
SIMPLE = frozenset({
    "name", "kind", "wheelbase_m", "width_m", "tank_l",
    "mass.dry_kg", "mass.driver_kg", "mass.front_share", "mass.cg_height_m",
    *(
        f"{axle}.{name}"
        for axle in ("front", "rear")
        for name in ("track_m", "spring_n_per_mm", "bar_n_per_mm", "motion_ratio", "toe_deg", "rigid")
    ),
    "aero.drag_area_m2", "aero.lift_area_m2", "aero.front_share", "aero.wing_position", "aero.ride_front_mm", "aero.ride_rear_mm",
    "powertrain.final_drive", "powertrain.limit_rpm", "powertrain.shift_s", "powertrain.front_drive_share", "powertrain.restrictor",
    "brakes.front_share", "brakes.max_force_n",
    "tyres.radius_m", "tyres.cold_kpa", "tyres.camber_deg",
})  # fmt: skip

#: Where a value comes from that stands on no data sheet, or that is told in a way of its own.
SOURCES: dict[str, str] = {
    "mass.front_share": "From corner scales: the front pair over all four, driver aboard, no fuel.",
    "mass.left_share": "From corner scales: the left pair over all four, driver aboard, no fuel.",
    "mass.cross_shift": "From corner scales: front right and rear left over all four, less what an even car would have.",
    "mass.cg_height_m": "From scales with one axle raised; else about 0.35 of the car's height.",
    "mass.fuel_kg_per_l": "Petrol 0.72 to 0.78; the pump's data sheet says.",
    "mass.unsprung_front_kg": "Both wheels, brakes and half of what links them; weigh one corner with its spring off.",
    "mass.unsprung_rear_kg": "Both wheels, brakes and half of what links them; a live axle whole.",
    "wheelbase_m": "Axle to axle, from the maker, or with a tape.",
    "front.motion_ratio": "Raise the wheel 20 mm and measure how far the spring moves: spring over wheel.",
    "rear.motion_ratio": "Raise the wheel 20 mm and measure how far the spring moves: spring over wheel.",
    "front.bar_n_per_mm": "The maker's rate at the bar's end times its motion ratio squared.",
    "rear.bar_n_per_mm": "The maker's rate at the bar's end times its motion ratio squared.",
    "front.roll_centre_m": "From a drawing of the arms; 20 to 80 mm for most double wishbones and struts.",
    "rear.roll_centre_m": "From a drawing of the arms; 50 to 150 mm for most, a live axle higher.",
    "front.camber_recovery": "From a drawing of the arms: camber gained a degree of roll; 0 for a strut, to 0.5.",
    "rear.camber_recovery": "From a drawing of the arms: camber gained a degree of roll; 0 for a live axle.",
    "front.tyre_n_per_mm": "The tyre maker's vertical rate; 180 to 300 for most.",
    "rear.tyre_n_per_mm": "The tyre maker's vertical rate; 180 to 300 for most.",
    "aero.drag_area_m2": "From a coast-down, or from the top speed that you know: the two-minute page pulls it.",
    "aero.lift_area_m2": "From ride heights or springs at speed; 0 for a car without aids.",
    "aero.front_share": "From ride heights at speed at both ends.",
    "aero.wing_drag_area_m2": "From top speed at two wing positions.",
    "aero.wing_lift_area_m2": "From ride heights at speed at two wing positions.",
    "aero.side_area_m2": "About 1.1 to 1.4 of the side view's area.",
    "powertrain.efficiency": "Power at the wheels over power at the crank, from a rolling road; 0.82 to 0.92 for most.",
    "powertrain.fuel_g_per_kwh": "Litres of a run over its laps at full throttle; 280 to 340 for petrol.",
    "powertrain.restrictor": "The share of its torque that the engine keeps with the plate.",
    "powertrain.engine_braking": "1 is a usual four-stroke; less with a slipping clutch or an idle valve.",
    "powertrain.front_drive_share": "0 is rear-wheel drive, 1 front-wheel drive.",
    "brakes.max_force_n": "Mass times the hardest stop you can measure, on slicks.",
    "brakes.front_share": "Of the force at the wheels, not of the pressures.",
    "tyres.radius_m": "How far the car rolls in ten turns of the wheel, over 62.8.",
    "tyres.cold_at_c": "The air's in which you set pressures.",
}  # fmt: skip
