"""Serves the product on this machine."""

import os
import subprocess
import sys
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import DatabaseError

from apexcore.formats.recording import MOST_BYTES
from apextrim.modelling import cases
from apextrim.ui.faults import cause_of

from .warm import warm_all

#: Of one connection and of all: threads, half-open and idle ones [s], sizes [bytes].
_LIMITS: dict[str, Any] = {
    "threads": 4, "ident": None, "connection_limit": 200, "channel_timeout": 30, "cleanup_interval": 10,
    "max_request_header_size": 32_768, "max_request_body_size": MOST_BYTES + 1_000_000, "clear_untrusted_proxy_headers": True,
}  # fmt: skip
#: Before workers that ended are started anew [s].
_AGAIN_S = 2.0


def _keep_workers() -> None:
    """The workers as a process beside the server: started anew if it ends, ended by itself when the server is gone."""
    command = [sys.executable, str(settings.BASE_DIR / "manage.py"), "work", "--parent", str(os.getpid())]
    while True:
        subprocess.Popen(command, start_new_session=True).wait()
        time.sleep(_AGAIN_S)


class Command(BaseCommand):
    """`manage.py serve`."""

    help = "Serves the product on this machine."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)

    def handle(self, *args: Any, **options: Any) -> None:
        from waitress.server import create_server

        from apextrim.events.models import Event
        from apextrim.wsgi import application

        try:
            server = create_server(application, host="127.0.0.1", port=options["port"], **_LIMITS)
        except OSError as error:
            words = f"Port {options['port']} cannot be used ({error.strerror}). Stop what uses it, or choose another one with PORT=8010."
            raise CommandError(words) from None
        warm_all()
        try:
            call_command("clearsessions")
            for event in Event.objects.select_related("car", "circuit")[:20]:
                cases.spans_of(event)  # racing lines before the first request
        except DatabaseError as error:
            title, text = cause_of(error) or ("The database does not answer", str(error))
            raise CommandError(f"{title}: {settings.DATABASES['default']['NAME']}. {text}") from None
        threading.Thread(target=_keep_workers, daemon=True, name="workers").start()
        self.stdout.write(f"\nApex Trim is at http://localhost:{options['port']}/")
        if settings.DEMO:
            self.stdout.write(f"Press “Open the demo”, or sign in as {settings.DEMO_USER} with {settings.DEMO_PASSWORD}.")
        self.stdout.write("Stop it with Ctrl+C.\n")
        self.stdout.flush()
        server.run()
