"""Hostile values in every form and every query, as a racer's browser would send them. `make fuzz` calls it after the files.

Every page of an event and of the garage is opened once and its forms and links are read, as a browser has them; then each is sent
again and again with some of its values exchanged. What a form may change is undone after each.
"""

import random
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from html.parser import HTMLParser
from typing import Any
from urllib.parse import parse_qsl, urljoin, urlsplit

#: Values that nobody types, and some that people do.
TYPED = (
    "", " ", "x", "-1", "0", "1", "2", "7", "1e308", "-1e309", "nan", "inf", "1,5", "1.000,5", "1,000", "\u2212" + "3", "27,9psi",
    "70 °F", "3 m/s", "9" * 400, "9" * 5000, "4" + " " * 4000 + "4", "1:13.405", "1:13", "73,4", ":::", "1:99:99.9", "\u0664\u0662",
    "0x10", "1_000", "=1+1", "@x", "\u202e", "\u0000", "\ud800", "a" * 5000, "\u00e9" * 300, "<script>alert(1)</script>", "' OR 1=1 --",
    "../../etc/passwd", "%s%n", "${7*7}", "{{ 7 }}", "None", "null", "true", "on", "[]", "{}", "sheet", "every", "several", "tag:x",
    "tag:", "tag:a__b", "9999999999999", "-9223372036854775809", "2026-13-45", "0001-01-01T00:00", "9999-12-31T23:59", "a=b; c=d",
    "a:b/c", ";;==", "\r\n\r\n", "marl", "front", "wing:3", "wing:1e9", "wing",
)  # fmt: skip


@dataclass(frozen=True)
class Form:
    """A form as it stands on a page, or a link with a query.

    :param fields: names and values in order; a name may come again
    """

    address: str
    method: str
    fields: tuple[tuple[str, str], ...]


class _Forms(HTMLParser):
    """The forms and the links with a query of a page."""

    def __init__(self, address: str) -> None:
        super().__init__()
        self.address, self.found = address, list[Form]()
        self._action, self._method, self._fields = "", "", list[tuple[str, str]]()
        self._select, self._reads = "", False
        self._inside = self._first = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        at = {name: value or "" for name, value in attrs}
        if tag == "form":
            self._inside, self._action, self._method, self._fields = True, at.get("action", ""), at.get("method", "get"), []
            for name in ("hx-post", "hx-get"):  # what the page itself sends while one types
                if name in at:
                    self.found.append(Form(urljoin(self.address, at[name]), name[3:], ()))
        elif tag == "input" and self._inside and at.get("name") and at.get("type") not in ("file", "submit"):
            if at.get("type") not in ("checkbox", "radio") or "checked" in at:
                self._fields.append((at["name"], at.get("value", "on" if at.get("type") == "checkbox" else "")))
        elif tag in ("select", "textarea") and self._inside and at.get("name"):
            self._select, self._reads, self._first = at["name"], tag == "textarea", True
            self._fields.append((self._select, ""))
        elif tag == "option" and self._select and ("selected" in at or self._first):
            self._fields[-1] = (self._select, at.get("value", ""))
            self._reads, self._first = "value" not in at, False
        elif tag == "a" and "?" in at.get("href", ""):
            parts = urlsplit(urljoin(self.address, at["href"]))
            self.found.append(Form(parts.path, "get", tuple(parse_qsl(parts.query, keep_blank_values=True))))

    def handle_data(self, data: str) -> None:
        if self._reads and self._select:
            self._fields[-1] = (self._select, (self._fields[-1][1] + data).strip())

    def handle_endtag(self, tag: str) -> None:
        self._reads = False
        if tag == "form" and self._inside:
            self._inside = False
            fields = tuple(self._fields)
            self.found = [form if form.fields else Form(form.address, form.method, fields) for form in self.found]
            self.found.append(Form(urljoin(self.address, self._action), self._method, fields))
        elif tag in ("select", "textarea"):
            self._select = ""


def forms_of(client: Any, pages: Sequence[str]) -> list[Form]:
    """Every form and link with a query of these pages, once each."""
    found: dict[tuple[str, str, tuple[str, ...]], Form] = {}
    for page in pages:
        reader, answer = _Forms(page), client.get(page, follow=True)
        if "html" not in answer.get("Content-Type", ""):
            continue
        reader.feed(answer.content.decode(errors="replace"))
        for form in reader.found:
            if form.address.startswith("/") and "sign-" not in form.address:
                found.setdefault((form.address, form.method, tuple(name for name, _ in form.fields)), form)
    return list(found.values())


def _changed(form: Form, rng: random.Random) -> list[tuple[str, str]]:
    """The form's values with some exchanged, dropped, repeated, or one put in that it does not have."""
    fields = [(name, value) for name, value in form.fields if name != "csrfmiddlewaretoken"]
    for _ in range(rng.choice((1, 1, 2, 5, 20))):
        act = rng.random()
        if fields and act < 0.8:
            at = rng.randrange(len(fields))
            fields[at] = (fields[at][0], rng.choice(TYPED))
        elif fields and act < 0.87:
            fields.pop(rng.randrange(len(fields)))
        elif fields and act < 0.94:
            name, value = rng.choice(fields)
            fields += [(name, value)] * rng.choice((1, 50))
        else:
            names = ("a", "b", "by", "set", "sheet", "page", "kind", "margin", "laps", "x", "", "clean")
            fields.append((rng.choice(names), rng.choice(TYPED)))
    return fields


def attacks(client: Any, forms: Sequence[Form], seeds: range) -> Iterator[tuple[int, str, int, float]]:
    """Sends hostile forms: (seed, what was sent, status, seconds) of each."""
    from .fuzz import carried, undone

    for seed in seeds:
        rng = random.Random(seed)
        form = rng.choice(forms)
        data: dict[str, list[str]] = {}
        for name, value in _changed(form, rng):
            data.setdefault(name, []).append(value.encode("utf-8", "replace").decode())
        begin = time.perf_counter()
        with undone(), carried():
            answer = client.post(form.address, data) if form.method.lower() == "post" else client.get(form.address, data)
        yield seed, f"{form.method} {form.address} {str(data)[:200]}", answer.status_code, time.perf_counter() - begin
