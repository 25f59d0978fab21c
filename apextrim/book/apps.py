from django.apps import AppConfig


class BookConfig(AppConfig):
    name = "apextrim.book"

    def ready(self) -> None:
        from . import receivers  # noqa: F401
