"""What a race still owes and may still use, in words."""

from dataclasses import dataclass

from apexcore.quantities.words import counted
from apexcore.race.clock import pace_now, standing_now
from apexcore.race.legal import Owed, owed
from apexcore.race.length import stretches_words
from apexcore.race.options import ages
from apexcore.vehicle.car import Car
from apextrim.ui.units import told

from .gap_presenters import tyre_names
from .live import Now

#: Laps and minutes from which on what is owed presses.
_NEAR, _NEAR_MIN = 3, 5.0
#: Penalties by their kind.
PENALTIES = {"penalty": "Time penalty", "through": "Drive-through", "stopgo": "Stop and go"}


@dataclass(frozen=True)
class TyreChoice:
    """A set that may be fitted.

    :param key: tyres and laps of the set, with an at between them
    :param wanted: whether the plan fits it next
    """

    key: str
    name: str
    wanted: bool


def set_key(compound: str, age: int) -> str:
    """A set as the forms name it."""
    return f"{compound}@{age}"


def set_words(car: Car, compound: str, age: int) -> str:
    """A set as one says it."""
    return f"{tyre_names(car, compound)[0]}, {counted(age, 'lap')} old" if age else tyre_names(car, compound)[0]


def sets_left(now: Now, car: Car, wanted: str) -> list[TyreChoice]:
    """The sets that are still there, those that nobody counts among them."""
    left = {(compound, age): count for compound, age, count in owed(now.rules, now.state.standing).sets}
    found = []
    for tyre in pace_now(now.setup, now.state).tyres:
        for age in ages(now.rules, tyre):
            count = min((left.get((key, age), 99) for key in tyre.axles), default=99)
            key, words = set_key(tyre.key, age), set_words(car, tyre.key, age)
            if count < 99:
                words += f" ({count} left)" if count else " (none left)"
            found.append(TyreChoice(key, words, key == wanted))
    return found


def owed_lines(now: Now, car: Car) -> list[tuple[str, bool]]:
    """What the rules still ask for and still allow, a line each, with whether it presses."""
    rules, state, at = now.rules, now.state, standing_now(now.setup, now.state, now.rules)
    still, lines, left = owed(rules, at), list[tuple[str, bool]](), now.rules.laps - at.laps_done
    if left <= 0:
        return []
    window = _window(still)
    if still.stops:
        near = still.stop_within is not None and still.stop_within <= _NEAR
        lines.append((f"{counted(still.stops, 'compulsory stop')} still owed{window}", near or left <= _NEAR))
    elif window and still.stops_left:
        lines.append((f"Stops{window[1:]}", False))
    lines += _by_the_clock(still, at.clock_s / 60.0)
    for key, laps in still.compounds:
        lines.append((f"{tyre_names(car, key)[0]}: {counted(laps, 'lap')} still owed", left <= laps + _NEAR))
    for kind, seconds in state.penalties:
        words = f"{PENALTIES[kind]} of {seconds:g} s owed" if seconds else f"{PENALTIES[kind]} owed"
        lines.append((words, True))
    if still.jokers:
        lines.append((f"{counted(still.jokers, 'joker lap')} still owed", left <= still.jokers + _NEAR))
    for litres, words in ((still.stint_l, "This stint"), (still.race_l, "The race")):
        if litres is not None:
            over = f"{abs(litres):.1f} l {'may still be burnt' if litres >= 0 else 'too much burnt'}"
            lines.append((told(f"{words}: {over}"), litres < _NEAR * state.use_l))
    if still.stint_laps is not None:
        over = counted(abs(still.stint_laps), "lap")
        lines.append((f"This stint: {over} {'more allowed' if still.stint_laps >= 0 else 'too many'}", still.stint_laps <= _NEAR))
    if still.wheel_min is not None:
        words = f"At the wheel: {abs(still.wheel_min):.0f} min {'more allowed' if still.wheel_min >= 0 else 'too long'}"
        lines.append((words, still.wheel_min < _NEAR_MIN))
    if rules.sets:
        sets = [f"{count} × {set_words(car, key, age)}" for key, age, count in still.sets if count]
        lines.append((f"Sets left: {'; '.join(sets) or 'none'}", not sets))
    need = state.use_l * left
    apart = at.fuel_l - need
    fuel = f"To the flag: {need:.1f} l at {state.use_l:.2f} l a lap, {abs(apart):.1f} l {'spare' if apart >= 0 else 'still to fill'}"
    lines.append((told(fuel), apart < 0 and not rules.refuelling))
    return lines


def _by_the_clock(still: Owed, minute: float) -> list[tuple[str, bool]]:
    """Whether one may stop by the race's clock, and when that changes."""
    if not still.shut or not still.stops_left:
        return []
    first = still.shut[0]
    if minute >= first.first:
        return [(f"No stop until minute {first.last:g}: {first.last - minute:.1f} min more", first.last - minute < _NEAR_MIN)]
    return [(f"Stops until minute {first.first:g}: {first.first - minute:.1f} min left", first.first - minute < _NEAR_MIN)]


def _window(still: Owed) -> str:
    """When one may stop, as the end of a sentence."""
    said = f", the window opens in {counted(still.stop_from, 'lap')}" if still.stop_from else ""
    if still.closed:
        many = len(still.closed) > 1 or still.closed[0].last > still.closed[0].first
        said += f", none at the end of lap{'s' if many else ''} {stretches_words(still.closed)}"
    if still.stop_within is None:
        return said
    if still.stop_within < 0:
        return f"{said}, the window closed {counted(-still.stop_within, 'lap')} ago"
    if not still.stop_within:
        return f"{said}, the window closes now"
    return f"{said}, the window closes in {counted(still.stop_within, 'lap')}"
