"""Laps kept as bytes: they come back, they are small, and no bytes break the reader."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from apexcore.errors import FileRejected
from apexcore.formats.packed import MOST_ROWS, pack, unpack
from tests.amounts import many


@pytest.mark.thorough
@settings(max_examples=many(4, 100))
@given(st.integers(0, 60), st.lists(st.text(min_size=1, max_size=12), max_size=6, unique=True), st.data())
def test_what_is_packed_comes_back(rows: int, names: list[str], data: st.DataObject) -> None:
    floats = hnp.arrays(np.float64, rows, elements=st.floats(width=32, allow_infinity=False))
    t, columns = data.draw(hnp.arrays(np.float64, rows, elements=st.floats(allow_nan=False))), {name: data.draw(floats) for name in names}
    back = unpack(pack(t, columns, {"hz": 50.0}))
    assert np.array_equal(back.t, t) and list(back.columns) == names and back.told == {"hz": 50.0}
    assert all(np.array_equal(back.columns[name], column, equal_nan=True) for name, column in columns.items())


@given(st.binary(max_size=300))
def test_no_bytes_break_it(data: bytes) -> None:
    whole = pack(np.arange(30.0), {"a": np.sin(np.arange(30.0)), "b": np.ones(30)})
    for broken in (data, b"apexlap1" + data, whole[:-3], whole[: len(whole) // 2], whole[:14] + data + whole[14:]):
        try:
            unpack(broken)
        except FileRejected:
            continue


def test_a_season_is_small() -> None:
    rng, t = np.random.default_rng(1), np.arange(0, 80, 0.02)
    columns = {f"c{k}": np.round(100 * np.sin(t / (3 + k)) + rng.normal(0, 0.1, len(t)), 2) for k in range(20)}
    assert 2000 * len(pack(t, columns)) < 0.7e9


def test_too_much_is_refused() -> None:
    with pytest.raises(ValueError, match="at most"):
        pack(np.zeros(MOST_ROWS + 1), {})
    with pytest.raises(FileRejected, match="does not begin"):
        unpack(b"something else")
