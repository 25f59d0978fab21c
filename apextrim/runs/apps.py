from django.apps import AppConfig


class RunsConfig(AppConfig):
    name = "apextrim.runs"

    def ready(self) -> None:
        from . import receivers  # noqa: F401
