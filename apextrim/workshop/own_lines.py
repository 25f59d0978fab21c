"""Effects of steps with the line made anew for each, as far as they are found: known by what they were made from."""

from collections.abc import Sequence
from dataclasses import replace

from apexcore.trim.moves.effects import StepEffect
from apexcore.trim.moves.own_lines import Move
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.modelling import answers, cases

from .models import OwnLines

#: How steps on lines of their own are found: those that were found otherwise are asked for anew.
_EDITION = 2


def step_key(item: str, steps: int) -> str:
    """What a step is kept by."""
    return f"{item}{steps:+d}"


def found_for(event: Event, sheet: CoreSheet) -> OwnLines | None:
    """What was found, or is being found, for a sheet here and today."""
    return OwnLines.objects.filter(event=event, made_from=made_from(cases.case_of(event, sheet))).select_related("job").first()


def made_from(case: cases.Case) -> str:
    """What the effects of a case on lines of their own are known by."""
    return case.digest("steps", _EDITION)


def _known(row: OwnLines | None, effect: StepEffect) -> StepEffect:
    """A step as it reads on lines of its own; as it is where that is not found yet."""
    found = None if row is None else row.effects_s.get(step_key(effect.item.key, effect.steps))
    if found is None:
        return effect
    lap_s, disagree_s = found
    return replace(effect, lap_s=float(lap_s), disagree_s=None if disagree_s is None else float(disagree_s))


def refined(row: OwnLines | None, effects: Sequence[StepEffect]) -> list[StepEffect]:
    """The effects with the lap times on lines of their own, as far as they are found."""
    return [_known(row, effect) for effect in effects]


def steps_of(row: OwnLines | None) -> frozenset[str]:
    """Keys of the steps that are found."""
    return frozenset(row.effects_s) if row is not None else frozenset()


def moves_of(event: Event, sheet: CoreSheet) -> list[Move]:
    """Every step of a sheet that there is, those that promise most first.

    :raises SolverError: if the car cannot take the circuit
    """
    effects = [effect for effect in answers.effects_of(event, sheet) if effect.value is not None and effect.item.tunes_lap]
    return [(effect.item, effect.steps) for effect in sorted(effects, key=lambda effect: effect.lap_s)]
