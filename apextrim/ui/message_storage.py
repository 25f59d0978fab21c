"""Messages between two pages, whatever is in them."""

from typing import Any

from django.contrib.messages.storage.fallback import FallbackStorage

from apexcore.formats.text import encodable

from .ahead import is_ahead

#: Letters of a message; what is longer is cut, so that it fits a cookie.
MOST_LETTERS = 1500


class Storage(FallbackStorage):
    """Django's own storage, to which every text is made fit: half a character would break every page that shows it."""

    def __iter__(self) -> Any:
        """The messages, which are told once with that; none on a page that nobody has asked for yet."""
        return iter(()) if is_ahead(self.request) else super().__iter__()

    def add(self, level: int, message: Any, extra_tags: str | None = "") -> None:
        """Keeps a message for the next page."""
        text = encodable(str(message))
        super().add(level, text if len(text) <= MOST_LETTERS else text[: MOST_LETTERS - 1] + "…", extra_tags)
