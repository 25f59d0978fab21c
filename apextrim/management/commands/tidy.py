"""What goes by itself: the bin after thirty days, accounts that were to end, sessions, and files that were made."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import connection
from django.utils import timezone


class Command(BaseCommand):
    """`manage.py tidy`."""

    help = "Removes for good what has waited long enough. The workers of a server do it every hour."

    def handle(self, *args: Any, **options: Any) -> None:
        from apextrim.accounts import sent_forms
        from apextrim.archive import bin as waste
        from apextrim.archive.everything import end_accounts
        from apextrim.work import made

        went = waste.empty_all(timezone.now() - waste.WAITS)
        accounts = list(end_accounts())
        made.remove_old()
        sent_forms.tidy()
        call_command("clearsessions")
        with connection.cursor() as cursor:  # what was deleted stands in the journal until then
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        if went or accounts:
            self.stdout.write(f"Gone for good: {went} from the bin, {len(accounts)} of the accounts.")
