"""Sends a run of the virtual car to a running product, as a logger in the car would."""

import time
from argparse import ArgumentParser
from typing import Any
from urllib.error import HTTPError
from urllib.request import Request, urlopen

from django.core.management.base import BaseCommand, CommandError

from apexcore.formats.logger import json_lines
from apextrim.runs.logger import digest, key_of
from apextrim.runs.stand_ins import messages_of
from apextrim.sheets.queries import sheet_in_car


class Command(BaseCommand):
    help = "Sends laps, samples, tyre readings and weather of the virtual car to the logger's door, with the token of a logger key."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("token")
        parser.add_argument("--address", default="http://127.0.0.1:8000")
        parser.add_argument("--laps", type=int, default=8)
        parser.add_argument("--pause", type=float, default=1.0, help="seconds between two laps")
        parser.add_argument("--seed", type=int, default=1)

    def handle(self, *args: Any, **options: Any) -> None:
        key = key_of(digest=digest(options["token"]))
        sheet = None if key is None else sheet_in_car(key.event)
        if key is None or sheet is None:
            raise CommandError("This token belongs to no logger key of an event with a sheet in its car.")
        name = f"virtual-{time.time_ns() // 1_000_000}"
        for message in messages_of(key.event, sheet, name, options["laps"], options["seed"]):
            self.stdout.write(self._send(options, json_lines(message)))
            time.sleep(options["pause"])

    def _send(self, options: dict[str, Any], text: str) -> str:
        headers = {"Authorization": f"Bearer {options['token']}", "Content-Type": "application/x-ndjson"}
        try:
            with urlopen(Request(f"{options['address']}/logger/", text.encode(), headers), timeout=20) as answer:
                return str(answer.read().decode())
        except HTTPError as error:
            raise CommandError(error.read().decode()) from None
