"""A form made of a value's schema: every number with its words, unit and bounds; lists as tables with a row to add.

What was typed is kept as typed, whatever is wrong with it. A row left empty is not there; that is how one is removed.
"""

import math
import types
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated, Any, Generic, Literal, TypeVar, Union, get_args, get_origin

from django.http import QueryDict
from django.utils.safestring import SafeString
from pydantic import ValidationError

from apexcore.errors import InputError
from apexcore.quantities.described import described
from apexcore.quantities.text import UNIT_WORDS, read_number
from apexcore.quantities.values import Value

from .meanwhile import ROWS_CHANGED, carried, merged_rows
from .units import current, read_typed, told, typed_as

Kind = TypeVar("Kind", bound=Value)

#: Lists with more fields than this are drawn with their fields downwards.
_WIDE = 16
_PLACES = {2: ("front", "rear"), 4: ("front left", "front right", "rear left", "rear right")}
_SIDES = {"spring_n_per_mm": ("left", "right")}


@dataclass(frozen=True)
class Box:
    """One control.

    :param path: its name in the form
    :param label: its words
    :param help: its range, and what it means where the label is short
    :param source: where its value comes from, for one that is hard to know
    :param text: what stands in it
    :param choices: what can be chosen; empty for a free text
    """

    path: str
    label: str
    unit: str
    help: str
    text: str
    error: str = ""
    choices: tuple[str, ...] = ()
    tick: bool = False
    long: bool = False
    source: str = ""


@dataclass(frozen=True)
class Table:
    """A list: a row for each entry, the last ones empty.

    :param down: if true the entries stand side by side
    """

    path: str
    title: str
    heads: tuple[Box, ...]
    rows: tuple[tuple[Box, ...], ...]
    error: str = ""
    down: bool = False

    @property
    def columns(self) -> list[tuple[Box, list[Box]]]:
        """Each field with its entries, for a list drawn downwards."""
        return [(head, [row[index] for row in self.rows]) for index, head in enumerate(self.heads)]


@dataclass
class Section:
    """A titled part of the page.

    :param more: further controls, behind a fold
    :param folded: whether the part itself is one
    """

    title: str
    path: str
    boxes: list[Box] = field(default_factory=list)
    tables: list[Table] = field(default_factory=list)
    error: str = ""
    more: list[Box] = field(default_factory=list)
    folded: bool = False

    @property
    def more_open(self) -> bool:
        """Whether something behind the inner fold is wrong."""
        return any(box.error for box in self.more)

    @property
    def is_wrong(self) -> bool:
        """Whether anything in it is wrong."""
        cells = (box for table in self.tables for row in table.rows for box in row)
        tables = any(table.error for table in self.tables)
        return bool(self.error) or self.more_open or tables or any(box.error for box in (*self.boxes, *cells))


def _bare(annotation: Any) -> Any:
    """What a field holds, without its bounds, and without the nothing that it may be instead."""
    if get_origin(annotation) is Annotated:
        return _bare(get_args(annotation)[0])
    if _may_lack(annotation):
        options = [option for option in get_args(annotation) if option is not type(None)]
        return _bare(options[0]) if len(options) == 1 else annotation
    return annotation


def _may_lack(annotation: Any) -> bool:
    """Whether a field may be nothing."""
    return get_origin(annotation) in (Union, types.UnionType) and type(None) in get_args(annotation)


def _kinds(annotation: Any) -> list[type[Value]]:
    """The values that an entry of a list may be: one, or several told apart by their `kind`."""
    bare = _bare(annotation)
    options = get_args(bare) if get_origin(bare) in (Union, types.UnionType) else (bare,)
    return [option for option in options if isinstance(option, type) and issubclass(option, Value)]


def _is_text(annotation: Any) -> bool:
    bare = _bare(annotation)
    return bare is str or get_origin(bare) is Literal


def bare_path(path: str) -> str:
    """A path without the numbers of rows and wheels."""
    return ".".join(part for part in path.split(".") if not part.isdigit())


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else ""
    if isinstance(value, float | int):
        return repr(value).removesuffix(".0")
    return str(value)


def flat(value: Any, path: str = "") -> Iterator[tuple[str, str]]:
    """Every leaf of a dumped value as (path, text)."""
    if isinstance(value, dict):
        for key, child in value.items():
            yield from flat(child, f"{path}.{key}" if path else key)
    elif isinstance(value, list | tuple):
        if value and all(isinstance(part, str) for part in value):
            yield path, " | ".join(value)
        else:
            for index, child in enumerate(value):
                yield from flat(child, f"{path}.{index}")
    elif value is not None:
        yield path, _shown(value)


def carried_texts(texts: Mapping[str, str], came_back: bool) -> SafeString:
    """The box that goes with a form which shows these texts.

    :param came_back: whether it was sent
    """
    return carried({path: [text] for path, text in texts.items()}, came_back)


def sent_form(
    model: type[Kind], sent: QueryDict, now: Mapping[str, str], fixed: Mapping[str, str], beside: Mapping[str, Any] | None = None,
    by_reader: bool = False,
) -> "ValueForm[Kind]":  # fmt: skip
    """The form of a value that others may have changed since it was shown.

    :param now: what is stored by now, as texts of the core
    :param by_reader: whether it was shown in the reader's units; a box that still shows what is stored keeps it to its last digit
    """
    shown = in_readers_units(model, now) if by_reader else now
    whole, clashes = merged_rows(sent, {path: [text] for path, text in shown.items()})
    form = ValueForm(model, whole.dict(), fixed, beside, by_reader)  # type: ignore[arg-type]
    form.exact = {path: text for path, text in now.items() if form.texts.get(path) == shown[path] != text}
    form.clashes = {path: clash.words if path else ROWS_CHANGED for path, clash in clashes.items()}
    return form


def stored_form(
    model: type[Kind], now: Mapping[str, str], fixed: Mapping[str, str] | None = None, beside: Mapping[str, Any] | None = None
) -> "ValueForm[Kind]":  # fmt: skip
    """The form of what is stored, checked, in the reader's units; nothing of it is rounded.

    :param now: as texts of the core
    """
    form = ValueForm(model, in_readers_units(model, now), fixed, beside, by_reader=True)
    form.exact = dict(now)
    form.check()
    return form


def in_readers_units(model: type[Value], texts: Mapping[str, str]) -> dict[str, str]:
    """Texts of the core as the reader would type them."""
    form = ValueForm(model, texts)
    found = {}
    for path, text in texts.items():
        unit = form.unit_of(path)
        try:
            found[path] = text if current().unit(unit) == unit else typed_as(float(text), unit)
        except ValueError:
            found[path] = text
    return found


class ValueForm(Generic[Kind]):
    """See the module.

    :param model: the schema
    :param texts: what stands in the form, by path
    :param fixed: paths that the racer cannot change, with their text
    :param beside: fields that are not on the page, with their values
    :param by_reader: whether texts are in the units of whoever reads the page, else in the core's
    """

    def __init__(
        self, model: type[Kind], texts: Mapping[str, str], fixed: Mapping[str, str] | None = None, beside: Mapping[str, Any] | None = None,
        by_reader: bool = False,
    ) -> None:  # fmt: skip
        self.model, self.fixed, self.beside, self.by_reader = model, dict(fixed or {}), dict(beside or {}), by_reader
        #: What the core has where a box shows it rounded, by path.
        self.exact: dict[str, str] = {}
        self.texts = {**{key: str(text) for key, text in texts.items()}, **self.fixed}
        self.errors: dict[str, str] = {}
        self.problems: list[str] = []
        self._kept: dict[str, list[str]] = {}
        self.value: Kind | None = None
        #: What somebody else changed as well, by path.
        self.clashes: dict[str, str] = {}

    def check(self) -> Kind | None:
        """The value typed; None where anything is wrong, each problem at its place."""
        tree = {**self._converted(self.model, ""), **self.beside}
        for path, words in self.clashes.items():
            if path:
                self.errors[path] = f"{self._words_of(path)}: {words}"
            else:
                self.problems.append(words)
        if not self.errors and not self.problems:
            try:
                self.value = self.model.model_validate(tree)
            except ValidationError as error:
                for problem in error.errors():
                    self._blame(problem)
        return self.value

    def rows(self, path: str) -> list[str]:
        """Keys of the rows of a checked list that hold anything, in order."""
        return self._kept.get(path, [])

    def refuse(self, problem: str) -> None:
        """Adds a problem of the whole."""
        self.problems.append(problem)
        self.value = None

    def all_problems(self) -> list[str]:
        """Every problem, each naming its place."""
        return [*self.problems, *[error for _, error in sorted(self.errors.items())]]

    def _under(self, path: str) -> list[str]:
        start = f"{path}." if path else ""
        return [key for key in self.texts if key.startswith(start) and self.texts[key].strip()]

    def entries(self, path: str) -> list[str]:
        """Keys of the rows of a list, in order."""
        start = len(path) + 1
        keys = {key[start:].split(".")[0] for key in self.texts if key.startswith(f"{path}.")}
        return sorted((key for key in keys if key.isdigit()), key=int)

    def _filled(self, path: str, annotation: Any) -> bool:
        """Whether a row holds anything typed; ticks and choices alone do not count."""
        chosen = {f"{path}.{name}" for kind in _kinds(annotation) for name, field in kind.model_fields.items() if _idle(field.annotation)}
        return self.texts.get(path, "").strip() != "" or any(key not in chosen for key in self._under(path))

    def _converted(self, annotation: Any, path: str) -> Any:
        bare = _bare(annotation)
        kinds = _kinds(annotation)
        if _may_lack(annotation) and not self._under(path):
            return None
        if kinds:
            kind = kinds[0]
            if len(kinds) > 1:
                chosen = self.texts.get(f"{path}.kind", "")
                kind = next((kind for kind in kinds if kind.model_fields["kind"].default == chosen), kinds[0])
            found = {}
            for name, one in kind.model_fields.items():
                child = f"{path}.{name}" if path else name
                if _bare(one.annotation) is bool:
                    found[name] = bool(self.texts.get(child, ""))
                elif child in self.texts or get_origin(_bare(one.annotation)) is tuple or _kinds(one.annotation):
                    value = self._converted(one.annotation, child)
                    if value is not None:
                        found[name] = value
            return found
        if get_origin(bare) is tuple:
            return self._list(bare, path)
        text = self.texts.get(path, "").strip()
        if not text:
            return "" if bare is str else None
        if _is_text(bare):
            return text
        try:
            if path in self.exact:
                return float(self.exact[path])
            if self.by_reader:
                return read_typed(text, self.unit_of(path), self._words_of(path), -math.inf, math.inf)
            return read_number(text, self.unit_of(path), self._words_of(path))
        except InputError as error:
            self.errors[path] = str(error)
            return None

    def _list(self, bare: Any, path: str) -> Any:
        inner = get_args(bare)
        if inner[-1] is not Ellipsis:
            values = [self._converted(part, f"{path}.{index}") for index, part in enumerate(inner)]
            return None if all(value is None for value in values) else values
        if _is_text(inner[0]):
            parts = [part.strip() for part in self.texts.get(path, "").split("|")]
            while parts and not parts[-1]:  # one between two others keeps their places
                parts.pop()
            return parts
        kept = [key for key in self.entries(path) if self._filled(f"{path}.{key}", inner[0])]
        self._kept[path] = kept
        return [self._converted(inner[0], f"{path}.{key}") for key in kept]

    def _describe(self, path: str) -> tuple[type[Value], str] | None:
        """The value and the field that a path leads to."""
        model: type[Value] = self.model
        name = ""
        for part in path.split("."):
            if part.isdigit():
                continue
            if name:
                annotation = _bare(model.model_fields[name].annotation)
                if get_origin(annotation) is tuple:
                    annotation = get_args(annotation)[0]
                options = [kind for kind in _kinds(annotation) if part in kind.model_fields]
                if not options:
                    return None
                model = options[0]
            if part not in model.model_fields:
                return None
            name = part
        return model, name

    def unit_of(self, path: str) -> str:
        """The core's unit of a box; empty where it has none that is read."""
        found = self._describe(path)
        if found is None:
            return ""
        if found[1] in _COLUMN_UNITS:
            units, last = _COLUMN_UNITS[found[1]], path.rpartition(".")[2]
            return units[int(last)] if len(units) > 1 and last.isdigit() and int(last) < len(units) else units[0]
        unit = described(found[0])[found[1]].unit
        return unit if unit.lower() in UNIT_WORDS else ""

    def _told(self, sentence: str) -> str:
        return told(sentence) if self.by_reader else sentence

    def _words_of(self, path: str) -> str:
        found = self._describe(path)
        rows = [str(int(part) + 1) for part in path.split(".") if part.isdigit()]
        words = described(found[0])[found[1]].words if found else path
        return f"{words}{', row ' + '.'.join(rows) if rows else ''}"

    def _blame(self, error: Any) -> None:
        """Puts an error of the schema where it belongs."""
        path = ""
        for part in error["loc"]:
            if isinstance(part, int):
                kept = self._kept.get(path, [])
                path = f"{path}.{kept[part] if part < len(kept) else part}"
            elif self._describe(f"{path}.{part}" if path else str(part)):
                path = f"{path}.{part}" if path else str(part)
        message = str(error["msg"]).removeprefix("Value error, ")
        given = error.get("input")
        if self.by_reader and path and isinstance(given, float | int) and not isinstance(given, bool):
            given, found, unit = self.texts.get(path, given), self._describe(path), self.unit_of(path)
            if current().unit(unit) != unit and found is not None and (bounds := described(found[0])[found[1]].range_text):
                message = f"expected {self._told(bounds)}"
        shown = f" “{str(given)[:40]}” is not valid:" if isinstance(given, str | float | int) else ""
        missing = error["type"] == "missing"
        place = self._words_of(path) if path else f"This {self.model.__name__.lower()}"
        sentence = f"{place}:{'' if missing else shown} {'a value is needed' if missing else message}."
        if path:
            self.errors[path] = sentence
        else:
            self.problems.append(sentence)

    # what the page draws

    def sections(self, titles: Mapping[str, str], simple: Collection[str] = (), sources: Mapping[str, str] | None = None) -> list[Section]:
        """The parts of the page in the order of `titles` (path of a field or "" for the fields of the value itself).

        :param simple: paths, without the numbers of rows, of what stands in sight; with any told, the parts and the rest are folds
        :param sources: where values come from, by such paths
        """
        found = [self._section(path, title) for path, title in titles.items()]
        for section in found:
            section.boxes = [replace(box, source=self._told((sources or {}).get(bare_path(box.path), ""))) for box in section.boxes]
            if simple:
                section.folded = bool(section.path)
            if any(bare_path(box.path) in simple for box in section.boxes):
                section.more = [box for box in section.boxes if bare_path(box.path) not in simple]
                section.boxes = [box for box in section.boxes if bare_path(box.path) in simple]
        return found

    def _section(self, path: str, title: str) -> Section:
        section = Section(title, path, error=self.errors.get(path, ""))
        if not path:
            names = [
                name for name, field in self.model.model_fields.items() if not _kinds(field.annotation) and not _is_list(field.annotation)
            ]
            section.boxes = [self._box(self.model, name, name) for name in names if name != "format"]
            return section
        annotation = self.model.model_fields[path].annotation
        if _is_list(annotation):
            section.tables.append(self._table(self.model, path, path))
            return section
        self._fill(section, _kinds(annotation)[0], path)
        return section

    def _fill(self, section: Section, model: type[Value], path: str) -> None:
        for name, one in model.model_fields.items():
            child = f"{path}.{name}"
            if _is_list(one.annotation):
                section.tables.append(self._table(model, name, child))
            elif kinds := _kinds(one.annotation):
                self._fill(section, kinds[0], child)
            elif get_origin(_bare(one.annotation)) is tuple:
                count = len(get_args(_bare(one.annotation)))
                for index, words in enumerate(_SIDES.get(name) or _PLACES[count]):
                    section.boxes.append(self._box(model, name, f"{child}.{index}", f", {words}"))
            else:
                section.boxes.append(self._box(model, name, child))

    def _box(self, model: type[Value], name: str, path: str, more: str = "", head: bool = False) -> Box:
        said = described(model)[name]
        bare = _bare(model.model_fields[name].annotation)
        choices = tuple(str(choice) for choice in get_args(bare)) if get_origin(bare) is Literal else ()
        short = name
        for unit in ("_j_per_k", "_w_per_k", "_n_per_mm", "_m", "_mm", "_kpa", "_kg", "_deg"):
            short = short.removesuffix(unit)
        short = short.replace("_", " ").capitalize()
        bounds, unit = self._told(said.range_text), current().unit(said.unit) if self.by_reader else said.unit
        label, hint = (short, f"{said.words}. {bounds}".strip()) if head else (said.words + more, bounds)
        usual = model.model_fields[name].default
        text = self.texts.get(path, "") or (usual if choices and isinstance(usual, str) else "")
        long = _is_text(bare) and not choices
        return Box(path, label, unit, hint, text, self.errors.get(path, ""), choices, bare is bool, long)

    def _table(self, model: type[Value], name: str, path: str) -> Table:
        annotation = _bare(model.model_fields[name].annotation)
        inner = get_args(annotation)
        said, growing = described(model)[name], inner[-1] is Ellipsis
        rows = self.entries(path) if growing else [str(index) for index in range(len(inner))]
        if growing:
            last = int(rows[-1]) if rows else -1
            rows = [*rows, *[str(last + more) for more in (1, 2)]]
        kinds = _kinds(inner[0])
        if kinds:
            names = list(dict.fromkeys(key for kind in kinds for key in kind.model_fields))
            owner = {key: next(kind for kind in kinds if key in kind.model_fields) for key in names}
            options = tuple(str(kind.model_fields["kind"].default) for kind in kinds) if len(kinds) > 1 else ()
            down = len(names) > _WIDE
            heads = tuple(self._box(owner[key], key, "", head=not down) for key in names)
            drawn = []
            for row in rows:
                boxes = [self._box(owner[key], key, f"{path}.{row}.{key}", head=True) for key in names]
                if options:
                    boxes = [_with_choices(box, options) if key == "kind" else box for key, box in zip(names, boxes, strict=True)]
                drawn.append(tuple(boxes))
            return Table(path, said.words, heads, tuple(drawn), self.errors.get(path, ""), down)
        columns = get_args(_bare(inner[0])) if get_origin(_bare(inner[0])) is tuple else (inner[0],)
        pairs = len(columns) > 1
        titles = _COLUMNS.get(name, tuple(f"Value {index}" for index in range(1, len(columns) + 1)))
        if self.by_reader and name in _COLUMN_UNITS:
            titles = tuple(
                f"{title.partition(',')[0]}, {current().unit(unit)}" if unit else title
                for title, unit in zip(titles, _COLUMN_UNITS[name], strict=True)
            )
        heads = tuple(Box("", words, "", "", "") for words in titles)
        drawn = [
            tuple(self._plain(f"{path}.{row}.{index}" if pairs else f"{path}.{row}", titles[index], row) for index in range(len(columns)))
            for row in rows
        ]
        return Table(path, said.words, heads, tuple(drawn), self.errors.get(path, ""))

    def _plain(self, path: str, words: str, row: str) -> Box:
        return Box(path, f"{words}, row {int(row) + 1}", "", "", self.texts.get(path, ""), self.errors.get(path, ""))


#: Heads of lists whose entries are plain numbers.
_COLUMNS: dict[str, tuple[str, ...]] = {
    "torque_nm": ("Engine speed, rpm", "Torque, Nm"), "gears": ("Ratio",), "heights_m": ("Share of the lap", "Height, m"),
    "points_m": ("East, m", "North, m", "Height, m"), "sectors_m": ("Ends at, m",),
}  # fmt: skip


#: Units of these columns.
_COLUMN_UNITS: dict[str, tuple[str, ...]] = {
    "torque_nm": ("rpm", "Nm"), "heights_m": ("", "m"), "points_m": ("m", "m", "m"), "sectors_m": ("m",),
}  # fmt: skip


def _with_choices(box: Box, choices: tuple[str, ...]) -> Box:
    return Box(box.path, box.label, box.unit, box.help, box.text, box.error, ("", *choices), False, False)


def _idle(annotation: Any) -> bool:
    """Whether a control always has some state: a tick, or a choice."""
    bare = _bare(annotation)
    return bare is bool or get_origin(bare) is Literal


def _is_list(annotation: Any) -> bool:
    """Whether a field is a list of its own (a table), not a few numbers beside each other or a line of texts."""
    bare = _bare(annotation)
    if get_origin(bare) is not tuple:
        return False
    inner = get_args(bare)
    return bool(_kinds(inner[0])) or (inner[-1] is Ellipsis and not _is_text(inner[0]))
