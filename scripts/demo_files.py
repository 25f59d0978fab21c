"""The demo's cars and circuits for scripts."""

from pathlib import Path

from apexcore.circuit.track import Circuit
from apexcore.vehicle.car import Car

DEMO = Path(__file__).parents[1] / "demo"


def demo_car(key: str = "brackendale_gt") -> Car:
    """A car of the demo, the GT coupé if none is named."""
    return Car.model_validate_json((DEMO / "cars" / f"{key}.json").read_text(encoding="utf-8"))


def demo_circuit(key: str = "sallowmere_fen") -> Circuit:
    """A circuit of the demo, the road circuit if none is named."""
    return Circuit.model_validate_json((DEMO / "circuits" / f"{key}.json").read_text(encoding="utf-8"))
