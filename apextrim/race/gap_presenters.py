"""Where one plan loses to another: by cause and stint, and as a picture along the race; and what pairs of tyres do."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_number
from apexcore.race.course import CAUSES, Gap, gap
from apexcore.race.heats import Heat
from apexcore.race.pairs import PairReading, spin_price_s
from apexcore.race.plans import Plan
from apexcore.race.reverses import Decisive, Price
from apexcore.race.rules import Pace, RaceRules
from apexcore.race.weather import WET
from apexcore.vehicle.car import Car
from apexcore.vehicle.pair import axles_of
from apextrim.ui.pictures import Axis, linear_axis

from .queries import RaceView

#: The picture of race time lost, and its frame [px].
WIDTH, HEIGHT, LEFT, TOP, BOTTOM = 620.0, 200.0, 44.0, 8.0, 172.0
#: Plans that it draws beside the best, and their dashes.
_DASHES = ("none", "7 4", "2 3", "9 3 2 3")
#: What a cause is called.
_WORDS = {
    "stop_s": "stops", "offset_s": "slower compound", "fade_s": "fade", "cliff_s": "beyond the cliff", "warm_s": "cold tyres",
    "saving_s": "saving", "weather_s": "rain and the tyres for it", "track_s": "the track",
    "joker_s": "joker laps", "fuel_s": "fuel weight",
}  # fmt: skip
#: Parts of a gap that are worth saying [s].
_SAID_S = 0.05


def causes_words(found: Gap) -> str:
    """The gap by cause, the greatest first."""
    parts = sorted(zip(CAUSES, found.causes, strict=True), key=lambda one: -abs(one[1]))
    said = [f"{_WORDS[name]} {format_number(value, 1, signed=True)} s" for name, value in parts if abs(value) >= _SAID_S]
    return ", ".join(said) or "equal in every part"


def stints_words(plan: Plan, found: Gap) -> str:
    """The gap by stint."""
    parts = [
        f"laps {stint.first_lap} to {stint.last_lap} {format_number(value, 1, signed=True)} s"
        for stint, value in zip(plan.stints, found.stints, strict=True)
    ]
    return ", ".join(parts)


@dataclass(frozen=True)
class LostLine:
    """:param path: of the picture
    :param dash: of its stroke
    :param label_y: height of its name [px]"""

    title: str
    path: str
    dash: str
    label_y: float


@dataclass(frozen=True)
class LostPicture:
    """Race time behind the best plan, lap by lap.

    :param lines_in_order: their titles, as in the rows
    :param rows: a lap and what each plan has lost as it ends [s]
    """

    lines: list[LostLine]
    lines_in_order: list[str]
    across: Axis
    up: Axis
    rows: list[tuple[int, list[float]]]


def lost_picture(rules: RaceRules, pace: Pace, plans: Sequence[tuple[str, Plan]]) -> LostPicture | None:
    """What each plan has lost to the first, along the race; None where there is nothing to compare.

    :param plans: with their titles
    """
    best = plans[0][1] if plans else None
    others = [(title, gap(rules, pace, plan, best).along_s) for title, plan in plans[1 : len(_DASHES) + 1]] if best else []
    if not others:
        return None
    every = np.concatenate([along for _, along in others])
    up = linear_axis(min(0.0, float(every.min())), max(0.0, float(every.max())), BOTTOM, TOP, 4, lambda v: format_number(v, 0, signed=True))
    across = linear_axis(0, rules.laps, LEFT, WIDTH - 70, 8, lambda v: f"{v:.0f}")
    lines = []
    for (title, along), dash in zip(others, _DASHES, strict=False):
        points = " ".join(f"{across.at(k + 1):.1f} {up.at(float(value)):.1f}" for k, value in enumerate(along))
        lines.append(LostLine(title, f"M{across.at(0):.1f} {up.at(0.0):.1f}L{points}", dash, up.at(float(along[-1]))))
    step = max(1, rules.laps // 12)
    rows = [(lap, [float(along[lap - 1]) for _, along in others]) for lap in range(step, rules.laps + 1, step)]
    return LostPicture(_apart(lines), [line.title for line in lines], across, up, rows)


def _apart(lines: list[LostLine], least: float = 13.0) -> list[LostLine]:
    """The same with names that do not lie on each other."""
    found, last = [], -100.0
    for line in sorted(lines, key=lambda one: one.label_y):
        at = max(line.label_y, last + least)
        found.append(LostLine(line.title, line.path, line.dash, at))
        last = at
    return found


def tyre_names(car: Car, key: str) -> tuple[str, str, str, str]:
    """Name, letters, and the hatches of front and rear of a compound or a pair."""
    if key == WET:
        return "Wet tyres", "W", "cross", "cross"
    known = {compound.key: compound for compound in car.tyres.compounds}
    a, b = (known.get(one) for one in axles_of(key))
    if a is None or b is None:
        return f"{key}, which the car no longer has", "?", "solid", "solid"
    if a is b:
        return a.name, a.letter, a.hatch, a.hatch
    return f"{a.name} front and {b.name} rear", f"{a.letter}{b.letter}", a.hatch, b.hatch


@dataclass(frozen=True)
class PairRow:
    """A pair for the page.

    :param new_s: against the quickest pair, new [s]
    :param spread_s: half its 95 % interval [s]
    :param laps: that it was measured on; 0 where it is modelled
    :param nervous: why it is nervous; empty where it is not
    :param spins_s: what spins are expected to cost a lap on it, which is in the plans [s]
    """

    key: str
    name: str
    letters: str
    hatches: tuple[str, str]
    new_s: float
    spread_s: float
    fade_ms: float
    cliff_laps: float
    laps: int
    front_work: float
    nervous: str
    barred: bool
    spins_s: float


def pair_rows(view: RaceView, car: Car, readings: Sequence[PairReading]) -> list[PairRow]:
    """Every pair with its pace and wear, and where it is nervous."""
    told = {one.key: one for one in readings}
    quickest = min(estimate.mean for estimate in view.pace.offset)
    rows = []
    for index, tyre in enumerate(view.pace.pace.tyres[: len(view.pace.offset)]):
        name, letters, front, rear = tyre_names(car, tyre.key)
        offset, one = view.pace.offset[index], told.get(tyre.key)
        words = ", ".join(f"{speed} corners, {phase}: {further:.0f} % further to oversteer" for speed, phase, further in _nervous(one))
        a, b = tyre.axles
        rows.append(
            PairRow(
                tyre.key, name, letters, (front, rear), offset.mean - quickest, 1.96 * offset.sd, 1000 * tyre.fade_s, tyre.cliff_age,
                offset.laps, 100 * one.work if one else 0.0, words, bool({a, b, tyre.key} & set(view.rules.barred)),
                spin_price_s(one, view.rules.around) if one else 0.0,
            )
        )  # fmt: skip
    return rows


def _nervous(one: PairReading | None) -> tuple[tuple[str, str, float], ...]:
    return one.nervous[:2] if one else ()


def stable_against_quick(rows: Sequence[PairRow]) -> str:
    """The quick pair or the stable one, in seconds."""
    free = [row for row in rows if not row.barred]
    stable = [row for row in free if not row.nervous]
    if not stable or len(stable) == len(free):
        return ""
    quick, calm = min(free, key=lambda row: row.new_s), min(stable, key=lambda row: row.new_s)
    if quick is calm:
        return f"The quickest pair, {quick.name}, is not a nervous one."
    gain = f"{format_number(calm.new_s - quick.new_s, 2)} s a lap on new tyres, ± {format_number(calm.spread_s + quick.spread_s, 2)} s"
    risk = f"The quick one’s risk: {quick.nervous}."
    if quick.spins_s > 0.0:
        better = "less" if calm.new_s - quick.new_s < quick.spins_s else "more"
        risk += f" Spins cost it {format_number(quick.spins_s, 2)} s a lap, which the plans count: the stable pair costs {better}."
    return f"The quick pair is {quick.name}; the stable one, {calm.name}, costs {gain}. {risk}"


def heat_rows(heats: Sequence[Heat] | None, car: Car) -> list[tuple[str, float]]:
    """The set of every heat in words, and what its tyres lose [s]."""
    return [
        (f"{tyre_names(car, heat.compound)[0]}, {'new' if not heat.age else f'{heat.age} laps old'}", heat.lost_s) for heat in heats or ()
    ]


@dataclass(frozen=True)
class PriceRow:
    """:param worth: in seconds and words"""

    rule: str
    worth: str


def price_rows(found: Sequence[Price], car: Car) -> list[PriceRow]:
    """What rules cost or give, in words."""
    rows = []
    for one in found:
        rule = {
            "mixed": "Unlike tyres front and rear forbidden", "stay": "Tyres may stay on, the other way round",
            "compulsory": "No compulsory compound", "stops": "No minimum of stops",
            "drop": f"{tyre_names(car, one.key)[0] if one.key else ''} not there",
        }[one.what]  # fmt: skip
        if one.gain_s is None:
            worth = "no plan is left"
        elif abs(one.gain_s) < _SAID_S:
            worth = "no difference"
        else:
            worth = f"{format_number(-one.gain_s, 1, signed=True)} s"
        rows.append(PriceRow(rule, worth))
    return rows


def next_words(found: Decisive | None, car: Car) -> str:
    """Which run to drive next, and why."""
    if found is None or found.swing_s < 0.3 * abs(found.gap_s):
        return ""
    name = tyre_names(car, found.key)[0]
    moves = f"moves their gap by {format_number(found.swing_s, 1)} s from one end of its spread to the other"
    return f"Drive next: 15 laps or more on {name}. Its fade {moves}, and it is {format_number(abs(found.gap_s), 1)} s today."
