"""What the fields of a value mean and in which unit: read from the docstrings, so that a page and a reader see the same words."""

import re
from dataclasses import dataclass
from functools import cache

from .values import Value

_PARAM = re.compile(r":param (\w+):\s*(.*?)(?=:param |\Z)", re.DOTALL)
_UNIT = re.compile(r"\[([^\]]*)\]\s*\.?\s*$")

#: Units as docstrings spell them, and as the screen does.
_SHOWN = {"-": "", "deg": "°", "degC": "°C", "m2": "m²", "1/deg2": "1/°²", "K": "°C", "N m": "Nm"}


@dataclass(frozen=True)
class Description:
    """:param words: what the field is
    :param unit: its unit as the screen spells it, empty where it has none
    :param low: least value allowed, None where there is no bound
    :param high: greatest value allowed"""

    words: str
    unit: str
    low: float | None
    high: float | None

    @property
    def range_text(self) -> str:
        """The bounds in words, empty where there are none."""
        unit = f" {self.unit}" if self.unit else ""
        if self.low is None and self.high is None:
            return ""
        if self.high is None:
            return f"from {self.low:g}{unit}"
        return f"{self.low:g} to {self.high:g}{unit}" if self.low is not None else f"up to {self.high:g}{unit}"


@cache
def described(model: type[Value]) -> dict[str, Description]:
    """The description of every field of a value, by its name."""
    docs = [base.__dict__.get("__doc__") or "" for base in reversed(model.__mro__) if issubclass(base, Value)]
    found = {name: " ".join(text.split()) for doc in docs for name, text in _PARAM.findall(doc)}
    result = {}
    for name, field in model.model_fields.items():
        text = found.get(name, "")
        unit = _UNIT.search(text)
        words = re.sub(r"; one of `[^`]*`", "", _UNIT.sub("", text)).replace("`", "").strip().rstrip(".;") or name.replace("_", " ")
        spelled = unit.group(1) if unit else ""
        low = next((float(getattr(bound, key)) for bound in field.metadata for key in ("ge", "gt") if hasattr(bound, key)), None)
        high = next((float(getattr(bound, key)) for bound in field.metadata for key in ("le", "lt") if hasattr(bound, key)), None)
        result[name] = Description(words[0].upper() + words[1:], _SHOWN.get(spelled, spelled), low, high)
    return result
