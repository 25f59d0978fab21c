"""Writes the glossary, the proof page and the effects tables in docs from the live code. `make docs` calls it."""

from pathlib import Path

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.features import GripStrip, Marker
from apexcore.circuit.line import corners, racing_line
from apexcore.circuit.track import Circuit, Corner, Straight
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import LapCase
from apexcore.quantities import TERMS, format_number
from apexcore.quantities.described import described
from apexcore.quantities.values import Value
from apexcore.race.rules import RaceRules
from apexcore.trim.moves.effects import StepEffect, step_effects
from apexcore.trim.reading.analysis import SheetAnalysis, analyse
from apexcore.trim.reading.balance import balance_changes
from apexcore.vehicle.car import Aero, Axle, Ballast, Brakes, Car, Compound, Damper, Differential, FuelMap, Mass, Powertrain, Tyres
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.sheet import Sheet, base_sheet

from .demo_files import demo_car, demo_circuit
from .proof import all_cases

DOCS = Path(__file__).parents[1] / "docs"


_GLOSSARY_HEAD = """# Glossary

The words of the field as the interface uses them, what more of each does, and where the code holds it; then every field of a car,
a circuit, the conditions and the race rules with its unit and its allowed range. Written by `make docs` from
`apexcore/quantities/glossary.py` and from the fields' own descriptions.

| term | what it is | more of it | in code |
|---|---|---|---|
"""

#: Whose fields people fill in.
_DESCRIBED: tuple[type[Value], ...] = (
    Car, Mass, Ballast, Axle, Damper, Aero, Powertrain, Differential, FuelMap, Brakes, Tyres, Compound,
    Circuit, Straight, Corner, GripStrip, Marker, Conditions, RaceRules, ClassLimits,
)  # fmt: skip


def glossary() -> str:
    """The glossary page."""
    terms = [f"| {term.name} | {term.meaning} | {term.more} | {', '.join(f'`{name}`' for name in term.fields)} |" for term in TERMS]
    lines = [_GLOSSARY_HEAD + "\n".join(terms)]
    for model in _DESCRIBED:
        lines.append(f"\n## {model.__name__}\n\n| field | unit | what it is | range |\n|---|---|---|---|")
        lines += [
            f"| `{name}` | {field.unit} | {field.words.replace('|', '&#124;')} | {field.range_text} |"
            for name, field in described(model).items()
        ]
    return "\n".join(lines) + "\n"


_PROOF_HEAD = """# Proof

Each figure as the code computes it, beside an answer known from elsewhere. Written by `make docs`; the same cases are tests.

| case | reference | computed | known | distance | allowed | |
|---|---|---|---|---|---|---|
"""


def proof() -> str:
    """The proof page."""
    lines = []
    for case in all_cases():
        mark = "holds" if case.error <= case.bound else "**fails**"
        distance = f"{case.error:.2g} {case.measure}"
        lines.append(f"| {case.name} | {case.reference} | {case.ours} | {case.known} | {distance} | {case.bound:g} | {mark} |")
    return _PROOF_HEAD + "\n".join(lines) + "\n"


_EFFECTS_HEAD = """# What one step does

One step up (down where the range ends above) of every item of two demo cars, on their base sheet, 22 °C air, 30 °C track,
driven like a front runner. Modelled, written by `make docs`. Lap in milliseconds, negative is quicker; balance in per cent of
grip, + understeer, − oversteer; tyre in °C, the wheel that changes most. Dampers are left out: they change the ride, never the lap.
"""


def effects(car_key: str, circuit_key: str) -> str:
    """The effects table of one car at one circuit."""
    car, circuit = demo_car(car_key), demo_circuit(circuit_key)
    line = racing_line(circuit, car_width_m=car.width_m)
    spans, first = corners(circuit, line), car.tyres.compounds[0]
    lap_case = LapCase(car, line, Conditions(), (first, first), driver=LEVELS["front runner"])
    sheet = base_sheet(car)
    before = analyse(lap_case, spans, sheet)
    head = "| item | step | lap ms | ± | top km/h | slow entry | slow mid | slow exit | fast entry | fast mid | fast exit | tyre |"
    rows = [f"\n## {car.name} at {circuit.name}, {circuit.layout}\n", head, "|" + "---|" * 12]
    for effect in step_effects(lap_case, sheet, [item for item in car.items if item.tunes_lap], before.lap):
        if effect.value is None or (effect.steps < 0 and sheet.stepped(effect.item, 1) is not None):
            continue
        moved = Sheet(car.key, {**sheet.values, effect.item.key: effect.value})
        rows.append(_effect_row(effect, before, analyse(lap_case, spans, moved)))
    return "\n".join(rows) + "\n"


def _effect_row(effect: StepEffect, before: SheetAnalysis, after: SheetAnalysis) -> str:
    balance = balance_changes(after.corners, before.corners)
    cells = [balance[speed, phase] for speed in ("slow", "fast") for phase in ("entry", "mid", "exit")]
    heat = [(now.temperature_c - was.temperature_c, now.wheel) for now, was in zip(after.tyres, before.tyres, strict=True)]
    most, wheel = max(heat, key=lambda pair: abs(pair[0]))
    figures = [format_number(1000 * effect.lap_s, 1, True), format_number(1000 * effect.spread_s, 0)]
    figures.append(format_number(3.6 * effect.top_ms, 1, True))
    figures += ["" if cell is None else format_number(cell, 2, True) for cell in cells]
    return f"| {effect.item.name} | to {effect.text} | " + " | ".join(figures) + f" | {wheel.upper()} {format_number(most, 1, True)} |"


def main() -> None:
    (DOCS / "glossary.md").write_text(glossary(), encoding="utf-8")
    (DOCS / "proof.md").write_text(proof(), encoding="utf-8")
    tables = effects("brackendale_gt", "sallowmere_fen") + effects("ferrow_lark", "sallowmere_fen")
    (DOCS / "effects.md").write_text(_EFFECTS_HEAD + tables, encoding="utf-8")
    print("docs/glossary.md, docs/proof.md and docs/effects.md are written.")


if __name__ == "__main__":
    main()
