"""Loads the kinds of work of every app."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class WorkConfig(AppConfig):
    """The room of long work."""

    name = "apextrim.work"

    def ready(self) -> None:
        autodiscover_modules("tasks")
