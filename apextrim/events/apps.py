from django.apps import AppConfig


class EventsConfig(AppConfig):
    name = "apextrim.events"

    def ready(self) -> None:
        from . import receivers  # noqa: F401
