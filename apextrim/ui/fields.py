"""Form fields that read numbers as people type them, with bounds taken from the core's own schemas."""

from collections.abc import Callable, Iterable
from typing import Any

from annotated_types import Ge, Gt, Le, Lt
from django import forms
from django.core.exceptions import ValidationError

from apexcore.errors import InputError
from apexcore.quantities.text import range_words, read_number
from apexcore.quantities.values import Value

from .units import current, read_typed


def bounds(model: type[Value], field: str) -> tuple[float, float]:
    """Least and greatest value that the schema of `model` allows."""
    low, high = -float("inf"), float("inf")
    for rule in model.model_fields[field].metadata:
        if isinstance(rule, Ge):
            low = float(rule.ge)  # type: ignore[arg-type]
        elif isinstance(rule, Gt):
            low = float(rule.gt)  # type: ignore[arg-type]
        elif isinstance(rule, Le):
            high = float(rule.le)  # type: ignore[arg-type]
        elif isinstance(rule, Lt):
            high = float(rule.lt)  # type: ignore[arg-type]
    return low, high


def numbers_of(
    parts: Iterable[str], unit: str, name: Callable[[int], str], low: float, high: float, most: int, many: str = "{} of them"
) -> list[float]:  # fmt: skip
    """Numbers in a row, as people type them; empty parts are passed over.

    :param name: what the one at a place is called in an error, from 0
    :param many: what too many of them are called
    :raises ValidationError: naming the first that is none, or that there are more than `most`
    """
    found = list[float]()
    for part in parts:
        if part:
            try:
                found.append(read_number(part, unit, name(len(found)), low, high))
            except InputError as error:
                raise ValidationError(str(error)) from None
    if len(found) > most:
        raise ValidationError(f"{many.format(len(found))}; expected at most {most}.")
    return found


class QuantityField(forms.CharField):
    """A number with a unit: `92.4`, `92,4`, `27.5psi`.

    :param unit: the unit wanted
    :param low: least value
    :param high: greatest value
    :param whole: whether only whole numbers are allowed
    """

    def __init__(self, unit: str, low: float, high: float, *, whole: bool = False, decimals: int = 1, **kwargs: Any) -> None:
        self.core_unit, self.low, self.high, self.whole, self.decimals = unit, low, high, whole, 0 if whole else decimals
        kwargs.setdefault("max_length", 40)
        super().__init__(widget=forms.TextInput(attrs={"inputmode": "decimal", "autocomplete": "off"}), **kwargs)

    @property
    def unit(self) -> str:
        """The unit in which it is typed."""
        return current().unit(self.core_unit)

    @property
    def range_text(self) -> str:
        """The allowed range in words."""
        return current().told(range_words(self.low, self.high, self.core_unit, self.whole))

    def prepare_value(self, value: Any) -> Any:
        if not isinstance(value, float | int):
            return value
        return current().number(float(value), self.core_unit, self.decimals).replace("−", "-")

    def clean(self, value: Any) -> float:
        text = super().clean(value)
        if not text and not self.required:
            return None  # type: ignore[return-value]
        try:
            number = read_typed(text, self.core_unit, str(self.label or "value"), self.low, self.high, self.whole)
        except InputError as error:
            raise ValidationError(str(error)) from None
        return int(number) if self.whole else number


def quantity(model: type[Value], field: str, label: str, unit: str, **kwargs: Any) -> QuantityField:
    """A field for one number of a core schema, with that schema's bounds."""
    low, high = bounds(model, field)
    return QuantityField(unit, low, high, label=label, **kwargs)
