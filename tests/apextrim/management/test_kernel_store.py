"""Compiled kernels travel between clones of the same sources, and only those."""

from pathlib import Path

import pytest

from apextrim.management import kernel_store


def clone(folder: Path, source: str, compiled: bool) -> Path:
    (folder / "lap" / "__pycache__").mkdir(parents=True)
    (folder / "lap" / "kernel.py").write_text(source)
    if compiled:
        (folder / "lap" / "__pycache__" / "kernel.solve-1.py311.nbi").write_text("index")
        (folder / "lap" / "__pycache__" / "kernel.solve-1.py311.1.nbc").write_text("code")
    return folder


def test_kernels_travel_between_clones_of_the_same_sources_only(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("APEX_KERNELS", str(tmp_path / "store"))
    first = clone(tmp_path / "first", "x = 1", compiled=True)
    assert not kernel_store.restore(first)  # it has its own
    assert kernel_store.save(first) and not kernel_store.save(first)
    second = clone(tmp_path / "second", "x = 1", compiled=False)
    assert kernel_store.restore(second)
    assert (second / "lap" / "__pycache__" / "kernel.solve-1.py311.1.nbc").read_text() == "code"
    other = clone(tmp_path / "other", "x = 2", compiled=False)
    assert not kernel_store.restore(other)


def test_a_store_that_cannot_be_written_is_left_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setenv("APEX_KERNELS", str(tmp_path / "file"))
    assert not kernel_store.save(clone(tmp_path / "core", "x = 1", compiled=True))


def test_the_store_keeps_the_newest_only(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("APEX_KERNELS", str(tmp_path / "store"))
    for number in range(9):
        kernel_store.save(clone(tmp_path / f"clone{number}", f"x = {number}", compiled=True))
    assert len(list((tmp_path / "store").iterdir())) == 6
