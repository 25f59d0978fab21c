"""Two windows, or two people, that change the same: a form carries what it showed, so that a change by the other is kept or told.

What one did not touch takes the value that stands by now. Where both changed the same box, the later one is told what stands there and
what was typed, and nothing is saved; the form then carries what stands, so that sending it once more keeps what was typed.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django import forms
from django.http import QueryDict
from django.utils.html import format_html
from django.utils.safestring import SafeString

#: Name of the box that carries it, and letters that it may have.
FIELD, _MOST = "shown", 400_000
Texts = Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class Clash:
    """A box that both changed.

    :param there: what stands by now
    :param typed: what was sent
    """

    there: tuple[str, ...]
    typed: tuple[str, ...]

    @property
    def words(self) -> str:
        """What happened, as a sentence."""
        return f"Changed meanwhile to {_said(self.there)}; you typed {_said(self.typed)}. Save again to keep yours."


def _said(texts: Sequence[str]) -> str:
    told = ", ".join(texts)
    return f"“{told[:60]}{'…' if len(told) > 60 else ''}”" if told else "nothing"


def carried(texts: Texts, came_back: bool = False) -> SafeString:
    """The box that goes with a form which shows these texts.

    :param came_back: whether the form was sent and comes back as it was typed, so that the browser need not put anything back
    """
    told = json.dumps({name: list(values) for name, values in texts.items() if any(values)}, ensure_ascii=False, separators=(",", ":"))
    if came_back:
        return format_html('<input type="hidden" name="{}" value="{}" data-sent>', FIELD, told)
    return format_html('<input type="hidden" name="{}" value="{}">', FIELD, told)


def _was(posted: QueryDict) -> dict[str, list[str]] | None:
    """What a form showed; None where it does not say, or not as it was told."""
    text = posted.get(FIELD, "")
    if not text or len(text) > _MOST:
        return None
    try:
        told = json.loads(text)
    except (ValueError, RecursionError):
        return None
    if not isinstance(told, dict) or not all(isinstance(v, list) and all(isinstance(one, str) for one in v) for v in told.values()):
        return None
    return told


def _plain(text: str) -> str:
    try:
        return repr(float(text.replace(",", ".")))
    except ValueError:
        return text


def _same(some: Sequence[str], others: Sequence[str]) -> bool:
    """Whether two boxes hold the same: empty texts hold nothing, a browser ends lines in its own way, and 27 is 27.0."""

    def bare(texts: Sequence[str]) -> list[str]:
        return sorted(_plain(" ".join(text.split())) for text in texts if text.strip())

    return bare(some) == bare(others)


def merged(posted: QueryDict, now: Texts) -> tuple[QueryDict, dict[str, Clash]]:
    """What was sent, with what others changed meanwhile where it was left as it was; and the boxes that both changed.

    :param now: what the form would show now; other names of `posted` are left alone
    """
    was = _was(posted)
    if was is None:
        return posted, {}
    found, clashes = posted.copy(), dict[str, Clash]()
    for name, there in now.items():
        typed, had = posted.getlist(name), was.get(name, [])
        if _same(there, had) or _same(typed, there):
            continue
        if _same(typed, had):
            found.setlist(name, list(there))
        else:
            clashes[name] = Clash(tuple(there), tuple(typed))
    return found, clashes


def merged_rows(posted: QueryDict, now: Texts) -> tuple[QueryDict, dict[str, Clash]]:
    """The same for a form with rows that come and go: where another added or removed one, boxes of one name are not the same any more.
    Then what was sent either changes nothing, or stands against the whole."""
    was = _was(posted)
    if was is None or set(was) == {name for name, texts in now.items() if any(texts)}:
        return merged(posted, now)
    if all(_same(posted.getlist(name), had) for name, had in was.items()):
        found = posted.copy()
        for name in was.keys() - now.keys():
            found.pop(name, None)
        for name, there in now.items():
            found.setlist(name, list(there))
        return found, {}
    return posted, {"": Clash((), ())}


#: What is said of rows that both changed.
ROWS_CHANGED = (
    "Rows of it were added or removed meanwhile. Nothing is saved: look at it in another tab, and save again to keep what stands here."
)


def shown_in(field: forms.Field, initial: Any) -> list[str]:
    """What a field with this value sends where nobody touches it."""
    value = field.prepare_value(initial)
    if isinstance(field.widget, forms.CheckboxInput):
        return ["on"] if field.widget.check_test(value) else []
    told = field.widget.format_value(value)
    return [str(one) for one in told if one not in (None, "")] if isinstance(told, list | tuple) else [] if told is None else [str(told)]


class BesideOthers(forms.BaseForm):
    """A form that two may have open: made with what stands as `initial`, also where it was sent."""

    def texts_now(self) -> dict[str, list[str]]:
        """What the form shows where nobody touched it."""
        return {self.add_prefix(name): shown_in(field, self.get_initial_for_field(field, name)) for name, field in self.fields.items()}

    @property
    def carried(self) -> SafeString:
        """The box that says so."""
        return carried(self.texts_now(), self.is_bound)

    def full_clean(self) -> None:
        """Checks what was sent together with what others changed."""
        clashes = dict[str, Clash]()
        if self.is_bound and isinstance(self.data, QueryDict):
            self.data, clashes = merged(self.data, self.texts_now())
        super().full_clean()
        for name in self.fields:
            clash = clashes.get(self.add_prefix(name))
            if clash is not None:
                self.add_error(name, clash.words)
