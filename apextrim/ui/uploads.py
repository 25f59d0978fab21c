"""The one file of an upload."""

from django.http import HttpRequest

from apexcore.errors import ApexError, FileRejected
from apexcore.formats.text import MOST_BYTES, encodable


def uploaded(request: HttpRequest, what: str, most_bytes: int = MOST_BYTES) -> bytes:
    """The bytes of the file in the field `file`.

    :param what: what was expected, for the message
    :raises FileRejected: if none was chosen, or it is too large to be read
    """
    file = request.FILES.get("file")
    if file is None:
        raise FileRejected([f"No file chosen. Choose {what}."])
    size = file.size or 0
    if size > most_bytes:
        name = encodable(file.name or "The upload")[:80]
        raise FileRejected([f"{name}: the file has {size / 1e6:.1f} MB; expected {what} of at most {most_bytes / 1e6:.0f} MB."])
    return bytes(file.read())


def called(request: HttpRequest) -> str:
    """What the file in the field `file` is called, without its ending, as words; empty where there is none."""
    file = request.FILES.get("file")
    stem = encodable((file.name if file else "") or "").rsplit(".", 1)[0]
    return " ".join(stem.replace("_", " ").split())[:60]


def is_long(data: bytes) -> bool:
    """Whether a file is read beside the requests: more than five thousand lines, or about as many rows of JSON."""
    return data.count(b"\n") > 5_000 or data.count(b"\r") > 5_000 or len(data) > 400_000


def problems_of(error: ApexError) -> list[str]:
    """The sentences of an error, one a line."""
    return error.problems if isinstance(error, FileRejected) else [str(error)]
