"""The words of the glossary as pages link them and the palette finds them."""

from .glossary import TERMS, Term

#: Every word, in the order of the alphabet, by its key.
LEXICON: dict[str, Term] = {term.key: term for term in sorted(TERMS, key=lambda term: term.name.lower())}

#: Which word stands behind an adjustable item, by the beginning of what it sets.
_LEVERS = (
    ("tyres.cold_kpa", "cold-pressure"), ("tyres.camber_deg", "camber"), ("front.spring", "spring-rate"), ("rear.spring", "spring-rate"),
    ("front.bar", "anti-roll-bar"), ("rear.bar", "anti-roll-bar"), ("front.toe", "toe"), ("rear.toe", "toe"),
    ("front.track", "track-width"), ("rear.track", "track-width"),
    ("front.chassis", "roll-stiffness"), ("rear.chassis", "roll-stiffness"), ("aero.ride", "ride-height"),
    ("aero.wing", "downforce"), ("aero.front_wing", "aero-balance"), ("brakes.front_share", "brake-bias"), ("fuel_l", "fuel-load"),
    ("mass.cross_shift", "cross-weight"), ("mass.driver_kg", "ballast"), ("mass.seat_back", "weight-distribution"),
    ("mass.seat_up", "centre-of-gravity-height"), ("powertrain.final_drive", "final-drive"), ("powertrain.gears", "final-drive"),
    ("powertrain.restrictor", "restrictor"), ("powertrain.map", "fuel-map"), ("powertrain.front_drive", "torque-split"),
    ("powertrain.differential.preload", "differential-preload"), ("powertrain.differential.power", "power-ramp"),
    ("powertrain.differential.coast", "coast-ramp"), ("ballast", "ballast"), ("controls.traction", "traction-control"),
    ("controls.antilock", "anti-lock-brakes"), ("aero.flap", "drag-flap"), ("boost.", "energy-store"), ("front.stagger", "stagger"),
    ("rear.stagger", "stagger"),
)  # fmt: skip


def entry_of_lever(sets: str) -> Term | None:
    """The word behind an adjustable item; None where there is none.

    :param sets: what the item sets
    """
    if ".damper." in sets:
        return LEXICON["bump-damping" if "bump" in sets else "rebound-damping"]
    return next((LEXICON[key] for start, key in _LEVERS if sets.startswith(start)), None)


def found(text: str, most: int = 8) -> list[Term]:
    """The words that a text names or is part of, those that begin with it first."""
    wanted = " ".join(text.lower().split())
    if not wanted:
        return []
    hits = [term for term in LEXICON.values() if wanted in term.name.lower()]
    return sorted(hits, key=lambda term: (not term.name.lower().startswith(wanted), term.name))[:most]
