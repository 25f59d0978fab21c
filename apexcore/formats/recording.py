"""Recordings of a logger from files: CSV with any header, Parquet, MDF 4; and laps out as CSV and Parquet. docs/formats.md tells more."""

import csv
import io
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from importlib.util import find_spec
from typing import TYPE_CHECKING, Any, BinaryIO, cast

import numpy as np
from numpy.typing import NDArray

from ..errors import FileRejected
from ..judge.traces.channels import CHANNELS, Match, guessed, parted
from .guard import guarded

if TYPE_CHECKING:
    import pyarrow as pa

Floats = NDArray[np.float64]

#: Largest file that is read [bytes], and most samples and columns of one.
MOST_BYTES, MOST_SAMPLES, MOST_COLUMNS = 250_000_000, 20_000_000, 400
#: Most values of the columns that are read, and of the blocks of an MDF file; most bytes of the footer of a Parquet.
MOST_VALUES, MOST_BLOCKS, _MOST_FOOTER = 60_000_000, 200_000, 4_000_000
#: Lines at the top of a CSV among which its header is looked for, and letters of one that are looked at.
_TOP_LINES, _TOP_BYTES = 60, 65_536
#: Bytes of a CSV that are read at a time.
_BLOCK = 4_000_000
#: Channels that need more than seven digits.
_LONG = {"time_s", "latitude_deg", "longitude_deg", "x_m", "y_m", "distance_m"}
#: What cells of a line of units say.
_UNIT_CELLS = {"s", "km/h", "kmh", "kph", "mph", "m/s", "%", "rpm", "1/min", "bar", "g", "deg", "°", "m", "km", "°c", "degc", "l", "kpa"}
#: What a cell without a value says.
_NO_VALUE = ("", "nan", "NaN", "NAN", "null", "NULL", "n/a", "N/A", "-", "--", "inf", "-inf", "Inf", "-Inf")

WHAT = "a recording (CSV, Parquet or MDF 4)"
#: What recordings are read and written with; a group of its own among the requirements, since nothing else needs it.
_LIBRARIES = ("pyarrow", "asammdf")


@dataclass(frozen=True)
class Header:
    """The columns of a recording's file.

    :param kind: csv, parquet or mdf
    :param names: of the columns, as they stand there
    :param units: of each, where the file tells them
    :param skipped: lines of a CSV before its first sample
    :param delimiter: of a CSV
    :param comma: whether a CSV's numbers have a decimal comma
    """

    kind: str
    names: tuple[str, ...]
    units: tuple[str, ...]
    skipped: int = 0
    delimiter: str = ","
    comma: bool = False

    def guess(self) -> list[Match | None]:
        """What each column is taken for."""
        return guessed(list(self.names), list(self.units))


def missing_libraries() -> str | None:
    """What to say where the libraries for recordings are not installed; None where they are."""
    if all(find_spec(name) for name in _LIBRARIES):
        return None
    return (
        "The libraries for recordings are not installed yet. After a first start they come by themselves, a minute or two behind the "
        "first page; make recordings installs them now."
    )


def _need_libraries() -> None:
    if (said := missing_libraries()) is not None:
        raise FileRejected([said])


@guarded(WHAT)
def read_header(file: BinaryIO) -> Header:
    """What columns a file has.

    :param file: opened for reading bytes, at any place
    :raises FileRejected: if it is none that is read
    """
    _need_libraries()
    size = file.seek(0, io.SEEK_END)
    file.seek(0)
    if size == 0:
        raise FileRejected([f"The file is empty; expected {WHAT}."])
    if size > MOST_BYTES:
        raise FileRejected([f"The file has {size / 1e6:.0f} MB; expected {WHAT} of at most {MOST_BYTES / 1e6:.0f} MB."])
    top = file.read(_TOP_BYTES)
    file.seek(0)
    if top[:4] == b"PAR1":
        return _parquet_header(file)
    if top[:8] == b"MDF     ":
        return _mdf_header(file, top)
    if b"\x00" in top[:4096]:
        raise FileRejected([f"Byte {top.index(0) + 1}: this is a binary file, or text in UTF-16; expected {WHAT}."])
    return _csv_header(top)


def _csv_header(top: bytes) -> Header:
    """The header of a CSV: the last line of words above the first line of numbers; a line of units may stand between."""
    text = top.decode("utf-8-sig", errors="replace").replace("\r\n", "\n").replace("\r", "\n")
    lines = text.split("\n")[:_TOP_LINES]
    for number, line in enumerate(lines):
        for delimiter in (";", "\t", ","):
            cells = _cells(line, delimiter)
            if len(cells) >= 2 and sum(map(_is_number, cells)) >= max(2, 0.5 * len([c for c in cells if c.strip()])):
                return _headed(lines, number, delimiter, len(cells))
    raise FileRejected([f"Lines 1 to {len(lines)}: no line of numbers was found under a header; expected {WHAT}."])


def _cells(line: str, delimiter: str) -> list[str]:
    """The cells of a line; none of one that is empty or no line of a table."""
    try:
        return next(csv.reader([line], delimiter=delimiter), []) if line.strip() else []
    except csv.Error:
        return []


def first_values(file: BinaryIO, header: Header, most: int) -> list[list[str]]:
    """The cells of the first samples of a CSV; none of a binary file.

    :param most: samples
    """
    if header.kind != "csv":
        return []
    rows: list[list[str]] = []
    file.seek(0)
    text = io.TextIOWrapper(file, encoding="utf-8", errors="replace", newline=None)
    try:
        for number, line in enumerate(text):
            cells = _cells(line, header.delimiter) if number >= header.skipped else []
            if len(cells) == len(header.names):
                rows.append([cell.strip()[:14] for cell in cells])
            if len(rows) >= most or number > header.skipped + 50:
                break
    finally:
        text.detach()
    return rows


def _is_number(cell: str) -> bool:
    return re.fullmatch(r"\s*[+-]?\d+([.,]\d*)?([eE][+-]?\d+)?\s*", cell) is not None


def _headed(lines: Sequence[str], first: int, delimiter: str, width: int) -> Header:
    above = [
        (number, cells) for number in range(first) if lines[number].strip() and len(cells := _cells(lines[number], delimiter)) == width
    ]
    if not above:
        raise FileRejected([f"Line {first + 1}: numbers begin here without a header of as many columns above; expected one."])
    names, units = above[-1][1], [""] * width
    if len(above) > 1 and _are_units(above[-1][1]) and not _are_units(above[-2][1]):
        names, units = above[-2][1], above[-1][1]
    sample = _cells(lines[first], delimiter)
    comma = delimiter != "," and any(re.fullmatch(r"\s*[+-]?\d+,\d+\s*", cell) for cell in sample)
    return Header("csv", _apart(names), tuple(unit.strip().strip("[]()") for unit in units), first, delimiter, comma)


def _are_units(cells: Sequence[str]) -> bool:
    """Whether a line looks like units: short, and most of them known."""
    known = [cell.strip().strip("[]()") for cell in cells]
    told = [cell for cell in known if cell]
    return bool(told) and all(len(cell) <= 8 for cell in told) and any(cell.lower() in _UNIT_CELLS for cell in told)


def _apart(names: Sequence[str]) -> tuple[str, ...]:
    """Names of columns, those without one counted, a repeated one told apart."""
    if len(names) > MOST_COLUMNS:
        raise FileRejected([f"The header has {len(names)} columns; expected at most {MOST_COLUMNS}."])
    found: list[str] = []
    for place, name in enumerate(names, start=1):
        clean = re.sub(r"[\x00-\x1f]+", " ", name[:1000]).strip()[:200] or f"column {place}"
        found.append(clean if clean not in found else f"{clean} #{place}")
    return tuple(found)


def _parquet_header(file: BinaryIO) -> Header:
    import pyarrow as pa
    from pyarrow import parquet

    size = file.seek(0, io.SEEK_END)
    file.seek(max(size - 8, 0))
    tail = file.read(8)
    footer = int.from_bytes(tail[:4], "little")
    file.seek(0)
    if tail[4:] == b"PAR1" and footer > min(_MOST_FOOTER, size):
        raise FileRejected([f"Byte {size - 7}: a footer of {footer / 1e6:.0f} MB; expected {WHAT} of at most {MOST_COLUMNS} columns."])
    try:
        schema = parquet.read_schema(file)
    except (pa.ArrowException, OSError) as error:
        raise FileRejected([f"The file: this is no readable Parquet ({_short(error)}); expected {WHAT}."]) from None
    units = [str((field.metadata or {}).get(b"unit", b"").decode("utf-8", "replace")) for field in schema]
    return Header("parquet", _apart(schema.names), tuple(units))


def _few_enough(rows: int, columns: int) -> None:
    """
    :raises FileRejected: where there are more values than are read
    """
    if rows * columns > MOST_VALUES:
        told = f"{rows:,} samples of {columns} columns"
        raise FileRejected([f"The file: {told} are chosen; expected at most {MOST_VALUES:,} values. Leave columns out."])


#: Links of each kind of block of MDF 4 that lead on to blocks which are read: to the next of its kind, and down.
_MDF_LINKS = {b"##HD": (0,), b"##DG": (0, 1, 2), b"##CG": (0, 1), b"##CN": (0, 1), b"##DL": (0,), b"##HL": (0,)}
#: Where the first block lies, and what a block's head has: kind, padding, length, number of links.
_MDF_FIRST, _MDF_HEAD = 64, 24


def _mdf_structure(file: BinaryIO, size: int) -> None:
    """Follows an MDF file's blocks of groups and channels, each once.

    :raises FileRejected: naming the byte of a block that leads back, lies outside, or is none
    """
    seen: set[int] = set()
    waiting = [_MDF_FIRST]
    while waiting:
        at = waiting.pop()
        if at in seen:
            raise FileRejected([f"Byte {at + 1}: a block that another one leads back to; expected {WHAT}."])
        seen.add(at)
        if len(seen) > MOST_BLOCKS:
            raise FileRejected([f"Byte {at + 1}: more than {MOST_BLOCKS:,} blocks; expected {WHAT}."])
        if not 0 <= at <= size - _MDF_HEAD:
            raise FileRejected([f"Byte {at + 1}: a block beyond the file's {size:,} bytes; expected {WHAT}."])
        file.seek(at)
        head = file.read(_MDF_HEAD)
        kind, length, links = head[:4], int.from_bytes(head[8:16], "little"), int.from_bytes(head[16:24], "little")
        if length < _MDF_HEAD + 8 * links or at + length > size or links > MOST_BLOCKS:
            raise FileRejected([f"Byte {at + 1}: a block of {length:,} bytes with {links:,} links; expected {WHAT}."])
        followed = [place for place in _MDF_LINKS.get(kind, ()) if place < links]
        raw = file.read(8 * links) if followed else b""
        waiting += [link for place in followed if (link := int.from_bytes(raw[8 * place : 8 * place + 8], "little"))]


def _mdf_header(file: BinaryIO, top: bytes) -> Header:
    if not top[8:16].startswith(b"4."):
        version = top[8:16].decode("latin-1").strip("\x00 ")
        raise FileRejected([f"The file: this is MDF {version}; expected {WHAT}."])
    if top[64:68] != b"##HD":
        raise FileRejected([f"Byte 65: the header block of MDF 4 is missing; expected {WHAT}."])
    _mdf_structure(file, file.seek(0, io.SEEK_END))
    file.seek(0)
    names, units = [], []
    for name, unit in _mdf_channels(file):
        names.append(name)
        units.append(unit)
    if not names:
        raise FileRejected([f"The file: this MDF 4 holds no channel of numbers; expected {WHAT}."])
    return Header("mdf", _apart(["time_s", *names]), ("s", *units))


def _mdf_channels(file: BinaryIO) -> list[tuple[str, str]]:
    """Names and units of the channels of an MDF 4 file that are numbers."""
    from asammdf import MDF

    try:
        with MDF(cast(Any, file)) as mdf:
            found: dict[str, str] = {}
            for group in mdf.groups:
                for channel in group.channels:
                    if channel.channel_type == 0 and channel.name not in found:
                        found[channel.name] = str(getattr(channel, "unit", "") or "")
            return list(found.items())[: MOST_COLUMNS - 1]
    except Exception as error:  # the reader has no one kind of error for a file that is broken
        raise FileRejected([f"The file: this is no readable MDF 4 ({_short(error)}); expected {WHAT}."]) from None


def _short(error: BaseException) -> str:
    return re.sub(r"\s+", " ", str(error)).split("/")[-1][:80] or type(error).__name__


@dataclass(frozen=True)
class Recording:
    """The channels of a file.

    :param t: time of each sample [s]
    :param columns: channels by key, in their own units
    :param units: units of channels that are not ours, by key
    """

    t: Floats
    columns: dict[str, Floats]
    units: dict[str, str]


@guarded(WHAT)
def read_recording(file: BinaryIO, header: Header, matches: Sequence[Match | None]) -> Recording:
    """The samples of a file, all or nothing.

    :param file: opened for reading bytes
    :param header: of `read_header`
    :param matches: what each of its columns is; None for those that are left out
    :raises FileRejected: naming line or column, and what was expected
    """
    wanted = [(place, match) for place, match in enumerate(matches) if match is not None]
    keys = [match.key for _, match in wanted]
    twice = sorted({key for key in keys if keys.count(key) > 1})
    if twice:
        raise FileRejected([f"Columns: {', '.join(twice)} is chosen for two columns; expected each once."])
    if "time_s" not in keys:
        raise FileRejected(["Columns: none is chosen for the time; expected one, in seconds or milliseconds."])
    if header.kind == "csv":
        file.seek(0)
        raw = _csv_columns(file, header, wanted)
    elif header.kind == "parquet":
        raw = _parquet_columns(file, header, [place for place, _ in wanted])
    else:
        raw = _mdf_columns(file, header, [place for place, _ in wanted])
    columns = {}
    for (_, match), values in zip(wanted, raw, strict=True):
        columns[match.key] = values if match.scale == 1.0 and match.shift == 0.0 else match.scale * values + match.shift
    units = {match.key: match.unit for _, match in wanted if match.key not in CHANNELS and match.unit}
    return Recording(columns.pop("time_s"), columns, units)


def _csv_columns(file: BinaryIO, header: Header, chosen: Sequence[tuple[int, Match]]) -> list[Floats]:
    import pyarrow as pa
    from pyarrow import csv as arrow_csv

    names = [f"c{place}" for place in range(len(header.names))]
    wanted = [names[place] for place, _ in chosen]
    # what is fine at seven digits takes half the memory; times and places are not
    types = {name: pa.float64() if match.key in _LONG else pa.float32() for name, (_, match) in zip(wanted, chosen, strict=True)}
    parts: list[list[Floats]] = [[] for _ in wanted]
    rows = 0
    try:
        with arrow_csv.open_csv(
            file,
            read_options=arrow_csv.ReadOptions(skip_rows=header.skipped, column_names=names, block_size=_BLOCK, encoding="utf8"),
            parse_options=arrow_csv.ParseOptions(delimiter=header.delimiter, ignore_empty_lines=True),
            convert_options=arrow_csv.ConvertOptions(
                include_columns=wanted, column_types=types, null_values=list(_NO_VALUE),
                strings_can_be_null=True, decimal_point="," if header.comma else ".",
            ),
        ) as reader:  # fmt: skip
            for batch in reader:
                rows += batch.num_rows
                if rows > MOST_SAMPLES:
                    raise FileRejected([f"The file has more than {MOST_SAMPLES:,} samples; expected fewer."])
                for part, column in zip(parts, batch.columns, strict=True):
                    part.append(_numbers(column))
    except pa.ArrowException as error:
        raise FileRejected([_first_problem(file, header, [place for place, _ in chosen], str(error))]) from None
    if not rows:
        raise FileRejected([f"Line {header.skipped + 1}: no sample stands under the header."])
    found = []
    while parts:  # each column's pieces are let go as it is put together
        found.append(np.concatenate(parts.pop(0)))
    pa.default_memory_pool().release_unused()
    return found


def _first_problem(file: BinaryIO, header: Header, places: Sequence[int], message: str) -> str:
    """Where a table that the columnar reader gave up is broken: it does not tell the line, so that the lines are gone through."""
    width = len(header.names)
    file.seek(0)
    text = io.TextIOWrapper(file, encoding="utf-8", errors="surrogateescape", newline=None)
    try:
        for number, line in enumerate(text, start=1):
            if number <= header.skipped or not line.strip("\r\n"):
                continue
            if re.search("[\udc80-\udcff]", line):
                return f"Line {number}: a byte that is not UTF-8; expected the file saved in UTF-8."
            cells = _cells(line, header.delimiter)
            if len(cells) != width:
                last = "" if line.endswith("\n") else " The file may have been cut off there."
                return f"Line {number}: {len(cells)} columns; expected {width}.{last}"
            for place in places:
                cell = cells[place].strip()
                if cell not in _NO_VALUE and not _is_number(cell):
                    name = parted(header.names[place])[0][:40]
                    return f"Line {number}, column {name}: “{cell[:40]}” is not valid: expected a number."
    finally:
        text.detach()
    return f"The file: this is no readable table of samples ({_short(ValueError(message))})."


def _numbers(column: Any) -> Floats:
    """A column of Arrow as numbers; what has no value is NaN.

    :raises FileRejected: if it holds no numbers
    """
    import pyarrow as pa

    if pa.types.is_dictionary(column.type):
        column = column.dictionary_decode()
    if pa.types.is_timestamp(column.type) or pa.types.is_duration(column.type):
        unit = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}[column.type.unit]
        whole = column.cast(pa.int64())
        first = next((value.as_py() for value in whole if value.is_valid), 0)  # as floats, times of day would lose their milliseconds
        ticks = np.asarray(whole.fill_null(first).to_numpy(zero_copy_only=False), dtype=np.int64)
        seconds = (ticks - first) * unit
        return np.where(np.asarray(column.is_valid().to_numpy(zero_copy_only=False)), seconds, np.nan)
    if not (pa.types.is_integer(column.type) or pa.types.is_floating(column.type) or pa.types.is_boolean(column.type)):
        raise FileRejected([f"A column holds {column.type}; expected numbers."])
    if column.type != pa.float32():
        column = column.cast(pa.float64(), safe=False)
    return np.asarray(column.to_numpy(zero_copy_only=False))


def _parquet_columns(file: BinaryIO, header: Header, places: Sequence[int]) -> list[Floats]:
    import pyarrow as pa
    from pyarrow import parquet

    try:
        with parquet.ParquetFile(file) as table:
            if table.metadata.num_rows > MOST_SAMPLES:
                raise FileRejected([f"The file has {table.metadata.num_rows:,} samples; expected at most {MOST_SAMPLES:,}."])
            if not table.metadata.num_rows:
                raise FileRejected(["The file holds no sample."])
            _few_enough(table.metadata.num_rows, len(places))
            names = table.schema_arrow.names
            found = []
            for place in places:
                column = table.read(columns=[names[place]]).column(0)
                try:
                    found.append(np.concatenate([_numbers(chunk) for chunk in column.chunks]))
                except FileRejected as error:
                    raise FileRejected([f"Column {header.names[place]}: {error.problems[0]}"]) from None
            return found
    except (pa.ArrowException, OSError) as error:
        raise FileRejected([f"The file: this is no readable Parquet ({_short(error)}); expected {WHAT}."]) from None


def _mdf_columns(file: BinaryIO, header: Header, places: Sequence[int]) -> list[Floats]:
    """All channels on the clock of the fastest of them."""
    from asammdf import MDF

    try:
        with MDF(cast(Any, file)) as mdf:
            signals = {}
            for place in places:
                if place == 0:
                    continue
                signal = mdf.get(re.sub(r" #\d+$", "", header.names[place]), raw=False, ignore_invalidation_bits=False)
                if not _holds_numbers(signal.samples):
                    signal = mdf.get(header.names[place], raw=True)
                if not _holds_numbers(signal.samples):
                    raise FileRejected([f"Channel {header.names[place]}: it holds no numbers; leave it out."])
                values = np.asarray(signal.samples)
                signals[place] = (np.asarray(signal.timestamps, dtype=np.float64), values.astype(np.float64))
    except FileRejected:
        raise
    except Exception as error:  # the reader has no one kind of error for a file that is broken
        raise FileRejected([f"The file: this is no readable MDF 4 ({_short(error)}); expected {WHAT}."]) from None
    if not signals:
        raise FileRejected(["Columns: no channel is chosen besides the time; expected one at least."])
    clock = max((times for times, _ in signals.values()), key=len)
    _few_enough(len(clock), len(places))
    if len(clock) > MOST_SAMPLES:
        raise FileRejected([f"The file has {len(clock):,} samples; expected at most {MOST_SAMPLES:,}."])
    found = []
    for place, match_key in ((place, header.names[place]) for place in places):
        if place == 0:
            found.append(clock)
            continue
        times, values = signals[place]
        if len(times) == len(clock) and np.array_equal(times, clock):
            found.append(values)
        elif len(times) == 0:
            found.append(np.full(len(clock), np.nan))
        elif "gear" in match_key.lower():
            found.append(values[np.clip(np.searchsorted(times, clock, side="right") - 1, 0, len(values) - 1)])
        else:
            found.append(np.interp(clock, times, values, left=np.nan, right=np.nan))
    return found


def _holds_numbers(samples: Any) -> bool:
    values = np.asarray(samples)
    return values.ndim == 1 and (np.issubdtype(values.dtype, np.number) or values.dtype == bool)


def write_csv(t: Floats, columns: Mapping[str, Floats]) -> Iterator[str]:
    """A lap as CSV, in pieces: our names of the channels with their units in them, empty where nothing was measured."""
    yield ",".join(["time_s", *(_cell(name) for name in columns)]) + "\n"
    stacked = np.column_stack([t, *columns.values()])
    for first in range(0, len(stacked), 2000):
        rows = (",".join("" if value != value else format(value, ".10g") for value in row) for row in stacked[first : first + 2000])
        yield "\n".join(rows) + "\n"


def _cell(name: str) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="").writerow([name])
    return out.getvalue()


def arrow_table(t: Floats, columns: Mapping[str, Floats], units: Mapping[str, str] | None = None) -> "pa.Table":
    """A lap as a table whose fields tell their units."""
    import pyarrow as pa

    fields, arrays = [pa.field("time_s", pa.float64(), metadata={"unit": "s"})], [pa.array(np.asarray(t))]
    for name, column in columns.items():
        unit = CHANNELS[name].unit if name in CHANNELS else (units or {}).get(name, "")
        fields.append(pa.field(name, pa.float32(), metadata={"unit": unit}))
        arrays.append(pa.array(np.asarray(column, dtype=np.float32), from_pandas=True))
    return pa.Table.from_arrays(arrays, schema=pa.schema(fields))


def write_parquet(t: Floats, columns: Mapping[str, Floats], units: Mapping[str, str] | None = None) -> bytes:
    """A lap as Parquet.

    :raises FileRejected: where the libraries for it are not installed
    """
    _need_libraries()
    from pyarrow import BufferOutputStream, parquet

    out = BufferOutputStream()
    parquet.write_table(arrow_table(t, columns, units), out, compression="zstd")
    return bytes(out.getvalue().to_pybytes())
