"""A racer with a garage and an event, and a stranger with the same."""

from collections.abc import Callable
from functools import cache
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client

from apexcore.formats.values_json import write_value
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.library.models import Car, Circuit
from apextrim.modelling import cases
from apextrim.runs.actions import send_virtual_driver
from apextrim.runs.models import Run
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.work import queue
from apextrim.work.worker import work_off
from tests.conftest import demo_car, demo_circuit, demo_files


@cache
def garage_rows() -> tuple[list[dict[str, str]], list[dict[str, str]]]:
    """The demo's cars and circuits as rows have them, parsed once a session."""
    cars = [demo_car(key) for key in demo_files("cars")]
    circuits = [demo_circuit(key) for key in demo_files("circuits")]
    return (
        [{"key": core.key, "name": core.name, "data": write_value(core)} for core in cars],
        [{"key": core.key, "name": core.name, "layout": core.layout, "data": write_value(core)} for core in circuits],
    )


def fill_garage(user: User) -> None:
    """What `demo.loader.load_files` does, without reading the files anew for every test (test_ui holds that it is the same)."""
    cars, circuits = garage_rows()
    Car.objects.bulk_create(Car(owner=user, **values) for values in cars)
    Circuit.objects.bulk_create(Circuit(owner=user, **values) for values in circuits)


def owner_with_event(name: str) -> tuple[User, Event]:
    user = User.objects.create_user(name, password="withy-bend-4")
    fill_garage(user)
    event = create_event(user, f"{name}'s weekend", user.cars.get(key="brackendale_gt"), user.circuits.get(key="sallowmere_fen"), False)
    return user, event


@pytest.fixture(autouse=True)
def carried(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Keys of jobs that were put into the queue; there are no workers here."""
    keys: list[int] = []
    monkeypatch.setattr(queue, "carry", lambda pk, after_s=0.0: keys.append(pk))
    return keys


@pytest.fixture
def at_once(monkeypatch: pytest.MonkeyPatch, carried: list[int]) -> None:
    """Jobs are worked off where they are asked for."""
    monkeypatch.setattr(queue, "carry", lambda pk, after_s=0.0: work_off(pk, beats=False))


@pytest.fixture
def event(db: None) -> Event:
    return owner_with_event("racer")[1]


@pytest.fixture
def client_in(event: Event) -> Client:
    """A browser in which the event's owner is signed in."""
    client = Client()
    client.force_login(event.owner)
    return client


@pytest.fixture
def stranger(event: Event) -> Client:
    client = Client()
    client.force_login(owner_with_event("stranger")[0])
    return client


@pytest.fixture
def first(event: Event) -> Sheet:
    """The first sheet, in the car."""
    return save_sheet(event, base_sheet(cases.car_of(event)), None, "To begin with")


@pytest.fixture
def second(event: Event, first: Sheet) -> Sheet:
    return save_sheet(event, CoreSheet(event.car.key, {**first.values, "final_drive": 4.5, "wing": 2}), first, "Too short on purpose")


@pytest.fixture
def drive(event: Event) -> Callable[..., Run]:
    """Sends the virtual driver out."""

    def go(sheet: Sheet, seed: int, laps: int = 7, compound: str = "marl", fuel_l: float = 30) -> Run:
        values: dict[str, Any] = {
            "sheet": sheet, "session": event.session, "front": compound, "rear": compound, "tyre_age": 0, "fuel_l": fuel_l, "note": "",
        }  # fmt: skip
        return send_virtual_driver(event, values, laps, seed)

    return go
