"""The demo's car and circuit, and cars stripped down to what a closed form knows."""

import os
import shutil
from functools import cache
from pathlib import Path

import hypothesis
import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import CornerSpan, Line, corners, racing_line
from apexcore.circuit.track import Circuit
from apexcore.compiled import watch
from apexcore.lap.solver import LapCase
from apexcore.vehicle.car import Car, Differential
from apexcore.vehicle.sheet import Sheet, base_sheet
from tests.amounts import THOROUGH
from tests.database import migrated

#: Tests that `make quick` leaves out, as `make times WHAT=tests` measured them.
SLOW = Path(__file__).with_name("slow.txt")

hypothesis.settings.register_profile("any machine", deadline=None)  # a busy machine is no failure
hypothesis.settings.load_profile("any machine")


def pytest_configure() -> None:
    from django.conf import settings

    watch(_refuse)
    options = settings.DATABASES["default"]["OPTIONS"]  # a power failure has tests of its own
    options["init_command"] = options["init_command"].replace("synchronous=FULL", "synchronous=OFF")

    settings.VAR = settings.VAR / "tests" / os.environ.get("PYTEST_XDIST_WORKER", "alone")  # files of one worker's tests
    settings.VAR.mkdir(parents=True, exist_ok=True)
    settings.ANSWERS = None  # what a test asks for is worked out in it
    settings.FIND_LINES = False  # no page asks for work that no test is about
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # quick; nothing here is secret
    settings.WHITENOISE_AUTOREFRESH = True  # a test client need not read every font and script before its first request


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Marks what was measured to be slow; what runs in `make thorough` alone is left out elsewhere."""
    slow = set(SLOW.read_text().splitlines())
    for item in items:
        if item.nodeid.partition("[")[0] in slow:
            item.add_marker("slow")
    if not THOROUGH:
        left = [item for item in items if item.get_closest_marker("thorough_only")]
        config.hook.pytest_deselected(items=left)
        items[:] = [item for item in items if item not in left]


def _refuse(name: str) -> None:
    """`make` compiles all that the product asks for beforehand: what is compiled later would be compiled in somebody's request."""
    if name.startswith("apexcore."):
        raise AssertionError(f"{name} is compiled while it is used; apexcore.warm does not know these arguments")


@pytest.fixture(scope="session")
def django_db_keepdb() -> bool:
    """The tables are there already: they are copied."""
    return True


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings_parallel_suffix: None) -> None:
    """Puts a migrated database where this worker's is asked for."""
    from django.conf import settings

    path = Path(settings.DATABASES["default"]["TEST"]["NAME"])
    for end in ("", "-wal", "-shm"):
        path.with_name(path.name + end).unlink(missing_ok=True)
    shutil.copyfile(migrated(), path)


DEMO = Path(__file__).parents[1] / "demo"


@pytest.fixture(scope="session")
def car() -> Car:
    return demo_car("brackendale_gt")


def demo_files(folder: str) -> list[str]:
    return sorted(path.stem for path in (DEMO / folder).glob("*.json"))


@cache
def demo_car(key: str) -> Car:
    return Car.model_validate_json((DEMO / "cars" / f"{key}.json").read_text())


@cache
def demo_circuit(key: str) -> Circuit:
    return Circuit.model_validate_json((DEMO / "circuits" / f"{key}.json").read_text())


@cache
def demo_lap_case(car_key: str, circuit_key: str) -> tuple[LapCase, tuple[CornerSpan, ...]]:
    """A demo car on a demo circuit, on its first compound."""
    circuit = demo_circuit(circuit_key)
    car = demo_car(car_key)
    line = racing_line(circuit, car_width_m=car.width_m)
    first = car.tyres.compounds[0]
    return LapCase(car, line, Conditions(), (first, first)), tuple(corners(circuit, line))


@pytest.fixture(scope="session")
def circuit() -> Circuit:
    return demo_circuit("sallowmere_fen")


@pytest.fixture(scope="session")
def line(circuit: Circuit, car: Car) -> Line:
    return racing_line(circuit, car_width_m=car.width_m)


@pytest.fixture(scope="session")
def spans(circuit: Circuit, line: Line) -> list[CornerSpan]:
    return corners(circuit, line)


@pytest.fixture(scope="session")
def lap_case(car: Car, line: Line) -> LapCase:
    marl = car.tyres.compound("marl")
    return LapCase(car, line, Conditions(), (marl, marl))


@pytest.fixture(scope="session")
def sheet(car: Car) -> Sheet:
    return base_sheet(car)


def stripped(car: Car) -> Car:
    """A balanced car without aero, load sensitivity, lean, pressure and temperature effects, slip, rolling loss or engine braking."""
    compound = car.tyres.compounds[0].model_copy(
        update={
            "mu": 1.3, "mu_long_ratio": 1.0, "load_sensitivity": 0.0, "stiffness_per_rad": 1e9, "inclination_loss": 0.0,
            "inclination_long_loss": 0.0, "pressure_loss": 0.0, "temperature_loss": 0.0, "rolling": 0.0, "wear_loss": 0.0,
        }
    )  # fmt: skip
    aero = car.aero.model_copy(update={"drag_area_m2": 1e-9, "lift_area_m2": 0.0, "wing_position": 0.0, "floor": None})
    drive = car.powertrain.model_copy(update={"differential": Differential(), "engine_braking": 0.0})
    return car.model_copy(
        update={
            "tyres": car.tyres.model_copy(update={"compounds": (compound,)}),
            "aero": aero,
            "powertrain": drive,
            "items": (car.item("brake_bias"),),
        }
    )


@pytest.fixture(scope="session")
def plain_car(car: Car) -> Car:
    return stripped(car)


def ring(radius_m: float, bank_rad: float = 0.0, stations: int = 200) -> Line:
    """A circle to the left."""
    angle = np.arange(stations) * 2 * np.pi / stations
    ds = np.full(stations, 2 * np.pi * radius_m / stations)
    road = np.column_stack([np.full(stations, 1 / radius_m), np.full(stations, bank_rad), *np.zeros((2, stations)), angle])
    x, y = radius_m * np.sin(angle), -radius_m * np.cos(angle)
    return Line(x, y, np.zeros(stations), np.zeros(stations), np.ascontiguousarray(road), ds, np.cumsum(ds) - ds)
