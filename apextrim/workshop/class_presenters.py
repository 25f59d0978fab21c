"""What a search under class limits found, in words and picture geometry."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from apexcore.quantities import format_lap, format_number
from apexcore.trim.moves.class_search import AtStep, ClassFound, restrictor_of
from apexcore.trim.moves.effects import sheets_spread_s
from apexcore.vehicle.car import Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.ui.pictures import Axis, Plot
from apextrim.ui.units import shown, told

_PLOT = Plot(460, 260, left=66, right=440, top=14, bottom=214)


def _stored_step(at: AtStep, keys: Sequence[str]) -> dict[str, Any]:
    return {
        "value": at.value, "values": {key: at.sheet.values[key] for key in keys}, "weight_kg": at.stands.weight_kg,
        "power_kw": at.stands.power_kw, "ballast_kg": at.stands.ballast_kg, "cost_s": at.cost_s, "lap_s": at.lap_s,
    }  # fmt: skip


def stored(found: ClassFound, items: Sequence[Item]) -> dict[str, Any]:
    """The result as a search's row keeps it."""
    keys = [item.key for item in items]
    return {
        "steps": [_stored_step(at, keys) for at in found.steps], "best": found.steps.index(found.best), "refused": list(found.refused),
        "before_s": found.before_s, "broken": list(found.broken), "tried": found.tried, "undriven": list(found.best.undriven),
    }  # fmt: skip


@dataclass(frozen=True)
class ClassStep:
    """The best sheet of one restrictor step.

    :param restrictor: the step in words; empty for a car without one
    :param ballast: what lies at each place
    :param against_s: against the best of all [s]
    :param query: what the address of the bench needs for it
    """

    restrictor: str
    ballast: tuple[str, ...]
    weight_kg: float
    power_kw: float
    ballast_kg: float
    lap_s: float
    against_s: float
    query: str
    best: bool

    @property
    def kg_per_kw(self) -> float:
        """Weight for each kilowatt [kg/kW]."""
        return self.weight_kg / self.power_kw


@dataclass(frozen=True)
class ClassView:
    """The whole result.

    :param restricted: whether the car has a restrictor that may move
    :param places: where ballast may lie
    :param rows: by restrictor step, the highest first
    :param undriven: what the best does that breaks a bound of what can be driven; empty where it keeps all
    :param unchanged: whether the sheet it began with is the best already
    :param dots: lap by restrictor in picture units with words, empty for fewer than two
    """

    sentence: str
    restricted: bool
    places: tuple[str, ...]
    broken: tuple[str, ...]
    undriven: str
    rows: list[ClassStep]
    refused: str
    unchanged: bool
    tried: int
    plot: Plot
    x: Axis
    y: Axis
    dots: list[tuple[float, float, str]]


def class_view(result: Mapping[str, Any], aim: str, car: Car, sheet: CoreSheet, name: str) -> ClassView:
    """The stored result in words.

    :param name: of the sheet that it began with
    """
    item = restrictor_of(car)
    best = result["steps"][result["best"]]
    rows = [_row(one, best, item, car) for one in reversed(result["steps"])]
    changed = {key: value for key, value in best["values"].items() if abs(value - sheet.values[key]) > 1e-9}
    refused = ""
    if item is not None and result["refused"]:
        ends = [shown(item).text(value) for value in (result["refused"][0], result["refused"][-1])]
        refused = ends[0] if len(result["refused"]) == 1 else f"{len(result['refused'])} steps from {ends[0]} to {ends[1]}"
    laps = [one["cost_s"] for one in result["steps"]]
    values = [one["value"] or 0.0 for one in result["steps"]]
    x = _PLOT.x_axis(min(values), max(max(values), min(values) + 1.0), 5, lambda value: format_number(value, 0), inset=14)
    y = _PLOT.y_axis(min(laps), max(max(laps), min(laps) + 0.02), 4, lambda value: format_lap(value, 2), inset=10)
    dots = [(x.at(value), y.at(cost), f"{row.restrictor}: {format_lap(cost, 2)}, ballast {told(f'{row.ballast_kg:.1f} kg')}")
            for value, cost, row in zip(values, laps, reversed(rows), strict=True)]  # fmt: skip
    sentence = _sentence(result, aim, car, changed, name)
    broken = tuple(result["broken"])
    places = tuple(car.item(key).name for key in best["values"] if item is None or key != item.key)
    undriven = " and ".join(result.get("undriven", ()))
    return ClassView(
        sentence,
        item is not None,
        places,
        broken,
        undriven,
        rows,
        refused,
        not changed,
        result["tried"],
        _PLOT,
        x,
        y,
        dots if len(dots) > 1 else [],
    )


def _row(one: Mapping[str, Any], best: Mapping[str, Any], item: Item | None, car: Car) -> ClassStep:
    places = [(car.item(key), value) for key, value in one["values"].items() if item is None or key != item.key]
    return ClassStep(
        shown(item).text(one["value"]) if item is not None else "", tuple(shown(place).text(value) for place, value in places),
        one["weight_kg"], one["power_kw"], one["ballast_kg"], one["lap_s"], one["cost_s"] - best["cost_s"],
        "".join(f"&set={key}:{value:g}" for key, value in one["values"].items()), one is best,
    )  # fmt: skip


def _sentence(result: Mapping[str, Any], aim: str, car: Car, changed: Mapping[str, float], name: str) -> str:
    best = result["steps"][result["best"]]
    if not changed:
        return f"{name} is the quickest that the class allows, as far as ballast and restrictor go."
    gain = best["cost_s"] - result["before_s"]
    spread = sheets_spread_s(gain)
    what = " and ".join(f"{car.item(key).name} {shown(car.item(key)).text(value)}" for key, value in changed.items())
    per = "a lap" if aim == "lap" else "a lap over the stint"
    sense = "quicker" if gain < 0 else "slower"
    against = f"{name}, which the class does not allow" if result["broken"] else name
    if abs(gain) <= spread:
        return f"{what}: about as quick as {against} (± {format_number(spread, 2)} s {per})."
    return f"{what}: {format_number(abs(gain), 2)} s {per} {sense} than {against}, ± {format_number(spread, 2)} s."
