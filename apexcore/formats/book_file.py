"""A racer's book of a circuit as a file, together with the circuit. The format is described in docs/formats.md."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..circuit.track import Circuit
from ..quantities.values import Value
from ..trim.book.fields import FIELD, MOST_WORDS, VARIANTS

Number = Annotated[int, Field(ge=1, le=400)]


class BookEntryFile(Value):
    """One field of a corner's page.

    :param variant: way of driving it, one of `trim.book.fields.VARIANTS`
    :param field: one of `trim.book.fields.FIELDS`
    :param text: what stands in it
    """

    corner: Number
    variant: str = Field("qualifying", max_length=12)
    field: str = Field(max_length=12)
    text: Annotated[str, Field(min_length=1, max_length=MOST_WORDS)]

    @model_validator(mode="after")
    def _known(self) -> "BookEntryFile":
        if self.variant not in VARIANTS:
            raise ValueError(f"variant “{self.variant}” is none of {', '.join(VARIANTS)}")
        if self.field not in FIELD:
            raise ValueError(f"field “{self.field}” is none of {', '.join(FIELD)}")
        return self


class BookFile(Value):
    """A book.

    :param circuit: the circuit it is of, whole, so that the book can be read where that circuit is not known
    :param car: name of the car it was driven in
    """

    format: Literal["apex-trim book 1"] = "apex-trim book 1"
    circuit: Circuit
    car: str = Field("", max_length=60)
    entries: tuple[BookEntryFile, ...] = Field((), max_length=20_000)
