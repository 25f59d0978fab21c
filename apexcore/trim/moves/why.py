"""Why a step does what it does, in one sentence from both laps' own terms: where the time goes, and what the car does otherwise there."""

from collections.abc import Sequence

from ...circuit.line import CornerSpan
from ...quantities.text import format_number
from ...vehicle.car import WHEEL_WORDS, WHEELS
from .effects import StepEffect

#: What counts as one of each: share of the load that the front axle moves across [%], balance in a corner [%], tread [K], top speed [m/s],
#: and the least of it that is worth a word.
_LOAD_PCT, _BALANCE_PCT, _TREAD_K, _TOP_MS, _LEAST = 0.5, 1.0, 1.5, 0.15, 0.2
#: Share of all that a step gains and loses from which on a place is told [-].
_TOLD = 0.15
#: What the place that changes most changes at least [s].
_STILL_S = 1e-3
_PHASES = ("on entry", "in mid-corner", "on exit")


def why(effect: StepEffect, spans: Sequence[CornerSpan]) -> str:
    """The sentence; empty where the step changes nothing that can be told.

    :param spans: the corners that the effect was read with
    """
    if effect.value is None or not effect.corner_s:
        return ""
    places = [(f"in {_name(span)}", seconds) for span, seconds in zip(spans, effect.corner_s, strict=True)]
    places.append(("between the corners", effect.between_s))
    if max(abs(seconds) for _, seconds in places) < _STILL_S:
        return "It hardly changes the lap anywhere."
    told = [(words, seconds) for words, seconds in places if abs(seconds) >= _TOLD * sum(abs(one) for _, one in places) and seconds]
    gains = sorted((one for one in told if one[1] < 0.0), key=lambda one: one[1])[:1]
    losses = sorted((one for one in told if one[1] > 0.0), key=lambda one: -one[1])[:1]
    where = [f"gains {_seconds(seconds)} {words}" for words, seconds in gains]
    where += [f"loses {_seconds(seconds)} {words}" for words, seconds in losses]
    causes = _causes(effect, spans)
    if not where and not causes:
        return ""
    first = f"It {' and '.join(where)}" if where else "It changes no place of the lap by much"
    return f"{first}: {' and '.join(causes)}." if causes else f"{first}."


def _causes(effect: StepEffect, spans: Sequence[CornerSpan]) -> list[str]:
    """The two largest changes of what the car does, in words."""
    found: list[tuple[float, str]] = []
    load = effect.front_load_pct
    end = "front" if load > 0.0 else "rear"
    found.append((abs(load) / _LOAD_PCT, f"the {end} takes {format_number(abs(load), 1)} % more of the load that moves across"))
    felt = [
        (abs(change), change, span, phase)
        for span, phases in zip(spans, effect.corners, strict=False) for phase, change in enumerate(phases) if change is not None
    ]  # fmt: skip
    if felt:
        size, change, span, phase = max(felt, key=lambda one: one[0])
        sense = "understeer" if change > 0.0 else "oversteer"
        found.append((size / _BALANCE_PCT, f"{_name(span)} has {format_number(size, 1)} % more {sense} {_PHASES[phase]}"))
    wheel = max(range(4), key=lambda number: abs(effect.tread_k[number]))
    heat = effect.tread_k[wheel]
    side = "hotter" if heat > 0.0 else "cooler"
    found.append((abs(heat) / _TREAD_K, f"the {WHEEL_WORDS[WHEELS[wheel]]} tread runs {format_number(abs(heat), 1)} K {side}"))
    top = 3.6 * effect.top_ms
    found.append((abs(effect.top_ms) / _TOP_MS, f"top speed changes by {format_number(top, 1, signed=True)} km/h"))
    return [words for size, words in sorted(found, key=lambda one: -one[0])[:2] if size >= _LEAST]


def _name(span: CornerSpan) -> str:
    return f"corner {span.number}" + (f", {span.name}" if span.name else "")


def _seconds(seconds: float) -> str:
    return f"{format_number(abs(seconds), 3)} s"
