from django.apps import AppConfig


class SheetsConfig(AppConfig):
    name = "apextrim.sheets"

    def ready(self) -> None:
        from . import receivers  # noqa: F401
