from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "apextrim.library"

    def ready(self) -> None:
        from . import receivers  # noqa: F401
