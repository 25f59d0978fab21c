"""What a racer asks of a step, and how the steps stand in its order."""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from ...vehicle.car import WHEEL_WORDS, WHEELS
from ..reading.balance import PHASES, SPEEDS
from .effects import StepEffect


@dataclass(frozen=True)
class Aim:
    """:param words: the question
    :param score: less is better"""

    words: str
    score: Callable[[StepEffect], float]


def _balance(phase: str) -> Callable[[StepEffect], float]:
    def mean(effect: StepEffect) -> float:
        cells = [effect.balance.get((speed, phase)) for speed in SPEEDS]
        found = [cell for cell in cells if cell is not None]
        return float(np.mean(found)) if found else 0.0

    return mean


def _less(score: Callable[[StepEffect], float]) -> Callable[[StepEffect], float]:
    return lambda effect: -score(effect)


def _work(wheel: int) -> Callable[[StepEffect], float]:
    return lambda effect: effect.work[wheel]


_PHASE_WORDS = {"entry": "on entry", "mid": "in mid-corner", "exit": "on exit"}

AIMS: dict[str, Aim] = {
    "lap": Aim("lap time", lambda effect: effect.lap_s),
    **{f"calm-{phase}": Aim(f"less oversteer {_PHASE_WORDS[phase]}", _less(_balance(phase))) for phase in PHASES},
    **{f"free-{phase}": Aim(f"less understeer {_PHASE_WORDS[phase]}", _balance(phase)) for phase in PHASES},
    **{f"spare-{wheel}": Aim(f"less work for the {WHEEL_WORDS[wheel]} tyre", _work(index)) for index, wheel in enumerate(WHEELS)},
    "top": Aim("top speed", lambda effect: -effect.top_ms),
    "fuel": Aim("fuel use", lambda effect: effect.fuel_l),
}


def ranked(effects: Iterable[StepEffect], aim: str) -> list[StepEffect]:
    """The steps that exist, best for this aim first; those that change nothing in the lap last.

    For lap time the order is no finer than the spread supports: steps that are clearly quicker, then those without a clear effect in
    the order of the sheet, then those that are clearly slower.
    """
    score = AIMS[aim].score
    there = [effect for effect in effects if effect.value is not None]
    if aim == "lap":
        return sorted(there, key=lambda one: (one.item.damper_only, one.is_clear * math.copysign(1.0, one.lap_s), one.is_clear * one.lap_s))
    return sorted(there, key=lambda effect: (effect.item.damper_only, score(effect)))
