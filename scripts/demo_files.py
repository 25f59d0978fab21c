"""The demo's car and circuit for scripts."""

from pathlib import Path

from apexcore.circuit.track import Circuit
from apexcore.vehicle.car import Car

DEMO = Path(__file__).parents[1] / "demo"


def demo_car() -> Car:
    """The GT coupé."""
    return Car.model_validate_json((DEMO / "cars" / "brackendale_gt.json").read_text(encoding="utf-8"))


def demo_circuit() -> Circuit:
    """The road circuit."""
    return Circuit.model_validate_json((DEMO / "circuits" / "sallowmere_fen.json").read_text(encoding="utf-8"))
