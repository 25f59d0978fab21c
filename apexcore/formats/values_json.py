"""Cars, circuits and sheets to and from JSON. The formats are described in docs/formats.md."""

import json
from typing import Annotated, Literal, TypeVar

from pydantic import Field, ValidationError

from ..errors import FileRejected
from ..quantities.values import Value
from ..vehicle.car import Car, Key
from ..vehicle.sheet import Sheet, checked_sheet
from .guard import guarded
from .text import MOST_BYTES, decoded, json_of, problem_of, rejected

Kind = TypeVar("Kind", bound=Value)


class SheetFile(Value):
    """A sheet as a file.

    :param car: key of the car it is for
    :param name: what its owner calls it
    :param reason: why it was made
    :param values: value of every item, by key, in the item's unit
    """

    format: Literal["apex-trim sheet 1"] = "apex-trim sheet 1"
    car: Key
    name: str = Field("", max_length=40)
    reason: str = Field("", max_length=200)
    values: dict[Key, Annotated[float, Field(ge=-1e6, le=1e6)]] = Field(max_length=200)


@guarded("what was expected")
def read_value(data: bytes, kind: type[Kind], what: str, most_bytes: int = MOST_BYTES) -> Kind:
    """A checked value of a JSON file.

    :param what: what was expected, for the message ("a sheet")
    :raises FileRejected: with every problem found, each naming its place
    """
    content = json_of(decoded(data, f"{what} in JSON", most_bytes), what)
    if not isinstance(content, dict) or "format" not in content:
        raise FileRejected([f"The file does not say its format; expected {what} with “format”: “{_format(kind)}”."])
    if content["format"] != _format(kind):
        raise FileRejected([f"format: “{str(content['format'])[:60]}” is not valid; expected “{_format(kind)}” ({what})."])
    try:
        return kind.model_validate(content)
    except ValidationError as error:
        raise rejected([problem_of(problem) for problem in error.errors()]) from None


def _format(kind: type[Value]) -> str:
    return str(kind.model_fields["format"].default)


def write_value(value: Value) -> str:
    """The JSON of a value; `read_value` gives it back."""
    return json.dumps(value.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"


def read_sheet(data: bytes, car: Car) -> tuple[SheetFile, Sheet]:
    """A sheet file and its checked values.

    :raises FileRejected: if it is no sheet, is for another car, or holds a value that the car refuses
    """
    file = read_value(data, SheetFile, "a sheet")
    if file.car != car.key:
        raise FileRejected([f"car: this sheet is for “{file.car}”; expected one for “{car.key}” ({car.name})."])
    return file, checked_sheet(car, file.values)


def write_sheet(sheet: Sheet, name: str, reason: str) -> str:
    """The JSON of a sheet; `read_sheet` gives it back."""
    return write_value(SheetFile(car=sheet.car_key, name=name, reason=reason, values=dict(sheet.values)))
