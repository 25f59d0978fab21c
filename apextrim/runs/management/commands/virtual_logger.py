"""Sends a run of the virtual car to a running product, as a logger in the car would."""

import time
from argparse import ArgumentParser
from typing import Any
from urllib.error import HTTPError
from urllib.request import Request, urlopen

from django.core.management.base import BaseCommand, CommandError

from apexcore.formats.logger import json_lines
from apexcore.vehicle.sheet import Sheet
from apexcore.virtual.senders import events_of
from apexcore.virtual.world import virtual_run
from apextrim.events import adapter
from apextrim.runs.logger import digest
from apextrim.runs.models import LoggerKey


class Command(BaseCommand):
    help = "Sends laps, samples, tyre readings and weather of the virtual car to the logger's door, with the token of a logger key."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("token")
        parser.add_argument("--address", default="http://127.0.0.1:8000")
        parser.add_argument("--laps", type=int, default=8)
        parser.add_argument("--pause", type=float, default=1.0, help="seconds between two laps")
        parser.add_argument("--seed", type=int, default=1)

    def handle(self, *args: Any, **options: Any) -> None:
        key = LoggerKey.objects.select_related("event__car", "event__circuit", "event__sheet_in_car").filter(
            digest=digest(options["token"])
        ).first()  # fmt: skip
        if key is None or key.event.sheet_in_car is None:
            raise CommandError("This token belongs to no logger key of an event with a sheet in its car.")
        event, row = key.event, key.event.sheet_in_car
        setting = adapter.setting_of(event, calibrated=False)
        sheet = Sheet(setting.car.key, row.values)
        fuel = float(row.values.get("fuel", setting.car.fuel_l))
        run = virtual_run(setting, sheet, fuel, options["laps"], options["seed"], sectors_at=adapter.sectors_of(event))
        name, waiting = f"virtual-{time.time_ns() // 1_000_000}", []
        for one in events_of(run, sheet, name, fuel, 0.0, options["seed"]):
            waiting.append(one)
            if one.type in ("lap", "tyres"):
                self.stdout.write(self._send(options, json_lines(waiting)))
                waiting = []
                time.sleep(options["pause"])

    def _send(self, options: dict[str, Any], text: str) -> str:
        headers = {"Authorization": f"Bearer {options['token']}", "Content-Type": "application/x-ndjson"}
        try:
            with urlopen(Request(f"{options['address']}/logger/", text.encode(), headers), timeout=20) as answer:
                return str(answer.read().decode())
        except HTTPError as error:
            raise CommandError(error.read().decode()) from None
