"""Templates without the indentation that is for people: a page that is sent need not carry it."""

import re

from django.template import Origin
from django.template.loaders.app_directories import Loader

#: A line's end with the indentation around it. What stands in a variable is never touched.
_LINE_END = re.compile(r"[ \t]*\n\s*")


class CompactLoader(Loader):
    """Finds templates in the apps, and joins their lines by single spaces, as a browser would read them."""

    def get_contents(self, origin: Origin) -> str:
        """The template's text; a line's end between two tags is dropped to one space, which is what it means in HTML."""
        return _LINE_END.sub(" ", super().get_contents(origin)).strip()
