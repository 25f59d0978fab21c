"""Tags of a run: anything about it that may be judged, as name=value pairs in one line."""

import re
from collections.abc import Mapping

from ..errors import InputError

MOST_TAGS, _LONGEST = 12, 40
_WORD = re.compile(r"[^=;,\s][^=;,]*")


def parse_tags(text: str) -> dict[str, str]:
    """Tags of a line such as `line=late; driver=Ann; scrubbed`; a word alone is `yes`. Names are kept in lower case.

    :raises InputError: naming the part that is none
    """
    found: dict[str, str] = {}
    for part in re.split(r"[;,]", text):
        if not part.strip():
            continue
        name, equals, value = (piece.strip() for piece in part.partition("="))
        value = value if equals else "yes"
        good = all(_WORD.fullmatch(piece) and len(piece) <= _LONGEST for piece in (name, value))
        if not good or part.count("=") > 1:
            raise InputError("tags", part.strip()[:60], f"name=value pairs parted by ;, each part at most {_LONGEST} characters")
        if found.get(name.lower(), value) != value:
            raise InputError("tags", part.strip()[:60], f"one value of “{name.lower()}”; it stands there twice")
        found[name.lower()] = value
    if len(found) > MOST_TAGS:
        raise InputError("tags", f"{len(found)} tags", f"at most {MOST_TAGS}")
    return found


def tags_text(tags: Mapping[str, str]) -> str:
    """The line of these tags; `parse_tags` gives them back."""
    return "; ".join(f"{name}={value}" for name, value in tags.items())
