"""Several heats without stops on the sets that there are: which set is driven in which heat."""

from dataclasses import dataclass
from functools import cache

from ..errors import InputError
from .options import tyre_time_s, usable
from .rules import Pace, RaceRules

#: Heats and sets that are looked at, at most.
MOST_HEATS, MOST_SETS = 8, 12


@dataclass(frozen=True)
class Heat:
    """:param age: laps that the set has been driven before it
    :param lost_s: what its tyres lose over the heat against new tyres of the fastest compound [s]"""

    compound: str
    age: int
    lost_s: float


def planned_heats(rules: RaceRules, pace: Pace) -> tuple[Heat, ...] | None:
    """The sets of all heats for the least time in all; None where the rules tell of one heat, or no way is legal.

    Exact: every choice of a set in every heat, sets of one kind and age being alike. A compulsory compound is driven in one heat at least.

    :raises InputError: where there are more heats or sets than are looked at
    """
    if rules.heats < 2:
        return None
    tyres = {tyre.key: tyre for tyre in usable(rules, pace) if tyre.axles[0] == tyre.axles[1]}
    named = {one.compound for one in rules.sets}
    sets = [(one.compound, one.age) for one in rules.sets if one.compound in tyres for _ in range(one.count)]
    for key in tyres:
        if key not in named:  # as many new ones as one likes
            sets += [(key, 0)] * min(rules.heats, MOST_SETS)
    counted = sum(one.count for one in rules.sets)
    if rules.heats > MOST_HEATS or counted > MOST_SETS:
        raise InputError("heats", f"{rules.heats} on {counted} sets", f"at most {MOST_HEATS} heats and {MOST_SETS} sets")
    wanted = frozenset(key for key in rules.compulsory if key in tyres)

    @cache
    def best(left: int, have: tuple[tuple[str, int], ...], lacking: frozenset[str]) -> tuple[float, tuple[Heat, ...]]:
        if len(lacking) > left:
            return float("inf"), ()
        if not left:
            return 0.0, ()
        found: tuple[float, tuple[Heat, ...]] = (float("inf"), ())
        for kind in dict.fromkeys(have):
            key, age = kind
            lost = tyre_time_s(tyres[key], rules.laps, age)
            rest = list(have)
            rest.remove(kind)
            then, others = best(left - 1, tuple(sorted([*rest, (key, age + rules.laps)])), lacking - {key})
            if lost + then < found[0]:
                found = lost + then, (Heat(key, age, lost), *others)
        return found

    total, heats = best(rules.heats, tuple(sorted(sets)), wanted)
    return heats if total < float("inf") and heats else None
