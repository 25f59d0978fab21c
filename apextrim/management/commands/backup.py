"""Copies the database while it is in use."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from apextrim.management.backups import BackupError, back_up


class Command(BaseCommand):
    """`manage.py backup`."""

    help = "Copies the database while it is in use, and checks the copy."
    requires_system_checks = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--to", type=Path, default=settings.BACKUPS, help="folder of the backups")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            path = back_up(Path(settings.DATABASES["default"]["NAME"]), options["to"])
        except BackupError as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{path}: {path.stat().st_size / 1e6:.1f} MB, checked.")
