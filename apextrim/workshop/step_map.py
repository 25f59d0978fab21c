"""The map of steps: seconds across balance, how much the tyres work as size, what cannot be told from nothing hollow."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from apexcore.quantities import format_number, spread_decimals
from apexcore.trim.moves.effects import StepEffect
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.ui.labels import Label, placed
from apextrim.ui.pictures import Axis, Plot
from apextrim.ui.units import told

from .advice_presenters import AdviceCard

_PLOT = Plot(760, 400, left=58, right=744, top=24, bottom=356)
#: Radius of a step that no tyre feels, and what a tyre that works one per cent more or less adds [px]; the largest [px].
_LEAST_PX, _WORK_PX, _MOST_PX = 3.5, 4.0, 12.0
#: Steps that may be named in the picture, and the least that each axis shows [s], [%].
_NAMED, _LEAST_S, _LEAST_PCT = 10, 0.02, 0.2
#: How many steps may stand alone, far beyond all others.
_ALONE = 3


#: What the marks mean, and how they are walked.
_MARKS = (
    "Filled: clearly quicker or slower. Hollow: no difference seen. Crossed: car or class do not allow it. Size: how much the tyre that "
    "feels it most works more or less."
)
_WALK = "Arrow keys walk the steps; Enter or a click puts one on the sheet, unsaved."


@dataclass(frozen=True)
class StepSpot:
    """A step on the map.

    :param x: place [px]
    :param y: place, quicker above [px]
    :param r: radius, by the tyre whose work changes most [px]
    :param kind: `gain`, `loss`, `even` where nothing can be told from no change, or `barred` where it is not to be taken
    :param href: page that puts it on the sheet
    :param words: all of it as a sentence
    :param first: whether it is the one that is read first
    :param letter: what stands in it
    """

    x: float
    y: float
    r: float
    kind: str
    href: str
    words: str
    first: bool = False
    letter: str = ""


@dataclass(frozen=True)
class StepMap:
    """:param labels: names of the steps that stand apart
    :param sentence: what the map says, for who cannot see it
    :param x_words: what it shows across
    :param keys: what its marks mean
    """

    plot: Plot
    x: Axis
    y: Axis
    spots: tuple[StepSpot, ...]
    labels: tuple[Label, ...]
    sentence: str
    x_words: str
    keys: str

    @property
    def first_words(self) -> str:
        """What stands below it before anybody asked."""
        return next((spot.words for spot in self.spots if spot.first), "")

    @property
    def zero(self) -> tuple[float, float]:
        """Where a step that changes nothing stands [px]."""
        return self.x.at(0.0), self.y.at(0.0)


def balance_pct(effect: StepEffect) -> float:
    """Its change of balance over all kinds of corners that the circuit has, on average [%]."""
    there = [value for value in effect.balance.values() if value is not None]
    return float(np.mean(there)) if there else 0.0


@dataclass(frozen=True)
class _Mark:
    """What is to stand on the map.

    :param pct: change of balance [%]
    :param lap_s: change of lap time [s]
    :param name: what it is called where there is room
    """

    pct: float
    lap_s: float
    work: Sequence[float]
    kind: str
    href: str
    words: str
    name: str
    first: bool = False
    letter: str = ""


def _open_to_all(_: StepEffect) -> str:
    return ""


def step_map(
    effects: Sequence[StepEffect], href: Callable[[StepEffect], str], barred: Callable[[StepEffect], str] = _open_to_all
) -> StepMap | None:
    """The map of the steps that change the lap; None where there is none.

    :param href: page that puts a step on the sheet
    :param barred: why a step is not to be taken, such as a limit of the class; empty where it is
    """
    there = [one for one in effects if one.value is not None and not one.item.damper_only]
    if not there:
        return None
    why = {id(one): barred(one) for one in there}
    first = min(there, key=lambda one: (bool(why[id(one)]), not (one.is_clear and one.lap_s < 0.0), one.lap_s))
    marks = []
    for one in there:
        kind, words = "barred" if why[id(one)] else _kind(one), sentence_of(one)
        if why[id(one)]:
            words = f"{words[:-1]}; {why[id(one)]}."
        marks.append(_Mark(balance_pct(one), one.lap_s, one.work, kind, href(one), words, _name(one), one is first))
    return _drawn(
        marks,
        summary(there, [one for one in there if why[id(one)]]),
        "balance, %: − more oversteer, + more understeer",
        f"{_MARKS} {_WALK}",
    )


def advice_map(cards: Sequence[AdviceCard], bench: str) -> StepMap:
    """The same map of what is advised, by letter: across it the balance at the place that was named, that much of it taken away.

    :param bench: page that puts a change on the sheet, which `AdviceCard.query` is added to
    """
    marks = list[_Mark]()
    for card in cards:
        one = card.one
        clear = abs(one.lap_s) > one.spread_s
        kind = "even" if not clear else ("gain" if one.lap_s < 0.0 else "loss")
        decimals = spread_decimals(one.spread_s)
        lap = f"lap {format_number(one.lap_s, decimals, signed=True)} s ± {format_number(one.spread_s, decimals)}"
        words = f"{card.letter}: {card.moves}. Takes {format_number(one.change, 1)} % of it away; {lap}; {card.tyres}."
        marks.append(_Mark(one.change, one.lap_s, (one.work[0],), kind, bench + card.query, told(words), "", not marks, card.letter))
    sentence = f"{len(cards)} changes that answer it, by what each takes away and by lap time"
    keys = f"{_MARKS} Further right answers more of what you feel."
    return _drawn(marks, sentence, "balance taken away where you feel it, %", keys, letters=True)


def _reach(seconds: Sequence[float]) -> float:
    """How far the axis of seconds goes at most: what stands alone beyond the rest is drawn at its edge [s]."""
    sizes = sorted(map(abs, seconds), reverse=True)
    return max(_LEAST_S, 1.6 * sizes[min(_ALONE, len(sizes) - 1)])


def _drawn(marks: Sequence[_Mark], sentence: str, x_words: str, keys: str, letters: bool = False) -> StepMap:
    """Marks at their places, those furthest from nothing named as far as there is room."""
    reach = math.inf if letters else _reach([mark.lap_s for mark in marks])
    side = max(_LEAST_PCT, *(abs(mark.pct) for mark in marks))
    held = [min(max(mark.lap_s, -reach), reach) for mark in marks]
    low, high = min(-_LEAST_S, *held), max(_LEAST_S, *held)
    left = min(0.0, *(mark.pct for mark in marks)) if letters else -side
    x = _PLOT.x_axis(left, side, 6, lambda value: format_number(value, 1, signed=bool(value)), inset=20)
    upside_down = replace(_PLOT, top=_PLOT.bottom, bottom=_PLOT.top)
    y = upside_down.y_axis(low, high, 6, lambda value: format_number(value, 2, signed=bool(value)), inset=-16)
    least = 9.0 if letters else 0.0
    spots = [
        StepSpot(
            x.at(mark.pct), y.at(at), max(_radius(mark.work), least), mark.kind, mark.href, mark.words, mark.first, mark.letter
        )
        for mark, at in zip(marks, held, strict=True)
    ]  # fmt: skip
    order = sorted(range(len(marks)), key=lambda n: -max(abs(held[n]) / max(-low, high), 0.7 * abs(marks[n].pct) / side))
    asked = []
    for n in order[: 3 * _NAMED]:
        beyond = f", {format_number(marks[n].lap_s, 2, signed=True)} s" if held[n] != marks[n].lap_s else ""
        asked.append((spots[n].x, spots[n].y, spots[n].r, marks[n].name + beyond))
    labels = placed([one for one in asked if one[3]], [(spot.x, spot.y, spot.r) for spot in spots], _PLOT, _NAMED)
    return StepMap(_PLOT, x, y, tuple(sorted(spots, key=lambda spot: -spot.r)), labels, sentence, x_words, keys)


def _radius(work: Sequence[float]) -> float:
    return min(_LEAST_PX + _WORK_PX * 100.0 * max(map(abs, work)), _MOST_PX)


def _kind(effect: StepEffect) -> str:
    if not effect.is_clear:
        return "even"
    return "gain" if effect.lap_s < 0.0 else "loss"


def _name(effect: StepEffect) -> str:
    value = "" if effect.value is None else told(effect.text)
    return f"{effect.item.name} to {value}"


def sentence_of(effect: StepEffect) -> str:
    """A step's effect on lap time, balance and tyres in one sentence."""
    decimals = spread_decimals(effect.spread_s)
    spread = f"± {format_number(effect.spread_s, decimals)}"
    if effect.is_clear:
        lap = f"{format_number(abs(effect.lap_s), decimals)} s {'quicker' if effect.lap_s < 0.0 else 'slower'} {spread}"
    else:
        lap = f"no difference seen, {format_number(effect.lap_s, decimals, signed=True)} s {spread}"
    balance = balance_pct(effect)
    turned = "balance as it was"
    if abs(balance) >= 0.05:
        turned = f"{format_number(abs(balance), 1)} % more {'understeer' if balance > 0.0 else 'oversteer'}"
    wheel = max(range(4), key=lambda n: abs(effect.work[n]))
    share = 100.0 * effect.work[wheel]
    tyres = "tyres work as before"
    if abs(share) >= 0.05:
        tyres = f"{WHEEL_WORDS[WHEELS[wheel]]} tyre works {format_number(abs(share), 1)} % {'harder' if share > 0.0 else 'less'}"
    return f"{_name(effect)}: {lap}; {turned}; {tyres}."


def summary(effects: Sequence[StepEffect], barred: Sequence[StepEffect] = ()) -> str:
    """How many steps are clearly quicker and slower, and the best by name.

    :param barred: those that are not to be taken
    """
    out = {id(one) for one in barred}
    quicker = sorted((one for one in effects if one.is_clear and one.lap_s < 0.0 and id(one) not in out), key=lambda one: one.lap_s)
    slower = sum(one.is_clear and one.lap_s > 0.0 for one in effects)
    rest = sum(not one.is_clear for one in effects)
    tail = f"{slower or 'none'} {'is' if slower == 1 else 'are'} clearly slower; of {rest} no difference is seen"
    if not quicker:
        more = any(one.is_clear and one.lap_s < 0.0 for one in barred)
        can = " that the car and its class allow" if more else ""
        return f"No single step{can} is clearly quicker: {tail}."
    best, decimals = quicker[0], spread_decimals(quicker[0].spread_s)
    gain = f"{format_number(-best.lap_s, decimals)} s a lap (± {format_number(best.spread_s, decimals)})"
    if len(quicker) == 1:
        return f"Best step: {_name(best)}, quicker by {gain}; {tail}."
    return f"Best step: {_name(best)}, quicker by {gain}. {len(quicker)} steps are clearly quicker, {tail}."
