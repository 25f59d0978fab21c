"""The words of the field: what each is, and what more of it does. Pages link them, the palette finds them."""

import re
from dataclasses import dataclass


@dataclass(frozen=True)
class Entry:
    """A word of the field.

    :param name: the word
    :param is_: what it is, a sentence
    :param more: what more of it does, a sentence
    """

    name: str
    is_: str
    more: str

    @property
    def key(self) -> str:
        """Its place on the glossary's page."""
        return re.sub(r"[^a-z0-9]+", "-", self.name.lower()).strip("-")


_ROWS = (
    ("95 % interval", "Range that holds the true value 95 times in 100.", "A wider one says less; more runs narrow it."),
    ("Aero balance", "Front share of downforce.", "Less understeer in fast corners."),
    (
        "Anti-roll bar",
        "A spring that works only in roll, joining left and right.",
        "Less roll, and more load transfer at that axle, so less grip there.",
    ),
    (
        "Apex",
        "The place where the line comes nearest to the inside.",
        "A later one gives a straighter exit, an earlier one a shorter way in.",
    ),
    ("Balance", "How much nearer its limit the front axle is than the rear.", "A higher + is more understeer, a lower − more oversteer."),
    ("Ballast", "Added weight placed on purpose.", "Slower everywhere, but it can mend the balance."),
    ("Base sheet", "The car's values as its maker or its owner entered them.", "Every sheet grows from it."),
    ("Brake bias", "Front share of the braking force.", "Fronts lock earlier and entry is stable; less lets the rear lock."),
    ("Bump damping", "Damper resistance when the wheel moves up.", "Faster load build-up; too much makes the tyre skip."),
    (
        "Camber",
        "Lean of the wheel; negative tips the top inwards.",
        "Negative camber adds cornering grip up to a point, then costs braking and the inner edge.",
    ),
    ("Carcass temperature", "Heat in the body and gas of the tyre.", "Hot pressure rises with it."),
    ("Centre of gravity height", "How high the mass sits.", "More load transfer, so less grip in all."),
    ("Cliff", "Wear at which grip drops suddenly.", "Past it every lap is worse than the one before."),
    ("Coast ramp", "How strongly it locks off the throttle.", "More stability on entry, more understeer turning in."),
    ("Cold pressure", "Pressure set before running.", "Raises hot pressure by about as much."),
    ("Compound", "The rubber mix of a tyre.", "A softer one is quicker at first and wears sooner."),
    ("Cross weight", "Share on front right and rear left; wedge on ovals.", "On left-hand turns, more understeer."),
    ("Damping ratio", "Damping as a share of critical.", "Less float, then a harsher ride with less grip."),
    (
        "Differential preload",
        "Torque a limited-slip differential locks with no drive.",
        "Steadier entry, more understeer at low throttle.",
    ),
    ("Downforce", "Air load that presses the car down.", "More fast-corner grip, more drag and tyre load."),
    ("Drag", "Air resistance.", "Less top speed and more fuel used."),
    (
        "Entry, mid-corner, exit",
        "The three parts of a corner: braking and turning in, the slowest place, back on the throttle.",
        "A change may help one of them and cost another.",
    ),
    ("Fade", "Time lost with each lap of tyre age.", "Shorter stints pay."),
    ("Final drive", "Ratio between gearbox and wheels.", "A higher number is shorter gearing: more pull, less speed in each gear."),
    ("Flying lap", "A timed lap begun at speed.", "More of them give more chances on older tyres."),
    ("Fuel load", "Fuel on board.", "Every litre costs lap time; braking and tyres suffer too."),
    ("Fuel map", "Engine setting for torque and consumption.", "A leaner map saves fuel and costs lap time."),
    ("Hot pressure", "Pressure after running.", "Above target the tread crowns and grip falls; below, the edges overheat."),
    ("Hot target", "Hot pressure at which the tyre grips best.", "A tyre that carries more load needs a higher one."),
    ("In-lap", "Lap that ends in the pits.", "A harder one gains time before a stop."),
    ("Load transfer", "Load that moves between wheels in braking, driving and cornering.", "The pair of tyres grips less in total."),
    ("Motion ratio", "Spring travel over wheel travel.", "The same spring acts stiffer at the wheel, with the square of it."),
    ("Out-lap", "First lap from the pits.", "A harder one warms tyres sooner and may scuff them."),
    (
        "Oversteer",
        "The rear tyres run out of grip first and the rear steps out.",
        "The car rotates sooner but needs correcting, and the rear tyres suffer.",
    ),
    ("Pit loss", "Time a drive through the pit lane costs.", "Fewer stops pay."),
    ("Pit window", "Laps in which a stop costs least.", "A wider one leaves room to react."),
    ("Power ramp", "How strongly the differential locks under drive.", "More traction, with push or sudden oversteer on exit."),
    ("Rake", "Rear ride height minus front.", "Downforce moves forward."),
    ("Rebound damping", "Damper resistance when the wheel moves down.", "The body rises slower; too much jacks the car down."),
    ("Restrictor", "A plate that limits the engine's air.", "A larger opening leaves more power."),
    ("Ride frequency", "Rate at which the body bounces on its springs.", "A stiffer platform, worse over bumps."),
    ("Ride height", "Gap between floor and road.", "More clearance, a higher centre of gravity and usually less downforce."),
    ("Roll centre", "The point about which an axle's body rolls.", "A higher one means less roll and quicker load transfer."),
    ("Roll stiffness", "Resistance of an axle to roll, springs and bar together.", "A larger front share means more understeer."),
    ("Rubber", "Tyre rubber laid on the line.", "More grip on the line, less beside it."),
    ("Safety car", "A car that slows the field behind it.", "The slower it runs, the less a stop under it costs."),
    ("Scatter", "How much similar laps differ.", "More laps are needed to see a change."),
    ("Scrubbed tyre", "A tyre with a few gentle laps on it.", "Steadier warm-up, slightly less peak grip."),
    ("Spring perch", "The seat that sets a spring's height.", "Winding it up raises that corner and loads it and its diagonal."),
    ("Spring rate", "Force that compresses a spring by 1 mm.", "The car moves less, and that axle gives up grip over bumps."),
    ("Stagger", "Right rear circumference minus left rear.", "The car turns left more freely."),
    ("Stint", "Laps between two stops.", "Longer means fewer stops, older tyres and more fuel."),
    (
        "Toe",
        "Angle of the wheels seen from above; toe-in points them inwards.",
        "Rear toe-in steadies the car; any toe adds heat, wear and drag.",
    ),
    ("Torque split", "Front share of drive in a four-wheel-drive car.", "More pull from the front and more power understeer."),
    ("Tow", "Running in the hole another car makes in the air.", "More top speed, less front grip in corners."),
    ("Trace", "A lap as a logger recorded it, channel by channel.", "More samples a second place braking points better."),
    ("Track width", "Distance between the wheels of an axle.", "Less load transfer and more grip at that axle."),
    ("Tread temperature", "Heat at the tyre's surface, inner, middle and outer.", "Grip rises to the tyre window, then falls."),
    ("Tyre window", "Range of temperature in which the tyre grips best.", "A wider one forgives weather and driving."),
    ("Undercut", "Stopping before a rival to gain on new tyres.", "It gains more where fade is high and warm-up short."),
    (
        "Understeer",
        "The front tyres run out of grip first and the nose runs wide.",
        "The driver waits longer for the throttle and the front tyres overheat.",
    ),
    ("Unsprung mass", "Mass that moves with the wheel.", "Worse grip over bumps."),
    ("Verdict", "What laps say of a change, with everything else corrected for.", "More runs make its interval narrower."),
    ("Wedge", "Cross weight, as ovals call it.", "More understeer on left-hand turns."),
    ("Weight distribution", "Front share of the weight.", "More front weight usually brings understeer and weaker traction."),
    ("Wheelbase", "Distance between the axles.", "A calmer car, slower to turn."),
)

#: Every word, in the order of the alphabet, by its key.
LEXICON: dict[str, Entry] = {entry.key: entry for entry in (Entry(*row) for row in _ROWS)}

#: Which word stands behind an adjustable item, by the beginning of what it sets.
_LEVERS = (
    ("tyres.cold_kpa", "cold-pressure"), ("tyres.camber_deg", "camber"), ("front.spring", "spring-rate"), ("rear.spring", "spring-rate"),
    (
        "front.bar",
        "anti-roll-bar"), ("rear.bar",
        "anti-roll-bar"), ("front.toe", "toe"), ("rear.toe", "toe"), ("front.track", "track-width",
    ),
    ("rear.track", "track-width"), ("front.chassis", "roll-stiffness"), ("rear.chassis", "roll-stiffness"), ("aero.ride", "ride-height"),
    ("aero.wing", "downforce"), ("aero.front_wing", "aero-balance"), ("brakes.front_share", "brake-bias"), ("fuel_l", "fuel-load"),
    ("mass.cross_shift", "cross-weight"), ("mass.driver_kg", "ballast"), ("mass.seat_back", "weight-distribution"),
    ("mass.seat_up", "centre-of-gravity-height"), ("powertrain.final_drive", "final-drive"), ("powertrain.gears", "final-drive"),
    ("powertrain.restrictor", "restrictor"), ("powertrain.map", "fuel-map"), ("powertrain.front_drive", "torque-split"),
    ("powertrain.differential.preload", "differential-preload"), ("powertrain.differential.power", "power-ramp"),
    ("powertrain.differential.coast", "coast-ramp"), ("ballast", "ballast"),
)  # fmt: skip


def entry_of_lever(sets: str) -> Entry | None:
    """The word behind an adjustable item; None where there is none.

    :param sets: what the item sets
    """
    if ".damper." in sets:
        return LEXICON["bump-damping" if "bump" in sets else "rebound-damping"]
    return next((LEXICON[key] for start, key in _LEVERS if sets.startswith(start)), None)


def found(text: str, most: int = 8) -> list[Entry]:
    """The words that a text names or is part of, those that begin with it first."""
    wanted = " ".join(text.lower().split())
    if not wanted:
        return []
    hits = [entry for entry in LEXICON.values() if wanted in entry.name.lower()]
    return sorted(hits, key=lambda entry: (not entry.name.lower().startswith(wanted), entry.name))[:most]
