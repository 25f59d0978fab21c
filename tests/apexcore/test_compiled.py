"""Compiled code is kept by what it was made from, and made before somebody waits for it."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from apexcore import compiled, warm

CORE = Path(compiled.__file__).parent

#: What a process with a tree of its own prints: a value of the kernel, and how many functions it had to compile.
_ASK = """
from apexcore.compiled import watch
names = []
watch(names.append)
from apexcore.lap import small_kernel
print(small_kernel.weight_n(2.0), len([name for name in names if name.startswith("apexcore")]))
"""
_KERNEL = """
from ..circuit.conditions import GRAVITY
from ..compiled import compiled
from .halves import SHARE

@compiled()
def weight_n(mass):
    return mass * GRAVITY * SHARE
"""


def _edit(file: Path, before: str, after: str) -> None:
    text = file.read_text()
    assert before in text
    file.write_text(text.replace(before, after))


@pytest.mark.thorough_only
def test_a_constant_that_changes_in_another_file_is_seen(tmp_path: Path) -> None:
    """In a copied tree: straight from its file, and through a third one that works it out."""
    core = tmp_path / "apexcore"
    shutil.copytree(CORE, core, ignore=shutil.ignore_patterns("__pycache__"))
    (core / "lap" / "halves.py").write_text("from ..circuit.conditions import KELVIN\nSHARE = KELVIN / 273.15 / 2\n")
    (core / "lap" / "small_kernel.py").write_text(_KERNEL)
    env = {**os.environ, "PYTHONPATH": str(tmp_path), "APEX_KERNELS": str(tmp_path / "store")}

    def asked() -> tuple[object, int]:
        done = subprocess.run([sys.executable, "-c", _ASK], env=env, cwd=tmp_path, capture_output=True, text=True, check=True)
        value, count = done.stdout.split()
        return float(value), int(count)

    assert asked() == (pytest.approx(9.80665), 1)
    assert asked() == (pytest.approx(9.80665), 0)  # from the store
    _edit(core / "circuit" / "conditions.py", "GRAVITY = 9.80665", "GRAVITY = 1.62")
    assert asked() == (pytest.approx(1.62), 1)
    _edit(core / "circuit" / "conditions.py", "KELVIN = 273.15", "KELVIN = 546.3")
    assert asked() == (pytest.approx(3.24), 1)
    _edit(core / "circuit" / "conditions.py", "KELVIN = 546.3", "KELVIN = 273.15")
    assert asked() == (pytest.approx(1.62), 0)  # as it was before: still there


def test_marks_tell_values_apart_and_refuse_what_could_hide_one(tmp_path: Path) -> None:
    def mark(value: object) -> str:
        compiled._MARKS.clear()
        file = tmp_path / "kernel.py"
        file.write_text("from .record import THING\n")
        return compiled.mark_of(file, {"THING": value})

    values = (1, 1.0, True, "1", (1,), ((1,),), np.dtype([("a", "f8")]), np.dtype([("a", "f8"), ("b", "i8")]), np.dtype([("b", "f8")]))
    assert len({mark(value) for value in values}) == len(values)
    assert mark(0.1) == mark(0.1)
    for hidden in (len, [1], {"a": 1}, np.zeros(2), object()):
        with pytest.raises(TypeError, match="THING: a file of compiled functions may import plain values only"):
            mark(hidden)


def test_every_file_of_compiled_functions_is_warmed_before_somebody_waits() -> None:
    found = {
        ".".join(path.relative_to(CORE).with_suffix("").parts)
        for path in CORE.rglob("*.py")
        if re.search(r"import .*\bcompiled\b", path.read_text()) and path.stem != "warm"
    }
    assert found == {name for files, _ in warm.GROUPS.values() for name in files}
    assert not [path for path in CORE.rglob("*.py") if "numba" in path.read_text() and path.name not in ("compiled.py", "warm.py")]


def test_a_number_written_in_a_call_makes_no_body_of_its_own() -> None:
    @compiled.compiled(cache=False)
    def inner(a: int, b: float) -> float:
        return a * b

    @compiled.compiled(cache=False)
    def outer(x: float) -> float:
        return inner(1, x) + inner(2, x) + inner(int(x), 3.0)  # type: ignore[no-any-return]

    assert outer(2.0) == 12.0
    assert len(inner.signatures) == 1


def test_whoever_watches_can_forbid_it() -> None:
    @compiled.compiled(cache=False)
    def twice(x: float) -> float:
        return 2.0 * x

    heard: list[str] = []

    def refuse(name: str) -> None:
        heard.append(name)
        raise LookupError(name)

    stop = compiled.watch(refuse)
    try:
        with pytest.raises(LookupError):
            twice(1.0)
    finally:
        stop()
    assert heard and not twice.signatures
    assert twice(1.0) == 2.0


def test_a_store_that_cannot_be_written_is_done_without(tmp_path: Path) -> None:
    (tmp_path / "in the way").write_text("")
    code = "from apexcore.race import races_kernel, kernel; print(kernel.row_of.stats.cache_path)"
    env = {**os.environ, "APEX_KERNELS": str(tmp_path / "in the way"), "PYTHONPATH": str(CORE.parent)}
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, check=True)
    assert "in the way" not in done.stdout


def test_old_code_is_let_go(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("APEX_KERNELS", str(tmp_path))
    for number in range(9):
        for name in ("lap-kernel", "race-kernel"):
            (tmp_path / f"{name}-{number:024x}").mkdir()
            os.utime(tmp_path / f"{name}-{number:024x}", (number, number))
    compiled.tidy()
    kept = sorted(path.name for path in tmp_path.iterdir())
    assert kept == [f"{name}-{number:024x}" for name in ("lap-kernel", "race-kernel") for number in range(3, 9)]
