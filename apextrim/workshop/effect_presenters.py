"""The effects of single steps in units and words."""

from collections.abc import Callable, Iterable, Sequence, Set
from dataclasses import dataclass

from apexcore.circuit.line import CornerSpan
from apexcore.formats.text import words_cell
from apexcore.quantities import format_number
from apexcore.trim.moves.effects import StepEffect
from apexcore.trim.moves.why import why
from apexcore.trim.reading.balance import PHASES, SPEEDS
from apexcore.trim.reading.bounds import broken_words
from apexcore.vehicle.car import WHEELS
from apextrim.ui.units import shown

from .own_lines import step_key

#: Head of the effects table as a file.
EFFECT_HEAD = [
    "item", "step", "value", "unit", "lap_s", "half_interval_s", "line",
    *[f"balance_{speed}_{phase}_pct" for speed in SPEEDS for phase in PHASES],
    *[f"tread_{wheel}_k" for wheel in WHEELS], *[f"work_{wheel}_pct" for wheel in WHEELS], "top_kmh", "fuel_l",
]  # fmt: skip

#: A change of balance from here on stands out in the table [%].
_STRONG = 0.3


@dataclass(frozen=True)
class BalanceChange:
    """:param text: the change, a dash where the circuit has no such corner
    :param strong: whether it stands out"""

    value: float | None
    text: str
    strong: bool


@dataclass(frozen=True)
class EffectRow:
    """A line of the effects table.

    :param number: the value after the step as the bench takes it
    :param balance: nine cells, by corner speed and phase
    :param own: whether its lap time is that of cars on lines of their own
    :param leaves_class: whether it breaks a limit of the class
    :param reason: why it does what it does
    """

    effect: StepEffect
    number: str
    balance: list[BalanceChange]
    own: bool = False
    leaves_class: bool = False
    reason: str = ""

    @property
    def is_gain(self) -> bool:
        """Whether it is clearly quicker, and can be driven."""
        return self.effect.is_clear and self.effect.lap_s < 0.0 and not self.effect.past

    @property
    def past_words(self) -> str:
        """What the car then does that breaks a bound of what can be driven; empty where nothing does."""
        return " and ".join(broken_words(self.effect.past))

    @property
    def barred_words(self) -> str:
        """Why it is not to be taken: what can be driven, the class; empty where it is."""
        return "; ".join(words for words in (self.past_words, "outside the class limits" if self.leaves_class else "") if words)

    @property
    def shown(self) -> str:
        """The value after it as the reader's box takes it; empty where there is none."""
        value = self.effect.value
        return "" if value is None else f"{shown(self.effect.item).value(value):.6g}"

    @property
    def query(self) -> str:
        """What the address of the bench needs for this step."""
        return f"&set={self.effect.item.key}:{self.number}"

    def cells(self) -> list[str]:
        """The line as a file has it."""
        one = self.effect
        value = "" if one.value is None else f"{one.value:g}"
        balance = ["" if cell.value is None else f"{cell.value:.3f}" for cell in self.balance]
        return [
            words_cell(one.item.name), f"{one.steps:+d}", value, words_cell(one.item.unit),
            f"{one.lap_s:.4f}", f"{one.spread_s:.4f}", "own" if self.own else "sheet", *balance,
            *[f"{k:.2f}" for k in one.tread_k], *[f"{100 * share:.2f}" for share in one.work],
            f"{3.6 * one.top_ms:.2f}", f"{one.fuel_l:.4f}",
        ]  # fmt: skip


def effect_rows(
    effects: Sequence[StepEffect],
    own: Set[str] = frozenset(),
    leaves: Callable[[Iterable[tuple[str, float]]], bool] = lambda values: False,
    spans: Sequence[CornerSpan] = (),
) -> list[EffectRow]:
    """The effects table in the order given.

    :param own: keys of the steps whose lap times are of cars on lines of their own
    :param spans: the corners that the effects were read with
    :param leaves: whether values put on the sheet break a limit of the class
    """
    rows = []
    for effect in effects:
        cells = []
        for speed in SPEEDS:
            for phase in PHASES:
                value = effect.balance.get((speed, phase))
                text = "–" if value is None else format_number(value, 2, signed=True)
                cells.append(BalanceChange(value, text, value is not None and abs(value) >= _STRONG))
        outside = effect.value is not None and leaves([(effect.item.key, effect.value)])
        number = "" if effect.value is None else f"{effect.value:g}"
        rows.append(EffectRow(effect, number, cells, step_key(effect.item.key, effect.steps) in own, outside, why(effect, spans)))
    return rows
