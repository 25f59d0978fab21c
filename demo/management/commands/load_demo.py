"""Makes the demo's account and scenario, unless they are there already."""

from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand
from django.db import transaction

from demo.loader import load


class Command(BaseCommand):
    """`manage.py load_demo`."""

    help = "Makes the demo's account and scenario, unless they are there already."

    @transaction.atomic  # an interrupted start must not leave an account without its scenario
    def handle(self, *args: Any, **options: Any) -> None:
        user, new = User.objects.get_or_create(username=settings.DEMO_USER)
        if not new:
            self.stdout.write("The demo is there already; what was typed into it is kept.")
            return
        user.set_password(settings.DEMO_PASSWORD)
        user.save()
        event = load(user)
        others = user.events.exclude(pk=event.pk).count()
        self.stdout.write(f"{event.name}: {event.runs.count()} runs, {event.sheets.count()} sheets; and {others} other events.")
