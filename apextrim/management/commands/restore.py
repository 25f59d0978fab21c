"""Puts a backup back, after checking it; what stood there before is backed up first."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connections
from django.db.migrations.loader import MigrationLoader

from apextrim.management.backups import BackupError, put_back


class Command(BaseCommand):
    """`manage.py restore FILE`."""

    help = "Replaces the database by a backup, after checking it."
    requires_system_checks = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        known = set(MigrationLoader(None).disk_migrations)
        connections.close_all()
        try:
            before = put_back(options["file"], Path(settings.DATABASES["default"]["NAME"]), known, settings.BACKUPS)
        except BackupError as error:
            raise CommandError(str(error)) from None
        if before is not None:
            self.stdout.write(f"What was there before is in {before}.")
        call_command("migrate", verbosity=0)
        self.stdout.write(f"{options['file'].name} is restored.")
