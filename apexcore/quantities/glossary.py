"""The words of the field, each in one sentence, with what more of it does and which fields hold it.

`docs/glossary.md` is written from this table and from the fields' own descriptions by `make docs`; `lexicon` gives it to the pages.
"""

import re
from typing import NamedTuple


class Term(NamedTuple):
    """One word of the field.

    :param name: the word as the interface writes it
    :param meaning: what it is, in one sentence
    :param more: what more of it does
    :param fields: where the code holds it, each as `Class.field`
    """

    name: str
    meaning: str
    more: str
    fields: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """Its place on the glossary's page."""
        return re.sub(r"[^a-z0-9]+", "-", self.name.lower()).strip("-")


TERMS = (
    Term(
        "Understeer",
        "The front tyres run out of grip first and the nose runs wide.",
        "The driver waits longer for the throttle and the front tyres overheat.",
        ("CornerBalance.balance",),
    ),
    Term(
        "Oversteer",
        "The rear tyres run out of grip first and the rear steps out.",
        "The car rotates sooner but needs correcting, and the rear tyres suffer.",
        ("CornerBalance.balance",),
    ),
    Term(
        "Balance",
        "How much nearer its limit the front axle is than the rear.",
        "A higher + is more understeer, a lower − more oversteer.",
        ("CornerBalance.balance", "StepEffect.balance"),
    ),
    Term(
        "Camber",
        "Lean of the wheel; negative tips the top inwards.",
        "Negative camber adds cornering grip up to a point, then costs braking and the inner edge.",
        ("Tyres.camber_deg", "Compound.inclination_opt_deg"),
    ),
    Term(
        "Toe",
        "Angle of the wheels seen from above; toe-in points them inwards.",
        "Rear toe-in steadies the car; any toe adds heat, wear and drag.",
        ("Axle.toe_deg",),
    ),
    Term(
        "Spring rate",
        "Force that compresses a spring by 1 mm.",
        "The car moves less, and that axle gives up grip over bumps.",
        ("Axle.spring_n_per_mm",),
    ),
    Term(
        "Motion ratio",
        "Spring travel over wheel travel.",
        "The same spring acts stiffer at the wheel, with the square of it.",
        ("Axle.motion_ratio",),
    ),
    Term(
        "Anti-roll bar",
        "A spring that works only in roll, joining left and right.",
        "Less roll, and more load transfer at that axle, so less grip there.",
        ("Axle.bar_n_per_mm",),
    ),
    Term("Roll stiffness", "Resistance of an axle to roll, springs and bar together.", "A larger front share means more understeer.", ()),
    Term(
        "Roll centre",
        "The point about which an axle's body rolls.",
        "A higher one means less roll and quicker load transfer.",
        ("Axle.roll_centre_m",),
    ),
    Term(
        "Ride height",
        "Gap between floor and road.",
        "More clearance, a higher centre of gravity and usually less downforce.",
        ("Aero.ride_front_mm", "Aero.ride_rear_mm"),
    ),
    Term("Rake", "Rear ride height minus front.", "Downforce moves forward.", ()),
    Term(
        "Bump damping",
        "Damper resistance when the wheel moves up.",
        "Faster load build-up; too much makes the tyre skip.",
        ("Damper.bump_slow", "Damper.bump_fast"),
    ),
    Term(
        "Rebound damping",
        "Damper resistance when the wheel moves down.",
        "The body rises slower; too much jacks the car down.",
        ("Damper.rebound_slow", "Damper.rebound_fast"),
    ),
    Term("Damping ratio", "Damping as a share of critical.", "Less float, then a harsher ride with less grip.", ("RideEnd.ratios",)),
    Term("Ride frequency", "Rate at which the body bounces on its springs.", "A stiffer platform, worse over bumps.", ("RideEnd.ride_hz",)),
    Term(
        "Differential preload",
        "Torque a limited-slip differential locks with no drive.",
        "Steadier entry, more understeer at low throttle.",
        ("Differential.preload_nm",),
    ),
    Term(
        "Power ramp",
        "How strongly the differential locks under drive.",
        "More traction, with push or sudden oversteer on exit.",
        ("Differential.power",),
    ),
    Term(
        "Coast ramp",
        "How strongly it locks off the throttle.",
        "More stability on entry, more understeer turning in.",
        ("Differential.coast",),
    ),
    Term(
        "Brake bias",
        "Front share of the braking force.",
        "Fronts lock earlier and entry is stable; less lets the rear lock.",
        ("Brakes.front_share",),
    ),
    Term(
        "Final drive",
        "Ratio between gearbox and wheels.",
        "A higher number is shorter gearing: more pull, less speed in each gear.",
        ("Powertrain.final_drive",),
    ),
    Term("Restrictor", "A plate that limits the engine's air.", "A larger opening leaves more power.", ("Powertrain.restrictor",)),
    Term(
        "Fuel map",
        "Engine setting for torque and consumption.",
        "A leaner map saves fuel and costs lap time.",
        ("FuelMap.torque", "FuelMap.fuel"),
    ),
    Term(
        "Torque split",
        "Front share of drive in a four-wheel-drive car.",
        "More pull from the front and more power understeer.",
        ("Powertrain.front_drive_share",),
    ),
    Term(
        "Traction control",
        "Holds driven wheels that would spin, by levels: each lets a share of the tyres' grip through.",
        "A tighter level is calmer and cooler at the rear, and slower off corners for a driver who needs none.",
        ("Controls.traction",),
    ),
    Term(
        "Anti-lock brakes",
        "Hold wheels that would lock, by levels; what one axle cannot hold goes to the other.",
        "A tighter level is calmer and brakes longer; brake bias is hardly felt.",
        ("Controls.antilock",),
    ),
    Term(
        "Drag flap",
        "A wing's flap that opens in zones of the circuit.",
        "Open: less drag and less rear downforce in the zones.",
        ("Aero.flap_position", "Circuit.flap_zones"),
    ),
    Term(
        "Energy store",
        "Energy that drives beside the engine, so much a lap, put back by braking.",
        "Worth most early on a straight.",
        ("Boost.power_kw", "Boost.lap_kj", "Boost.store_kj", "Boost.recover_kw"),
    ),
    Term(
        "Yaw margin",
        "How far behind the centre of gravity the tyres hold the car.",
        "Steadier, and slower to turn in.",
        ("Stability.top_pct",),
    ),
    Term("Downforce", "Air load that presses the car down.", "More fast-corner grip, more drag and tyre load.", ("Aero.lift_area_m2",)),
    Term("Drag", "Air resistance.", "Less top speed and more fuel used.", ("Aero.drag_area_m2",)),
    Term("Aero balance", "Front share of downforce.", "Less understeer in fast corners.", ("Aero.front_share",)),
    Term(
        "Tow",
        "Running in the hole another car makes in the air.",
        "More top speed, less front grip in corners.",
        ("Aero.tow_drag", "LapCase.tow"),
    ),
    Term(
        "Weight distribution",
        "Front share of the weight.",
        "More front weight usually brings understeer and weaker traction.",
        ("Mass.front_share", "Scales.front"),
    ),
    Term(
        "Cross weight",
        "Share on front right and rear left; wedge on ovals.",
        "On left-hand turns, more understeer.",
        ("Mass.cross_shift", "Scales.cross"),
    ),
    Term("Stagger", "Right rear circumference minus left rear.", "The car turns left more freely.", ("Axle.stagger_mm",)),
    Term(
        "Spring perch",
        "The seat that sets a spring's height.",
        "Winding it up raises that corner and loads it and its diagonal.",
        ("Perch.turns",),
    ),
    Term("Ballast", "Added weight placed on purpose.", "Slower everywhere, but it can mend the balance.", ("Ballast.kg",)),
    Term("Centre of gravity height", "How high the mass sits.", "More load transfer, so less grip in all.", ("Mass.cg_height_m",)),
    Term("Wheelbase", "Distance between the axles.", "A calmer car, slower to turn.", ("Car.wheelbase_m",)),
    Term("Track width", "Distance between the wheels of an axle.", "Less load transfer and more grip at that axle.", ("Axle.track_m",)),
    Term("Unsprung mass", "Mass that moves with the wheel.", "Worse grip over bumps.", ("Mass.unsprung_front_kg", "Mass.unsprung_rear_kg")),
    Term(
        "Load transfer", "Load that moves between wheels in braking, driving and cornering.", "The pair of tyres grips less in total.", ()
    ),
    Term("Cold pressure", "Pressure set before running.", "Raises hot pressure by about as much.", ("Tyres.cold_kpa",)),
    Term(
        "Hot pressure",
        "Pressure after running.",
        "Above target the tread crowns and grip falls; below, the edges overheat.",
        ("Lap.hot_kpa",),
    ),
    Term(
        "Hot target",
        "Hot pressure at which the tyre grips best.",
        "A tyre that carries more load needs a higher one.",
        ("Compound.pressure_opt_kpa",),
    ),
    Term(
        "Tread temperature",
        "Heat at the tyre's surface, inner, middle and outer.",
        "Grip rises to the tyre window, then falls.",
        ("TyreAnalysis.temperature_c",),
    ),
    Term("Carcass temperature", "Heat in the body and gas of the tyre.", "Hot pressure rises with it.", ("TyreAnalysis.carcass_c",)),
    Term(
        "Tyre window",
        "Range of temperature in which the tyre grips best.",
        "A wider one forgives weather and driving.",
        ("Compound.temperature_opt_c", "Compound.temperature_width_c"),
    ),
    Term("Compound", "The rubber mix of a tyre.", "A softer one is quicker at first and wears sooner.", ("Car.tyres", "Tyres.compounds")),
    Term(
        "Skin temperature",
        "Heat of the tread's outermost half millimetre.",
        "It swings with every corner; grip swings with it.",
        ("TyreState.skin_c",),
    ),
    Term(
        "Heat fade",
        "Grip that a tread loses in long heat.",
        "It comes back when the tyre is spared, but for a tenth.",
        ("Compound.fade_loss",),
    ),
    Term(
        "Engine braking",
        "Drag of the closed engine on the driven wheels.",
        "The brakes want more of their share at the other end.",
        ("Powertrain.engine_braking",),
    ),
    Term("Trimmed balance", "Balance with neither drive nor brakes.", "Positive is understeer in mid-corner.", ("CornerBalance.balance",)),
    Term("Floor stall", "Height below which the floor pulls less.", "Lower than that costs grip; the floor may touch.", ("Floor.best_mm",)),
    Term("Bump stop", "The rubber that a spring's travel ends on.", "That axle gets stiff at once.", ("Axle.stop_mm",)),
    Term("Caster", "Lean of the steering axis seen from the side.", "A kart's inner rear wheel lifts sooner.", ("Steering.caster_deg",)),
    Term("Scrubbed tyre", "A tyre with a few gentle laps on it.", "Steadier warm-up, slightly less peak grip.", ()),
    Term("Fade", "Time lost with each lap of tyre age.", "Shorter stints pay.", ("Fade.per_lap_s", "TyrePace.fade_s")),
    Term(
        "Cliff",
        "Wear at which grip drops suddenly.",
        "Past it every lap is worse than the one before.",
        ("Compound.cliff_wear", "TyrePace.cliff_age"),
    ),
    Term("Stint", "Laps between two stops.", "Longer means fewer stops, older tyres and more fuel.", ("Stint.laps",)),
    Term("Out-lap", "First lap from the pits.", "A harder one warms tyres sooner and may scuff them.", ()),
    Term("In-lap", "Lap that ends in the pits.", "A harder one gains time before a stop.", ()),
    Term("Pit loss", "Time a drive through the pit lane costs.", "Fewer stops pay.", ("RaceRules.pit_loss_s",)),
    Term("Pit window", "Laps in which a stop costs least.", "A wider one leaves room to react.", ()),
    Term("Undercut", "Stopping before a rival to gain on new tyres.", "It gains more where fade is high and warm-up short.", ()),
    Term("Safety car", "A car that slows the field behind it.", "The slower it runs, the less a stop under it costs.", ()),
    Term("Fuel load", "Fuel on board.", "Every litre costs lap time; braking and tyres suffer too.", ("Car.fuel_l", "DrivenLap.fuel_l")),
    Term("Rubber", "Tyre rubber laid on the line.", "More grip on the line, less beside it.", ("Conditions.rubber_pct",)),
    Term("Flying lap", "A timed lap begun at speed.", "More of them give more chances on older tyres.", ("Attempt.laps",)),
    Term("Scatter", "How much similar laps differ.", "More laps are needed to see a change.", ("Posterior.scatter", "Form.scatter_s")),
    Term(
        "95 % interval",
        "Range that holds the true value 95 times in 100.",
        "A wider one says less; more runs narrow it.",
        ("Verdict.low_s", "Verdict.high_s"),
    ),
    Term(
        "Share of the envelope",
        "Part of the car's grip that the driver uses.",
        "The lap gets quicker and mistakes more likely.",
        ("Driver.ability",),
    ),
    Term(
        "Tyre work",
        "Energy that one tyre turns into heat by sliding in one lap.",
        "Hotter and sooner worn tyres.",
        ("TyreAnalysis.work_kj",),
    ),
    Term(
        "Fuel use",
        "Fuel burnt in one racing lap.",
        "More fuel to start with, and a shorter stint.",
        ("FuelUse.mean_l", "Pace.fuel_l_per_lap"),
    ),
    Term(
        "Apex",
        "The place where the line comes nearest to the inside.",
        "A later one gives a straighter exit, an earlier one a shorter way in.",
    ),
    Term("Base sheet", "The car's values as its maker or its owner entered them.", "Every sheet grows from it."),
    Term(
        "Entry, mid-corner, exit",
        "The three parts of a corner: braking and turning in, the slowest place, back on the throttle.",
        "A change may help one of them and cost another.",
    ),
    Term("Trace", "A lap as a logger recorded it, channel by channel.", "More samples a second place braking points better."),
    Term("Verdict", "What laps say of a change, with everything else corrected for.", "More runs make its interval narrower."),
    Term("Wedge", "Cross weight, as ovals call it.", "More understeer on left-hand turns."),
)
