"""Effects of steps with the line made anew for each, as far as they are found: known by what they were made from."""

from collections.abc import Sequence
from dataclasses import replace

from apexcore.trim.moves.effects import StepEffect
from apexcore.trim.moves.own_lines import Move
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.modelling import answers, cases

from .models import OwnLines


def step_key(item: str, steps: int) -> str:
    """What a step is kept by."""
    return f"{item}{steps:+d}"


def found_for(event: Event, sheet: CoreSheet) -> OwnLines | None:
    """What was found, or is being found, for a sheet here and today."""
    return OwnLines.objects.filter(event=event, made_from=cases.case_of(event, sheet).digest()).select_related("job").first()


def known(row: OwnLines | None, effect: StepEffect) -> float | None:
    """Change of lap time of a step on lines of their own [s]; None where it is not found yet."""
    value = None if row is None else row.effects_s.get(step_key(effect.item.key, effect.steps))
    return None if value is None else float(value)


def refined(row: OwnLines | None, effects: Sequence[StepEffect]) -> list[StepEffect]:
    """The effects with the lap times on lines of their own, as far as they are found."""
    return [effect if (own := known(row, effect)) is None else replace(effect, lap_s=own) for effect in effects]


def steps_of(row: OwnLines | None) -> frozenset[str]:
    """Keys of the steps that are found."""
    return frozenset(row.effects_s) if row is not None else frozenset()


def moves_of(event: Event, sheet: CoreSheet) -> list[Move]:
    """Every step of a sheet that there is, those that promise most first.

    :raises SolverError: if the car cannot take the circuit
    """
    effects = [effect for effect in answers.effects_of(event, sheet) if effect.value is not None and effect.item.tunes_lap]
    return [(effect.item, effect.steps) for effect in sorted(effects, key=lambda effect: effect.lap_s)]
