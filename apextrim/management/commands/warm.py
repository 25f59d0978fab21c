"""Compiles the core's kernels into their cache, so that no request ever waits for the compiler."""

from typing import Any

from django.core.management.base import BaseCommand

from apexcore.judge import model
from apexcore.lap import kernel
from apexcore.race import plans, simulation
from apextrim.management import kernel_store


def warm_all() -> None:
    """Every compiled part of the core; from the store where another clone of the same sources compiled it already."""
    kernel_store.restore()
    kernel.warm()
    model.warm()
    plans.warm()
    simulation.warm()
    kernel_store.save()


class Command(BaseCommand):
    """`manage.py warm`."""

    help = "Compiles the core's kernels into their cache."
    requires_system_checks = []

    def handle(self, *args: Any, **options: Any) -> None:
        warm_all()
