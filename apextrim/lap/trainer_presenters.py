"""The trainer's advice in words, and its progress as a picture."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.judge.trainer import FEELINGS
from apexcore.quantities import format_number
from apextrim.ui.units import told

from .trainer import ANEW, Student, mark_m

#: The picture of a corner's progress [px], and what it spans about the model's braking point at least [m].
WIDE, HIGH, _MARGIN, _SPAN_M = 220.0, 64.0, 9.0, 12.0


@dataclass(frozen=True)
class Spot:
    """A turn in the picture; `late` is drawn as a cross, `early` open, the rest filled."""

    x: float
    y: float
    kind: str
    words: str


@dataclass(frozen=True)
class Lesson:
    """A corner in the trainer's table.

    :param mark: the next mark, as the book tells it
    :param word: what to do: begin, on, stay, back or stop
    :param said: the same in a sentence with how sure
    :param sure: in per cent
    :param step_m: from the last mark to the next, later positive [m]
    :param latest: where the latest mark lies, with its 95 % interval, against the model's braking point, in words
    :param spots: turns so far
    :param path: through them
    :param band: of the interval now: top and height [px]
    :param base: the model's braking point [px]
    :param felt: how the last turn was, in words
    """

    student: Student
    mark: str
    word: str
    said: str
    step_m: float
    latest: str
    spots: list[Spot]
    path: str
    band: tuple[float, float]
    base: float
    felt: str


_SAID = {
    "begin": "Begin here: {risk} to be too late.",
    "on": "Go on: {sure} sure that the last mark was not too late; here it is {risk}.",
    "stay": "Stay: {sure} sure that this is it.",
    "back": "Step back: from here it is {risk} to be too late; {sure} at the last mark.",
    "stop": "No further mark: going back does not help, so something else has changed.",
}  # fmt: skip


#: What is asked beside a mark.
_ASKED = {
    "measured": "Only room left was felt, up to the model's point: let a run with samples say whether there is any.",
    "changed": "Have brakes, tyres, fuel or the wet changed since, or was another corner meant?",
}


def _percent(share: float) -> str:
    return "over 99 %" if share > 0.995 else "under 1 %" if share < 0.005 else f"{100 * share:.0f} %"


def lessons(students: Sequence[Student]) -> list[Lesson]:
    """The trainer's table."""
    return [_lesson(student) for student in students]


def _lesson(student: Student) -> Lesson:
    advice, rows = student.advice, student.told
    rows = tuple(row for row in rows if row.felt != ANEW)
    behind = [mark_m(row, student.model_m, student.desk.way.length_m) for row in rows]
    values = [*behind, advice.mark_m, advice.low_m, advice.high_m, -_SPAN_M, _SPAN_M]
    low, high = min(values), max(values)

    def down(metres: float) -> float:  # later is higher up
        return _MARGIN + (HIGH - 2 * _MARGIN) * (high - metres) / (high - low)

    step = (WIDE - 2 * _MARGIN) / max(len(rows), 5)
    spots = [
        Spot(
            _MARGIN + step * (k + 0.5),
            down(metres),
            _kind(row.felt, row.late),
            told(f"turn {row.turn}: {format_number(metres, 0, signed=True)} m, {_how(row.felt, row.late)}"),
        )
        for k, (metres, row) in enumerate(zip(behind, rows, strict=True))
    ]
    path = "M" + " ".join(f"{spot.x:.1f},{spot.y:.1f}" for spot in spots) if len(spots) > 1 else ""
    said = _SAID[advice.word].format(sure=_percent(advice.sure), risk=f"{_percent(advice.late)}")
    said = " ".join(filter(None, (said, _ASKED.get(advice.ask, ""))))
    latest = (
        f"{format_number(advice.latest_m, 0, signed=True)} m, "
        f"{format_number(advice.low_m, 0, signed=True)} to {format_number(advice.high_m, 0, signed=True)}"
    )
    band = (down(advice.high_m), down(advice.low_m) - down(advice.high_m))
    last = _how(rows[-1].felt, rows[-1].late) if rows else ""
    return Lesson(
        student, student.words, advice.word, said, advice.mark_m - behind[-1] if behind else 0.0, latest, spots, path, band, down(0.0), last
    )


def _kind(felt: str, late: float) -> str:
    return felt or ("late" if late > 0.5 else "good")


def _how(felt: str, late: float) -> str:
    return FEELINGS[felt] if felt else f"too late with {_percent(late)} by its samples"
