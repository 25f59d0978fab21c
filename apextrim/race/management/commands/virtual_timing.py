"""Sends a simulated race of twenty cars to a running product, as a timing service would."""

import time
from argparse import ArgumentParser
from typing import Any
from urllib.error import HTTPError
from urllib.request import Request, urlopen

from django.core.management.base import BaseCommand, CommandError

from apexcore.formats.timing import timing_csv
from apexcore.virtual.field import virtual_field
from apextrim.race import live
from apextrim.runs.logger import digest, key_of


class Command(BaseCommand):
    help = "Sends crossings of a simulated race to the timing door, with the token of a key of the event whose race is on."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("token")
        parser.add_argument("--address", default="http://127.0.0.1:8000")
        parser.add_argument("--speed", type=float, default=30.0, help="how many times faster than the race")
        parser.add_argument("--seed", type=int, default=1)

    def handle(self, *args: Any, **options: Any) -> None:
        key = key_of(digest=digest(options["token"]))
        race = None if key is None else key.event.races.filter(ended_at=None).last()
        if race is None or not race.own_car:
            raise CommandError("This token belongs to no key of an event whose race is on, with its own car named.")
        clock = 0.0
        for row in virtual_field(live.setup_of(race), race.own_car, options["seed"]):
            time.sleep(max(row.clock_s - clock, 0.0) / options["speed"])
            clock = row.clock_s
            self.stdout.write(self._send(options, timing_csv([row])))

    def _send(self, options: dict[str, Any], text: str) -> str:
        headers = {"Authorization": f"Bearer {options['token']}", "Content-Type": "text/csv"}
        try:
            with urlopen(Request(f"{options['address']}/timing/", text.encode(), headers), timeout=20) as answer:
                return str(answer.read().decode())
        except HTTPError as error:
            raise CommandError(error.read().decode()) from None
