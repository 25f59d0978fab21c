"""Bytes of a file to text, with errors that say where it went wrong."""

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
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        column = error.start - data.rfind(b"\n", 0, error.start)
        found = f"byte {data[error.start]:02x} is not UTF-8"
        raise FileRejected([f"Line {line}, column {column}: {found}; expected {what} saved in UTF-8."]) from None


def rejected(problems: list[str]) -> FileRejected:
    """The error for these problems, the list kept readable."""
    extra = len(problems) - MOST_PROBLEMS
    if extra > 0:
        problems = [*problems[:MOST_PROBLEMS], f"… and {extra} more problem{'s' if extra > 1 else ''} of this kind."]
    return FileRejected(problems)


def problem_of(error: object) -> str:
    """One error of the schema as a sentence that names its place."""
    assert isinstance(error, dict)
    place = ".".join(str(part) for part in error["loc"]) or "the whole"
    message = str(error["msg"]).removeprefix("Value error, ")
    value = error.get("input")
    shown = "" if isinstance(value, dict | list | tuple) else f" “{str(value)[:40]}” is not valid:"
    return f"{place}:{shown} {message}."
