"""In which phases of a corner an item acts: what else it changes is not what a feeling is answered with."""

from ...vehicle.items import Item

_EVERYWHERE = ("braking", "entry", "mid", "exit")

#: By the beginning of what an item sets; the longest that fits counts. Weight on board, gears and power move the balance too, and
#: nobody answers a feeling with them. Source: what each part does by its making (Milliken & Milliken, ch. 18 to 21).
_ACTS: dict[str, tuple[str, ...]] = {
    "brakes.": ("braking", "entry"),
    "powertrain.differential.coast": ("braking", "entry"),
    "powertrain.differential.power": ("exit",),
    "powertrain.differential.preload_nm": ("entry", "mid", "exit"),
    "powertrain.front_drive_share": ("exit",),
    "powertrain.": (),
    "controls.traction_level": ("exit",),
    "controls.antilock_level": ("braking", "entry"),
    "aero.flap_position": (),
    "boost.": (),
    "fuel_l": (),
    "ballast.": (),
    "mass.driver_kg": (),
}


def acts_on(item: Item) -> tuple[str, ...]:
    """The phases in which an item acts on the balance."""
    begins = [key for key in _ACTS if item.sets.startswith(key)]
    return _ACTS[max(begins, key=len)] if begins else _EVERYWHERE
