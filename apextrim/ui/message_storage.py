"""Messages between two pages, whatever is in them."""

from typing import Any

from django.contrib.messages.storage.fallback import FallbackStorage

from apexcore.formats.text import encodable

#: Letters of a message; what is longer is cut, so that it fits a cookie.
MOST_LETTERS = 1500


class Storage(FallbackStorage):
    """Django's own storage, to which every text is made fit: half a character would break every page that shows it."""

    def add(self, level: int, message: Any, extra_tags: str | None = "") -> None:
        """Keeps a message for the next page."""
        text = encodable(str(message))
        super().add(level, text if len(text) <= MOST_LETTERS else text[: MOST_LETTERS - 1] + "…", extra_tags)
