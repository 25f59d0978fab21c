"""Django's own migrations, with a backup before any that changes a database which is there."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import CommandError
from django.core.management.commands.migrate import Command as DjangoCommand
from django.db import connections
from django.db.migrations.executor import MigrationExecutor

from apextrim.library.migrations._take_over import check_age
from apextrim.management.backups import BackupError, back_up


class Command(DjangoCommand):
    """`manage.py migrate`."""

    def handle(self, *args: Any, **options: Any) -> None:
        database = Path(settings.DATABASES["default"]["NAME"])
        if options["database"] == "default" and not options["plan"] and not options["check_unapplied"] and self._would_change(database):
            try:
                check_age(connections["default"])
            except RuntimeError as error:
                raise CommandError(str(error)) from None
            try:
                path = back_up(database, settings.BACKUPS)
            except BackupError as error:
                raise CommandError(f"No backup could be made, so that nothing is migrated. {error}") from None
            self.stdout.write(f"Before the migration: {path}")
        super().handle(*args, **options)

    @staticmethod
    def _would_change(database: Path) -> bool:
        """Whether there is a database with tables in it, and a migration that it does not have yet."""
        connection = connections["default"]
        if str(connection.settings_dict["NAME"]) != str(database) or not database.is_file() or not connection.introspection.table_names():
            return False
        executor = MigrationExecutor(connection)
        return bool(executor.migration_plan(executor.loader.graph.leaf_nodes()))
