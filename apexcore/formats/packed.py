"""Channels of a lap as compressed binary columns, as they are kept beside it.

Layout: eight letters that tell the format, the length of a description as four bytes, the description as JSON (names of the columns,
number of rows, what else is to be told), then all columns one after the other as 32-bit numbers, the time as 64-bit ones, their bytes
sorted by weight and compressed (zlib). NaN is a gap.
"""

import json
import struct
import zlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import FileRejected
from .guard import guarded

Floats = NDArray[np.float64]

_MARK = b"apexlap1"
#: Most rows and columns of one lap: half an hour at a hundred samples a second.
MOST_ROWS, MOST_COLUMNS = 200_000, 120
#: Effort of the compressor: the first is nearly as small and much quicker.
_EFFORT = 1


@dataclass(frozen=True)
class Packed:
    """What was packed.

    :param t: time of each row [s]
    :param columns: by key
    :param told: what else was written down
    """

    t: Floats
    columns: dict[str, Floats]
    told: dict[str, Any]


def pack(t: Floats, columns: Mapping[str, Floats], told: Mapping[str, Any] | None = None, effort: int = _EFFORT) -> bytes:
    """Columns as bytes; `unpack` gives them back, to the precision of 32 bits.

    :param effort: of the compressor, 1 to 9

    :raises ValueError: if there are too many rows or columns
    """
    if len(t) > MOST_ROWS or len(columns) > MOST_COLUMNS:
        raise ValueError(f"{len(t)} rows of {len(columns)} columns; at most {MOST_ROWS} of {MOST_COLUMNS}")
    names = list(columns)
    head = json.dumps({"rows": len(t), "columns": names, "told": dict(told or {})}, ensure_ascii=False).encode()
    body = _by_weight(np.asarray(t, dtype="<f8")) + b"".join(_by_weight(np.asarray(columns[name], dtype="<f4")) for name in names)
    return _MARK + struct.pack("<I", len(head)) + head + zlib.compress(body, effort)


def _by_weight(column: NDArray[Any]) -> bytes:
    """The bytes of a column, all first ones first: neighbours are alike, which compresses."""
    return column.view(np.uint8).reshape(len(column), column.itemsize).T.tobytes()


@guarded("a packed lap")
def unpack(data: bytes) -> Packed:
    """Columns that were packed.

    :raises FileRejected: if these are not such bytes
    """
    if data[:8] != _MARK or len(data) < 12:
        raise FileRejected(["A packed lap: it does not begin as one."])
    (size,) = struct.unpack("<I", data[8:12])
    head = json.loads(data[12 : 12 + size])
    rows, names = int(head["rows"]), list(head["columns"])
    if not 0 <= rows <= MOST_ROWS or len(names) > MOST_COLUMNS:
        raise FileRejected([f"A packed lap: {rows} rows of {len(names)} columns."])
    length = rows * (8 + 4 * len(names))
    body = zlib.decompressobj().decompress(data[12 + size :], length + 1)
    if len(body) != length:
        raise FileRejected([f"A packed lap: {len(body)} bytes; expected {length}."])
    t = np.frombuffer(body, np.uint8, 8 * rows).reshape(8, rows).T.copy().view("<f8").ravel()
    columns = {}
    for place, name in enumerate(names):
        raw = np.frombuffer(body, np.uint8, 4 * rows, 8 * rows + 4 * rows * place)
        columns[name] = raw.reshape(4, rows).T.copy().view("<f4").ravel().astype(np.float64)
    return Packed(t, columns, head["told"])
