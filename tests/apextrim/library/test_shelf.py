"""Answers on disk: found again by another process, told apart by every value, and never a wrong, broken or deleted one."""

import ast
import pickle
import threading
import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pytest
from django.conf import settings
from hypothesis import given
from hypothesis import strategies as st

from apexcore.errors import ApexError, InputError
from apextrim.events.models import Event
from apextrim.library import shelf
from apextrim.library.caches import MB, kept_within


class Told(NamedTuple):
    car: str
    values: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class Record:
    name: str
    line: Any
    n: int = 0


@dataclass(eq=False)
class Road:
    """Known by itself, not by what it holds; its name says nothing of what is in the middle."""

    x: Any


@pytest.fixture
def kept(settings: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    settings.ANSWERS = tmp_path / "answers"
    monkeypatch.setattr(shelf, "WORTH_S", 0.0)
    return tmp_path / "answers"


calls = list[object]()


def doubled(told: Told, *, by: float = 2.0) -> list[float]:
    calls.append(told)
    if told.car == "none":
        raise InputError("car", "none", "a car")
    return [value * by for _, value in told.values]


def as_new(room: int = MB) -> Any:
    """The function as another process has it: nothing of it is in memory."""
    calls.clear()
    return kept_within(room)(doubled)


def test_another_process_finds_what_was_worked_out(kept: Path) -> None:
    told = Told("a", (("wing", 3.0), ("fuel", 20.0)))
    assert as_new()(told) == [6.0, 40.0] and calls
    assert as_new()(told) == [6.0, 40.0] and not calls
    assert as_new()(told, by=3.0) == [9.0, 60.0] and calls  # something else was asked
    assert as_new()(told._replace(car="b")) == [6.0, 40.0] and calls
    for _ in range(2):  # refusals are kept in memory alone
        with pytest.raises(ApexError):
            as_new()(told._replace(car="none"))
        assert calls


def test_what_is_broken_off_or_of_another_version_is_worked_out_anew(kept: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    told = Told("a", (("wing", 3.0),))
    as_new()(told)
    (path,) = kept.glob("*/*")
    whole = path.read_bytes()
    for broken in (b"", whole[: len(whole) // 2], b"\x80\x05cno_such_module\nthing\n.", b"\xff" * 50):
        path.write_bytes(broken)
        assert as_new()(told) == [6.0] and calls
    assert as_new()(told) == [6.0] and not calls
    monkeypatch.setattr(shelf, "_version", lambda: "another")
    assert as_new()(told) == [6.0] and calls
    shelf.make_room()
    assert [path.parent.name for path in kept.glob("*/*")] == ["another"]


def test_the_oldest_go_where_room_is_short_and_all_where_something_is_deleted(kept: Path) -> None:
    for number in range(20):
        shelf.put(f"{number:02d}", bytes(1000))
        (kept / shelf._version() / f"{number:02d}").touch()
        time.sleep(0.002)
    shelf.make_room(10_500)
    assert {path.name for path in kept.glob("*/*")} == {f"{number:02d}" for number in range(10, 20)}
    shelf.clear()
    assert not list(kept.glob("*/*"))


def test_a_folder_that_cannot_be_written_is_no_fault(kept: Path) -> None:
    kept.parent.mkdir(exist_ok=True)
    kept.write_text("a file where a folder should be")
    assert as_new()(Told("a", (("wing", 3.0),))) == [6.0]


def test_what_cannot_be_told_apart_is_not_kept(kept: Path) -> None:
    assert shelf.name_of(doubled, (object(),)) is None and shelf.name_of(doubled, (lambda: 3,)) is None
    assert shelf.name_of(doubled, (np.random.default_rng(1),)) is None
    x = np.zeros(5000)
    y = x.copy()
    y[2500] = 1e-12  # in the part that a text of it leaves out
    assert repr(Road(x)) == repr(Road(y)) and shelf.name_of(doubled, (Road(x),)) != shelf.name_of(doubled, (Road(y),))
    assert shelf.name_of(doubled, (Record("a", x),)) == shelf.name_of(doubled, (Record("a", x.copy()),))
    assert shelf.name_of(doubled, (Record("a", x),)) != shelf.name_of(doubled, (replace(Record("a", x), n=1),))
    assert shelf.name_of(doubled, ((1, (2, 3)),)) != shelf.name_of(doubled, (((1, 2), 3),))
    assert shelf.name_of(doubled, (("ab", "c"),)) != shelf.name_of(doubled, (("a", "bc"),))


plain = st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=6) | st.binary(max_size=6)
nested = st.recursive(plain, lambda inner: st.tuples(inner, inner) | st.lists(inner, max_size=3).map(tuple), max_leaves=8)


@given(nested, nested)
def test_two_names_are_one_where_two_values_are_one(one: object, other: object) -> None:
    same = pickle.loads(pickle.dumps(one))
    assert shelf.name_of(doubled, one) == shelf.name_of(doubled, same)
    if one != other:
        assert shelf.name_of(doubled, one) != shelf.name_of(doubled, other)


def test_what_many_ask_for_at_once_is_worked_out_once(kept: Path) -> None:
    began, told = list[int](), list[object]()

    @kept_within(MB)
    def slow(value: int) -> int:
        began.append(value)
        time.sleep(0.3)
        if value < 0:
            raise ZeroDivisionError if value < -1 else InputError("value", "-1", "more")
        return 2 * value

    def ask(value: int) -> None:
        try:
            told.append(slow(value))
        except (ApexError, ZeroDivisionError) as error:
            told.append(type(error))

    for value, expected in ((4, 8), (-1, InputError), (-2, ZeroDivisionError)):
        began.clear()
        told.clear()
        threads = [threading.Thread(target=ask, args=(value,)) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert began == [value] and told == [expected] * 8
    began.clear()
    ask(-2)  # what went wrong is not kept
    ask(4)
    assert began == [-2]


@pytest.mark.django_db
def test_what_was_read_from_the_database_stays_out_of_it(kept: Path, event: Event) -> None:
    """A key means another row in a database that was put back."""

    def as_now(pk: int) -> str:
        return Event.objects.get(pk=pk).name

    assert kept_within(MB)(as_now)(event.pk) == event.name
    Event.objects.filter(pk=event.pk).update(name="Somebody else's")
    assert kept_within(MB)(as_now)(event.pk) == "Somebody else's" and not list(kept.glob("*/*"))


def test_nothing_that_is_kept_on_disk_is_named_by_a_row() -> None:
    """Every kept function of the site by its source: one that names rows, or asks for them, says that it is not for the disk."""
    root, found = Path(settings.BASE_DIR) / "apextrim", 0
    for path in root.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.FunctionDef):
                continue
            for mark in node.decorator_list:
                if isinstance(mark, ast.Call) and getattr(mark.func, "id", "") == "kept_within":
                    found += 1
                    names = {one.arg for one in node.args.args}
                    asks = ".objects" in ast.unparse(node) or names & {"pk", "key", "keys", "event_id", "run_id", "trace"}
                    assert bool(asks) == any(one.arg == "on_disk" for one in mark.keywords), (path.name, node.name)
    assert found > 40
