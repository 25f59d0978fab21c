"""Bytes of a file to text, tables and JSON, with errors that say where it went wrong."""

import csv
import io
import json
import re
from typing import Any

from ..errors import FileRejected

#: Largest file that is read [bytes].
MOST_BYTES = 4_000_000
#: Problems told one by one; the rest are counted.
MOST_PROBLEMS = 12


def decoded(data: bytes, what: str, most_bytes: int = MOST_BYTES) -> str:
    """The file's text.

    :param what: what was expected, for the message ("a CSV of laps")
    :raises FileRejected: if it is empty, too large, binary, or not UTF-8
    """
    if not data.strip():
        raise FileRejected([f"The file is empty; expected {what}."])
    if len(data) > most_bytes:
        raise FileRejected([f"The file has {len(data) / 1e6:.1f} MB; expected {what} of at most {most_bytes / 1e6:.0f} MB."])
    if b"\x00" in data[:4096]:
        raise FileRejected([f"Byte {data.index(0) + 1}: this is a binary file, or text in UTF-16; expected {what} in UTF-8."])
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        column = error.start - data.rfind(b"\n", 0, error.start)
        found = f"byte {data[error.start]:02x} is not UTF-8"
        raise FileRejected([f"Line {line}, column {column}: {found}; expected {what} saved in UTF-8."]) from None
    if not text.strip():
        raise FileRejected([f"The file is empty; expected {what}."])
    return text


def rows_of(text: str, what: str) -> list[list[str]]:
    """The cells of a table whose columns are separated by commas, semicolons or tabs; every kind of line end is one.

    :param what: what was expected, for the message
    :raises FileRejected: if it is no table
    """
    text = text.replace("\r\n", "\n").replace("\r", "\n").lstrip("\n")
    first = text[: text.find("\n")] if "\n" in text else text
    delimiter = ";" if ";" in first else "\t" if "\t" in first else ","
    reader = csv.reader(io.StringIO(text), delimiter=delimiter, strict=True)
    try:
        rows = list(reader)
    except csv.Error as error:
        raise FileRejected([f"Line {reader.line_num}: this is no readable CSV ({error}); expected {what}."]) from None
    if not rows or not any(cell.strip() for cell in rows[0]):
        raise FileRejected([f"Line 1: there is no header; expected {what}."])
    return rows


#: How a half of a pair of characters, which alone is none, is written in JSON.
_HALF = re.compile(r"\\u[dD][89a-fA-F]")


def json_of(text: str, what: str) -> Any:
    """What JSON holds. A character that is only half of one is replaced: it could be neither stored nor shown.

    :param what: what was expected, for the message
    :raises FileRejected: naming line and column, if it is no JSON
    """
    try:
        content = json.loads(text)
    except json.JSONDecodeError as error:
        raise FileRejected([f"Line {error.lineno}, column {error.colno}: this is not valid JSON ({error.msg}); expected {what}."]) from None
    except RecursionError:
        raise FileRejected([f"The file: this is not valid JSON (nested too deeply); expected {what}."]) from None
    except ValueError:  # a whole number of more digits than Python reads
        raise FileRejected([f"The file: a number has too many digits; expected {what}."]) from None
    return _whole_characters(content) if _HALF.search(text) else content


def _whole_characters(content: Any) -> Any:
    if isinstance(content, str):
        return encodable(content)
    if isinstance(content, list):
        return [_whole_characters(part) for part in content]
    if isinstance(content, dict):
        return {encodable(key): _whole_characters(part) for key, part in content.items()}
    return content


def encodable(text: str) -> str:
    """The text with every half of a character replaced, so that it can be written as UTF-8."""
    return text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")


#: What makes a spreadsheet take a cell of words for a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def words_cell(text: str) -> str:
    """Words as the cell of a CSV that no spreadsheet takes for a formula: an apostrophe stands before what looks like one."""
    return f"'{text}" if text.startswith(_FORMULA) else text


def rejected(problems: list[str]) -> FileRejected:
    """The error for these problems, the list kept readable."""
    extra = len(problems) - MOST_PROBLEMS
    if extra > 0:
        problems = [*problems[:MOST_PROBLEMS], f"… and {extra} more problem{'s' if extra > 1 else ''} of this kind."]
    return FileRejected(problems)


def problem_of(error: object) -> str:
    """One error of the schema as a sentence that names its place."""
    assert isinstance(error, dict)
    place = ".".join(encodable(str(part))[:40] for part in error["loc"]) or "the whole"
    message = str(error["msg"]).removeprefix("Value error, ")
    value = error.get("input")
    shown = "" if isinstance(value, dict | list | tuple) else f" “{str(value)[:40]}” is not valid:"
    return f"{place}:{shown} {message}."
