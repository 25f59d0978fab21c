"""A corner's choices, misses and lines in units and words."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from apexcore.circuit.features import Marker
from apexcore.circuit.line import CornerSpan
from apexcore.lap.misses import MISS_WORDS, USUAL, Miss
from apexcore.lap.saving import METRES, Lifts, Way, curve
from apexcore.quantities import format_number
from apexcore.trim.corner import Technique, summary
from apexcore.trim.obstacles import SAFE_LAPS, BumpCrossed, KerbTaken
from apexcore.vehicle.car import WHEEL_WORDS
from apextrim.ui.map_bars import CornerValues
from apextrim.ui.units import current, told

from .asked import Offer


@dataclass(frozen=True)
class MissRow:
    """:param words: what is missed and by how much
    :param off_m: by how much it leaves the road [m]; 0 where it stays on it"""

    words: str
    cost_s: float
    off_m: float


def _missed(kind: str, size: float) -> str:
    """A miss and its size in words."""
    return f"{MISS_WORDS[kind]}, {size:g} {'s' if kind == 'throttle' else 'm'}"


#: From here on a miss leaves the road [m].
_OFF_M = 0.05
#: Heads of the ranking's columns, the usual misses in their order.
MISS_HEADS = [_missed(kind, USUAL[kind]) for kind in MISS_WORDS]


def miss_rows(misses: Sequence[Miss]) -> list[MissRow]:
    """The misses that a corner has, dearest first."""
    there = [MissRow(_missed(miss.kind, miss.size), miss.cost_s, miss.off_m) for miss in misses if miss.cost_s is not None]
    return sorted(there, key=lambda row: -row.cost_s)


@dataclass(frozen=True)
class CornerMisses:
    """A corner's misses in the ranking of the lap.

    :param cells: cost of each kind [s], None where there is no such thing to miss; and by how much it leaves the road [m]
    :param worst_s: of the dearest that stays on the road [s]
    """

    span: CornerSpan
    cells: list[tuple[float | None, float]]
    worst_s: float

    @property
    def worst_words(self) -> str:
        """That one in words; a dash where there is none."""
        there = [(cost, head) for head, (cost, off) in zip(MISS_HEADS, self.cells, strict=True) if cost is not None and off == 0.0]
        return max(there)[1] if there else "–"


def ranked_misses(misses: Sequence[Miss], spans: Sequence[CornerSpan]) -> list[CornerMisses]:
    """Corners in the order of what half a metre, five metres or two tenths of a second cost there."""
    rows = []
    for span in spans:
        by_kind = {miss.kind: miss for miss in misses if miss.corner == span.number}
        cells = [(by_kind[kind].cost_s, by_kind[kind].off_m) if kind in by_kind else (None, 0.0) for kind in MISS_WORDS]
        costs = [cost for cost, off in cells if cost is not None and off == 0.0]
        rows.append(CornerMisses(span, cells, max(costs, default=0.0)))
    return sorted(rows, key=lambda row: -row.worst_s)


def miss_bars(row: CornerMisses, href: str) -> CornerValues:
    """A corner's misses as bars in the order of `MISS_HEADS`."""
    said = []
    for head, (cost, off) in zip(MISS_HEADS, row.cells, strict=True):
        if cost is not None:
            said.append(f"{head} {format_number(cost, 2, signed=True)} s{', off the road' if off >= _OFF_M else ''}")
    words = told(f"{row.span.number} {row.span.name}: {'; '.join(said) or 'nothing to miss'}.")
    return CornerValues(row.span.number, [cost for cost, _ in row.cells], href, words)


def dearest_words(rows: Sequence[CornerMisses]) -> str:
    """The dearest miss that stays on the road, and what leaves it most often, in one sentence."""
    there = [
        (cost, head, row.span) for row in rows for head, (cost, off) in zip(MISS_HEADS, row.cells, strict=True)
        if cost is not None and off < _OFF_M
    ]  # fmt: skip
    if not there:
        return "Nothing to miss on this lap that the model can tell."
    cost, head, span = max(there, key=lambda one: one[0])
    off = sum(any(cost is not None and off >= _OFF_M for cost, off in row.cells) for row in rows)
    name = span.name or f"corner {span.number}"
    leaves = f" In {off} of {len(rows)} corners one of these misses leaves the road." if off else ""
    return told(f"The dearest miss is {head} at {name}: {format_number(cost, 2)} s each time.{leaves}")


@dataclass(frozen=True)
class CardRow:
    """A corner on the lap's card.

    :param words: the model's technique as a sentence
    :param book: the racer's book as a sentence, which stands first
    :param note: the racer's own words
    :param hazards: what waits there
    :param dear: whether a miss costs most here
    """

    span: CornerSpan
    words: str
    book: str
    note: str
    hazards: list[str]
    dear: bool


#: Corners that the card marks as those where a miss costs most.
_DEAREST = 3


def card_row(technique: Technique, book: str, note: str, hazards: list[str], worst_s: Mapping[int, float]) -> CardRow:
    """A corner on the lap's card.

    :param worst_s: what the dearest miss that stays on the road costs, by corner [s]
    """
    span = technique.read.corner
    dearest = sorted(worst_s, key=lambda number: -worst_s[number])[:_DEAREST]
    return CardRow(span, summary(technique), book, note, hazards, span.number in dearest)


@dataclass(frozen=True)
class WishRow:
    """A wish with what came of it.

    :param state: `none`, `waiting`, `found` or `problem`
    :param here_s: time over the stretch against the free line [s]
    :param least_ms: change of the least speed [m/s]
    :param end_ms: change of the speed at the end of the stretch [m/s]
    :param longer_m: change of the way [m]
    :param work: change of each tyre's sliding work on the stretch [-]
    """

    key: str
    words: str
    state: str
    pk: int = 0
    job: int = 0
    problem: str = ""
    lap_s: float = 0.0
    here_s: float = 0.0
    least_ms: float = 0.0
    end_ms: float = 0.0
    longer_m: float = 0.0
    work: tuple[float, ...] = ()


def wish_rows(offers: Sequence[Offer]) -> list[WishRow]:
    """The wishes of a corner; those with a line quickest first."""
    rows = [_wish_row(offer) for offer in offers]
    return sorted(rows, key=lambda row: (row.state != "found", row.here_s))


def _wish_row(offer: Offer) -> WishRow:
    row = offer.row
    if row is None:
        return WishRow(offer.key, offer.words, "none")
    if row.offsets_m:
        return WishRow(offer.key, offer.words, "found", row.pk, **_against(row.figures))
    if row.problem:
        return WishRow(offer.key, offer.words, "problem", row.pk, problem=row.problem)
    if row.job is not None and row.job.is_open:
        return WishRow(offer.key, offer.words, "waiting", row.pk, row.job.pk)
    return WishRow(offer.key, offer.words, "none")


def _against(figures: dict[str, Any]) -> dict[str, Any]:
    asked, free = figures["asked"], figures["free"]
    return {
        "lap_s": figures["lap_s"], "here_s": asked["time_s"] - free["time_s"], "least_ms": asked["least_ms"] - free["least_ms"],
        "end_ms": asked["end_ms"] - free["end_ms"], "longer_m": asked["length_m"] - free["length_m"],
        "work": tuple(a / max(b, 1e-9) - 1.0 for a, b in zip(asked["work_j"], free["work_j"], strict=True)),
    }  # fmt: skip


def places(technique: Technique, told: Callable[[float], str]) -> list[tuple[str, str, float]]:
    """What is named on a corner's map: kind, words, distance along the line [m].

    :param told: a place along the line as the book tells it, from the nearest mark
    """
    read = technique.read
    found = []
    if technique.way == "brake" and read.brake_start_m is not None:
        found.append(("brake", f"brake {told(read.brake_start_m)}", read.brake_start_m))
    found.append(("slow", current().told(f"{3.6 * read.apex_ms:.0f} km/h"), technique.apex_m))
    if technique.way != "flat" and read.full_m != technique.apex_m:
        found.append(("full", f"open {told(read.full_m)}", read.full_m))
    return found


@dataclass(frozen=True)
class Lifted:
    """:param metres: of lift before the brakes [m]"""

    span: CornerSpan
    metres: float


@dataclass(frozen=True)
class SavingView:
    """A way to save, in units.

    :param unit: of the saving
    :param saved: a lap, in it
    :param short: whether lifting cannot save as much as was wanted
    :param path: of seconds against saving, in a picture of 320 by 160
    :param spot: of this way on it
    :param most: the end of the picture's axis, in the unit
    :param most_s: and of the other one [s]
    :param table: saving and seconds of points of the curve
    """

    words: str
    unit: str
    decimals: int
    saved: float
    share: float
    cost_s: float
    short: bool
    lifts: list[Lifted]
    path: str
    spot: tuple[float, float]
    most: float
    most_s: float
    table: list[tuple[float, float]]


#: The picture of the curve [px].
_WIDE, _HIGH = 320.0, 160.0


def saving_view(what: str, whole: float, share: float, way: Way, lifts: Lifts, spans: Sequence[CornerSpan]) -> SavingView:
    """A saving for its page.

    :param whole: what a lap takes [l or J]
    :param share: of it that is wanted saved [-]
    """
    if what == "fuel":
        scale, unit, words, decimals = current().value(1.0, "l", apart=True), current().unit("l"), "fuel", 3
    else:
        scale, unit, words, decimals = 1e-3, "kJ", f"work of the {WHEEL_WORDS[what]} tyre", 1
    points = [(one.saved * scale, one.cost_s) for one in curve(lifts, 13)]
    most, most_s = max(points[-1][0], 1e-9), max(points[-1][1], 1e-9)

    def place(saved: float, cost: float) -> tuple[float, float]:
        return _WIDE * saved / most, _HIGH * (1.0 - min(cost / most_s, 1.0))

    path = "M" + " ".join(f"{x:.1f},{y:.1f}" for x, y in (place(*point) for point in points))
    lifted = [Lifted(span, min(way.metres[span.number], float(METRES[-1]))) for span in spans if way.metres.get(span.number, 0.0) >= 0.5]
    return SavingView(
        words, unit, decimals, way.saved * scale, way.saved / max(whole, 1e-9), way.cost_s, way.saved < 0.99 * share * whole, lifted, path,
        place(way.saved * scale, way.cost_s), most, most_s, points[::3],
    )  # fmt: skip


@dataclass(frozen=True)
class ObstacleRow:
    """A bump or a kerb of a corner in words.

    :param crossed: how the lap meets it
    :param risk: what it does
    :param easier: what mends that, empty where nothing needs to or can
    :param cost_s: what that costs to the next corner; for a kerb what riding it gains, None where it is not known [s]
    """

    words: str
    crossed: str
    risk: str
    easier: str
    cost_s: float | None


def _once_in(laps: float) -> str:
    """How often something happens, in words."""
    if laps > _SELDOM_LAPS:
        return f"less than once in {_SELDOM_LAPS:,.0f} laps"
    if laps < 2.0:
        return "almost every lap"
    digits = 1 - math.floor(math.log10(laps))
    return f"once in {round(laps, digits):,.0f} laps"


#: What happens less often is not told more closely [laps].
_SELDOM_LAPS = 1000.0


def bump_row(bump: BumpCrossed) -> ObstacleRow:
    """A bump in words."""
    how = "on the brakes" if bump.braked else f"throttle {100 * bump.throttle:.0f} %"
    crossed = f"{3.6 * bump.speed_ms:.0f} km/h, {bump.lock_deg:.0f}° of lock, {how}"
    risk = f"breaks away {_once_in(bump.once_in)}; at this speed on half-worn tyres {_once_in(bump.worn_once_in)}"
    eased = bump.eased
    if eased is None:
        easier = "" if bump.once_in >= SAFE_LAPS else "nothing that was tried makes it safe: another line"
        return ObstacleRow(_named(bump.marker), crossed, risk, easier, None)
    parts = [f"brakes at {100 * eased.braking:.0f} % at most"] if eased.braking < 1.0 else []
    if not bump.braked:
        parts.append(f"throttle at {100 * eased.opening:.0f} % at most until it is past")
    if eased.lean < 1.0:
        parts.append(f"at most {eased.lock_deg:.0f}° of lock, or {3.6 * eased.slower_ms:.0f} km/h slower")
    return ObstacleRow(_named(bump.marker), crossed, risk, f"{', '.join(parts)}: {_once_in(eased.once_in)}", eased.cost_s)


def kerb_row(kerb: KerbTaken, gains_s: float | None) -> ObstacleRow:
    """A kerb in words.

    :param gains_s: of the line over the corner's kerbs, None where it is not made [s]
    """
    swing = f"swings the {kerb.axle} wheel’s load by {100 * kerb.swing:.0f} %"
    crossed = swing if kerb.left_mm is None else f"{swing}; {max(kerb.left_mm, 0.0):.0f} mm left under the floor"
    if not kerb.problem:
        return ObstacleRow(_named(kerb.marker), crossed, "the car takes it", "", gains_s)
    mends = " or ".join(f"{mend.item.name} {mend.value:g} {mend.item.unit}".strip() for mend in kerb.mends[:_MOST_MENDS])
    return ObstacleRow(_named(kerb.marker), crossed, kerb.problem, f"{mends} would let it" if mends else "", None)


#: Single items that are named for a kerb at most.
_MOST_MENDS = 3


def _named(marker: Marker) -> str:
    side = "" if marker.side == "across" else f" on the {marker.side}"
    return f"{marker.kind.capitalize()} {marker.name or f'at {marker.at_m:.0f} m'}{side}, {marker.height_mm:g} mm"
