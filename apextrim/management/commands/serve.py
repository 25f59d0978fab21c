"""Serves the product on this machine."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser

from apextrim.modelling import cases

from .warm import warm_all


class Command(BaseCommand):
    """`manage.py serve`."""

    help = "Serves the product on this machine."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)

    def handle(self, *args: Any, **options: Any) -> None:
        import waitress

        from apextrim.events.models import Event
        from apextrim.wsgi import application

        warm_all()
        for event in Event.objects.select_related("car", "circuit")[:20]:
            cases.spans_of(event)  # racing lines before the first request
        self.stdout.write(f"\nApex Trim is at http://localhost:{options['port']}/")
        if settings.DEMO:
            self.stdout.write(f"Press “Open the demo”, or sign in as {settings.DEMO_USER} with {settings.DEMO_PASSWORD}.")
        self.stdout.write("Stop it with Ctrl+C.\n")
        self.stdout.flush()
        waitress.serve(application, host="127.0.0.1", port=options["port"], threads=4, ident=None)
