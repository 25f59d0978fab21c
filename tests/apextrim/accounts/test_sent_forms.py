"""Forms that several servers know of: one at a time, none that a dead one was at, and not for ever."""

import multiprocessing
import os
import time
from pathlib import Path
from typing import Any

import pytest

from apextrim.accounts import sent_forms


@pytest.fixture(autouse=True)
def place(settings: Any, tmp_path: Path) -> Path:
    settings.VAR = tmp_path
    return tmp_path / "sent"


def _try(names: list[str], out: Any) -> None:
    out.put([sent_forms.begin(name) for name in names])


def test_of_several_processes_one_begins_a_form() -> None:
    context: Any = multiprocessing.get_context("fork")
    names, out = [f"form {number}" for number in range(200)], context.Queue()
    there = [context.Process(target=_try, args=(names, out)) for _ in range(4)]
    for one in there:
        one.start()
    told = [out.get(timeout=30) for _ in there]
    for one in there:
        one.join()
    assert [sum(column) for column in zip(*told, strict=True)] == [1] * len(names)


def test_a_form_leads_where_it_led_until_it_is_old(place: Path) -> None:
    assert sent_forms.where("a") is None and sent_forms.begin("a") and sent_forms.where("a") == "" and not sent_forms.begin("a")
    sent_forms.led("a", "/events/3/runs/")
    assert sent_forms.where("a") == "/events/3/runs/" and not sent_forms.begin("a")
    old = time.time() - sent_forms.KNOWN_S - 1
    for path in place.iterdir():
        os.utime(path, (old, old))
    assert sent_forms.where("a") is None and sent_forms.begin("a")
    sent_forms.forget("a")
    assert sent_forms.begin("a")
    for path in place.iterdir():
        os.utime(path, (old, old))
    sent_forms.tidy()
    assert [path.name for path in place.iterdir()] == [".lock"]


@pytest.mark.parametrize("content", ["", "!", "!no number", f"!{2**22 + 5}", f"!{10**30}"])
def test_nobody_waits_for_a_server_that_was_killed_at_it(place: Path, content: str) -> None:
    assert sent_forms.begin("a")
    (path,) = (path for path in place.iterdir() if path.name != ".lock")
    path.write_text(content)
    assert sent_forms.where("a") is None and sent_forms.begin("a")
