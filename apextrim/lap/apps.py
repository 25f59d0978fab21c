from django.apps import AppConfig


class LapConfig(AppConfig):
    name = "apextrim.lap"

    def ready(self) -> None:
        from . import receivers  # noqa: F401
