"""A link with which one person makes an account, in the name of whoever keeps the installation."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.urls import reverse

from apextrim.accounts import invitations


class Command(BaseCommand):
    """`manage.py invite [--for WORDS]`."""

    help = "Prints a link with which one person makes an account; it holds for seven days."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--for", dest="words", default="", help="whom it is for, as the list of links shows it")

    def handle(self, *args: Any, **options: Any) -> None:
        keeper = invitations.keeper()
        if keeper is None:
            raise CommandError("There is no account yet; make the first one with “manage.py new_owner NAME”.")
        if not settings.INVITES:
            raise CommandError("Invitations are off on this installation (APEX_INVITES).")
        row = invitations.invite(keeper, options["words"])
        if row is None:
            raise CommandError(f"{invitations.MOST_OPEN} links wait already; end some of them under Account, Invitations.")
        path = reverse("join", args=[invitations.token_of(row)])
        own = ("localhost", "127.0.0.1", "[::1]")
        host = next((host for host in settings.ALLOWED_HOSTS if host not in own and not host.startswith((".", "*"))), "")
        self.stdout.write(f"https://{host}{path}" if host and settings.TLS else f"http://{host or 'localhost:8000'}{path}")
        self.stdout.write(f"It makes one account and holds until {row.until:%d %B %Y, %H:%M} UTC.")
