"""What was entered in a race, and what of it may be corrected."""

from dataclasses import dataclass

from apexcore.quantities import format_lap

from .live import Now
from .models import RaceMark
from .owed_presenters import PENALTIES, set_key

#: What marks are called.
KIND_NAMES = {
    "lap": "Lap", "pit": "Pit stop", "fuel": "Fuel reading", "safety": "Safety car out", "green": "Green", "yellow": "Full-course yellow",
    "closed": "Pit lane closed", "open": "Pit lane open", "red": "Red flag", "restart": "Restart", "wet": "Wet", "dry": "Dry",
    "onlap": "On lap", "distance": "Race now, laps", "minutes": "Race now, minutes", "puncture": "Flat tyre", **PENALTIES,
    "served": "Penalty served", "leader": "Leader",
    "other": "Lap on the other tyres", "rival": "Rival", "mate": "The other car's stop", "joker": "Joker lap",
}  # fmt: skip
#: Entries that are shown.
_SHOWN = 40


@dataclass(frozen=True)
class Entry:
    """Something that was entered.

    :param number: of the mark
    :param words: what it says
    :param fields: what of it may be corrected: name of the field, label, unit and value
    :param tyres: set that was fitted, as `TyreChoice.key`; None where the entry fits none
    """

    number: int
    words: str
    fields: list[tuple[str, str, str, str]]
    tyres: str | None


def entries(now: Now) -> list[Entry]:
    """The last entries, newest first."""
    return [_entry(mark, now) for mark in reversed(now.marks[-_SHOWN:])]


#: What may be corrected of an entry, by its kind: the field, its label and its unit.
_FIELDS: dict[str, tuple[tuple[str, str, str], ...]] = {
    "lap": (("time", "Lap time", ""),), "pit": (("litres", "Added", "l"),), "fuel": (("litres", "On board", "l"),),
    "onlap": (("value", "On lap", ""),), "distance": (("value", "Race now", "laps"),), "minutes": (("value", "Race now", "min"),),
    "penalty": (("value", "Penalty", "s"),), "stopgo": (("value", "Stop and go", "s"),), "restart": (("value", "Stood", "s"),),
    "leader": (("laps", "Laps ahead", ""), ("value", "Ahead", "s"), ("time", "His lap", "")), "other": (("time", "Lap time", ""),),
    "rival": (("value", "Ahead", "s"), ("time", "His lap", ""), ("laps", "Laps on his tyres", "")), "mate": (("value", "Lap", ""),),
}  # fmt: skip


def _entry(mark: RaceMark, now: Now) -> Entry:
    shown = {
        "time": format_lap(mark.time_s) if mark.time_s else "", "litres": "" if mark.litres is None else f"{mark.litres:.1f}",
        "value": "" if mark.value is None else f"{mark.value:g}", "laps": str(mark.laps),
    }  # fmt: skip
    fields = [(name, label, unit, shown[name]) for name, label, unit in _FIELDS.get(mark.kind, ())]
    words = f"{mark.number}. {KIND_NAMES[mark.kind]}{f' {mark.car}' if mark.car else ''}"
    if mark.kind == "lap":
        words += f" {sum(one.kind == 'lap' and one.number <= mark.number for one in now.marks)}"
    tyres = (set_key(mark.compound, mark.age) if mark.compound else "") if mark.kind in ("pit", "restart") else None
    return Entry(mark.number, words, fields, tyres)
