"""A corner's page as the model would fill it, what the driver is told by one, and the laps that each way of driving is read from."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...circuit.line import CornerSpan, Line
from ...circuit.moves import behind_m
from ...circuit.track import Circuit, centre_line
from ...lap.misses import braked_sooner
from ...lap.orders import Order
from ...lap.solver import Lap, LapCase, also_told, ready, run_at, solve_lap, spending_as
from ...lap.stint import solve_stint
from ...quantities import format_number
from ...vehicle.sheet import Sheet, adjusted
from ...vehicle.tyres import four
from ..corner import CornerDesk, Technique
from .fields import Entered
from .marks import approach_of, told_by

#: Share of a corner's turn by which an apex is early, and from which on it is late [-].
_EARLY, _LATE = 0.42, 0.58
#: How near an edge of the road a line uses a kerb there [m], and how far from its marker one reaches [m].
_ON_KERB_M, _KERB_REACH_M = 0.5, 40.0
#: How wet it is where the day is dry and the book is asked for the wet [%]. Source: an assumption of this product (docs/model.md).
WET_PCT = 60.0
#: Share of the way to their cliff that tyres are worn, and of the tank that is full, in the middle of a race stint.
_RACE_WORN, _RACE_TANK = 0.5, 0.5
#: Metres by which braking may be sooner than the model's; what is nearer to it is the same.
_SAME_M = 0.5
#: Way before turn-in over which a corner that is flat may be lifted for [m].
_MOST_LIFT_M = 300.0


@dataclass(frozen=True)
class VariantLap:
    """The lap that a way of driving is read from.

    :param lap_case: with its tyres and weather
    :param words: what is assumed of it, for people
    """

    lap_case: LapCase
    lap: Lap
    words: str


def variant_lap(lap_case: LapCase, sheet: Sheet, variant: str, usual: Lap) -> VariantLap | None:
    """The lap of a way of driving; None where the model has none of its own: defending is a matter of the line.

    :param usual: the lap of the sheet in the case as it is
    :raises ApexError: if the car cannot take the circuit so
    """
    if variant == "qualifying":
        return VariantLap(lap_case, usual, "the sheet's fuel, warm tyres")
    tank = lap_case.car.tank_l
    if variant == "full":
        case = _on_fuel(lap_case, tank)
        return VariantLap(case, solve_lap(case, sheet), f"{tank:.0f} l on board, warm tyres")
    if variant == "race":
        worn = _RACE_WORN * min(compound.cliff_wear for compound in lap_case.compounds)
        litres = _RACE_TANK * tank
        case = replace(_on_fuel(lap_case, litres), wear=four(max(worn, one) for one in lap_case.wear))
        return VariantLap(case, solve_lap(case, sheet), f"{litres:.0f} l on board, tyres half worn to their cliff")
    if variant == "cold":
        fuel = float(sheet.values.get("fuel", lap_case.car.fuel_l))
        return VariantLap(lap_case, solve_stint(lap_case, sheet, fuel, 1)[0].lap, "the first lap behind the out-lap")
    if variant == "wet":
        wet = max(lap_case.conditions.wet_pct, WET_PCT)
        case = replace(lap_case, conditions=lap_case.conditions.model_copy(update={"wet_pct": wet}))
        return VariantLap(case, solve_lap(case, sheet), f"the road {wet:.0f} % wet, on the same tyres")
    return None


def _on_fuel(lap_case: LapCase, litres: float) -> LapCase:
    """The case with so much on board, whatever a sheet says of it."""
    items = tuple(item for item in lap_case.car.items if item.sets != "fuel_l")
    return replace(lap_case, car=lap_case.car.model_copy(update={"items": items, "fuel_l": litres}))


def driven_by(driven: VariantLap, sheet: Sheet, orders: Sequence[Order]) -> Lap:
    """The lap of a way of driving by further orders, on the same tyres.

    :raises SolverError: if the car cannot take the circuit so
    """
    case = also_told(spending_as(driven.lap_case, driven.lap), orders)
    return run_at(case, ready(case, adjusted(case.car, sheet)), driven.lap.tyres, case.line, driven.lap.ripple)


def along_middle(line: Line, at_m: float, ds: float) -> float:
    """A distance along a line as one along the middle of the road [m].

    :param ds: distance of the stations along the middle [m]
    """
    n = len(line.s)
    return float(np.interp(at_m, np.append(line.s, line.length_m), np.arange(n + 1) * ds))


def along_line(line: Line, at_m: float, ds: float) -> float:
    """A distance along the middle of the road as one along a line [m]."""
    n = len(line.s)
    return float(np.interp(at_m, np.arange(n + 1) * ds, np.append(line.s, line.length_m)))


class BookDesk:
    """A corner of a lap beside its page in the book."""

    def __init__(self, circuit: Circuit, desk: CornerDesk) -> None:
        centre = centre_line(circuit)
        self.circuit, self.desk, self.ds = circuit, desk, centre.length_m / len(desk.s) if centre.closed else centre.ds
        self.technique = desk.technique()
        span, n = desk.span, desk.n
        begin, end = self._middle_of(desk.before), self._middle_of(desk.following)
        if not centre.closed:
            begin = begin if desk.before.first < span.first else 0.0
            end = end if desk.following.first > span.first else centre.length_m
        elif desk.before is span:  # the only corner of the lap
            half = 0.5 * centre.length_m
            begin, end = (self._middle_of(span) - half) % centre.length_m, (self._middle_of(span) + half - 1.0) % centre.length_m
        elif desk.before is desk.following:  # one of two
            end = (end - 1.0) % centre.length_m
        self.way = approach_of(circuit, begin, end, self._middle_of(span))
        self.place_m = span.apex % n * self.ds

    def _middle_of(self, span: CornerSpan) -> float:
        return float(span.apex % self.desk.n * self.ds)

    def told(self, at_m: float) -> str:
        """A place along the line as the book tells it."""
        return told_by(along_middle(self.desk.lap_case.line, at_m, self.ds), self.way).text

    def proposal(self) -> dict[str, str]:
        """The model's value of each field that it has one for."""
        technique = self.technique
        read, page = technique.read, {"way": technique.way, "gear": str(technique.read.gear)}
        if technique.way == "brake" and read.brake_start_m is not None:
            page["mark"] = self.told(read.brake_start_m)
            page["brake"] = f"{100 * technique.brake_share:.0f} %"
        elif technique.way == "lift":
            page["mark"] = self.told(self._lifted_m())
        page["turn_in"] = self.told(technique.turn_in_m)
        page["apex"] = self._apex(technique)
        for key, sign in (("kerb_in", 1.0), ("kerb_out", -1.0)):
            used = self._kerb(sign)
            if used is not None:
                page[key] = "use" if used else "leave"
        if technique.way != "flat" and read.full_m != technique.apex_m:
            page["throttle"], page["full"] = self.told(read.throttle_m), self.told(read.full_m)
            page["share"] = f"{self._share():.0f} %"
        page["room"] = f"{format_number(self._room_m(), 1).removesuffix('.0')} m"
        return page

    def _lifted_m(self) -> float:
        """Where the throttle is first lifted on the way in."""
        desk = self.desk
        lifted = desk.lifted(desk.lap, desk.stations(desk.begin, desk.apex))
        return float(desk.s[lifted[0] if len(lifted) else desk.apex])

    def _apex(self, technique: Technique) -> str:
        """Where in the corner's turn the line is nearest to the inside."""
        k, inside = self.desk.lap_case.line.road[:, 0], self.desk.inside
        turned = np.cumsum(np.abs(k[inside]))
        place = int(np.argmin(np.abs(self.desk.s[inside] - technique.inside_at_m)))
        share = float(turned[place] / max(turned[-1], 1e-12))
        return "early" if share < _EARLY else "late" if share > _LATE else "middle"

    def _kerb(self, sign: float) -> bool | None:
        """Whether the line runs over a kerb on the inside (1) or the outside (-1) of the corner; None where there is none."""
        desk = self.desk
        side = "left" if sign * desk.span.turn_deg > 0 else "right"
        left = 1.0 if side == "left" else -1.0
        centre_s = np.asarray(np.arange(desk.n) * self.ds, dtype=np.float64)
        used = None
        for marker in self.circuit.markers:
            if marker.kind != "kerb" or marker.side not in (side, "across") or not self._belongs(marker.at_m):
                continue
            near = np.abs(behind_m(centre_s, marker.at_m, self.way.length_m)) <= _KERB_REACH_M
            room = desk.half_m - left * desk.lap_case.line.offset[near] - 0.5 * desk.lap_case.car.width_m
            used = bool(used) or bool(room.min() <= _ON_KERB_M)
        return used

    def _belongs(self, at_m: float) -> bool:
        """Whether something beside the road stands in the corner or just around it."""
        first = self.desk.span.first * self.ds - _KERB_REACH_M
        length = (self.desk.span.last - self.desk.span.first) * self.ds + 3 * _KERB_REACH_M
        return (at_m - first) % self.way.length_m <= length

    def _share(self) -> float:
        """Greatest throttle between where it is picked up and where it is full, in the middle of that way [%]."""
        desk, read = self.desk, self.technique.read
        first, last = (int(np.searchsorted(desk.s, at)) % desk.n for at in (read.throttle_m, read.full_m))
        between = desk.stations(first, last)
        return 100.0 * float(np.median(desk.lap.column("throttle")[between]))

    def _room_m(self) -> float:
        """Least way from the car's side to the outer edge behind the corner [m]."""
        desk = self.desk
        until = desk.stations(desk.apex, (desk.span.last + round(_KERB_REACH_M / self.ds)) % desk.n)
        outward = -math.copysign(1.0, desk.span.turn_deg)
        room = desk.half_m - outward * desk.lap_case.line.offset[until] - 0.5 * desk.lap_case.car.width_m
        return max(float(room.min()), 0.0)

    def on_line(self, line: Line) -> dict[str, str]:
        """The fields of a page that a line decides, on another line through the corner.

        :raises SolverError: if the car cannot drive it
        """
        desk = self.desk
        case = replace(desk.lap_case, line=line)
        lap = run_at(case, desk.ready, desk.lap.tyres, line, desk.lap.ripple)
        other = BookDesk(self.circuit, CornerDesk(case, desk.sheet, lap, desk.spans, desk.span.number, desk.half_m))
        page = other.proposal()
        return {key: page[key] for key in ("mark", "turn_in", "apex", "kerb_in", "kerb_out", "throttle", "full", "room") if key in page}

    def orders(self, page: Mapping[str, Entered]) -> tuple[list[Order], list[str]]:
        """What a page tells the driver of the model, and what of it the model does not drive, in words."""
        desk, technique = self.desk, self.technique
        s, n = desk.s, desk.n
        first, apex, last = float(s[desk.begin]), float(s[desk.apex]), float(s[desk.span.last % n])
        told, left = list[Order](), list[str]()
        braking = 0.0 if "way" in page and page["way"].text in ("lift", "flat") and technique.way == "brake" else None
        if braking is None and "brake" in page and technique.way == "brake" and page["brake"].share < technique.brake_share - 0.005:
            braking = page["brake"].share
        coast = page["coast"].number if "coast" in page else None
        if braking is not None or coast is not None:
            told.append(Order(first, apex, braking=braking, coast_m=coast))
        lifted = self._at(page, "mark")
        if lifted is not None and technique.way == "flat" and "way" in page and page["way"].text == "lift":
            # a corner that is flat, lifted for from a mark on
            if 0.0 < (technique.turn_in_m - lifted) % desk.lap_case.line.length_m < _MOST_LIFT_M:
                told.append(Order(lifted, technique.turn_in_m, opening=0.0))
            else:
                left.append(f"The mark does not lie within {_MOST_LIFT_M:.0f} m before turn-in: nothing is lifted for.")
        if "gear" in page:
            told.append(Order(float(s[desk.span.first % n]), last, gear=round(page["gear"].number)))
        if "lean" in page and page["lean"].share < 1.0:
            told.append(Order(float(s[desk.span.first % n]), last, leaning=max(page["lean"].share, 0.05)))
        opens, full = self._at(page, "throttle"), self._at(page, "full")
        if "share" in page and page["share"].share < 1.0:
            told.append(Order(apex if opens is None else opens, last if full is None else full, opening=page["share"].share))
        length = desk.lap_case.line.length_m
        if opens is not None and technique.way != "flat" and 0.0 < (opens - apex) % length < 0.25 * length:
            told.append(Order(apex, opens, opening=0.0))
        if self._at(page, "mark") is not None and technique.way == "brake" and braking is None:
            told += self._by_mark(page["mark"], left)
        return told, left

    def _at(self, page: Mapping[str, Entered], key: str) -> float | None:
        """A place of a page along the line [m]; None where it tells none."""
        at = page[key].at_m if key in page else None
        return None if at is None else along_line(self.desk.lap_case.line, at, self.ds)

    def _by_mark(self, mark: Entered, left: list[str]) -> list[Order]:
        """Braking at a mark that lies before the model's braking point."""
        desk = self.desk
        start = self.technique.read.brake_start_m
        assert start is not None and mark.at_m is not None
        sooner = behind_m(start, along_line(desk.lap_case.line, mark.at_m, self.ds), desk.lap_case.line.length_m)
        if sooner < -_SAME_M:
            left.append(f"The mark lies {-sooner:.0f} m behind the model's braking point: it brakes at its own.")
            return []
        if sooner <= _SAME_M:
            return []
        begin, end = braking_of(desk)
        return braked_sooner(desk.lap_case.line, desk.lap, begin, end, sooner)


def braking_of(desk: CornerDesk) -> tuple[int, int]:
    """First and last station of a corner's braking, as the corner table has its beginning."""
    start = desk.technique().read.brake_start_m
    assert start is not None
    begin = int(np.searchsorted(desk.s, start)) % desk.n
    since = desk.stations(begin, desk.apex)
    braked = since[desk.lap.column("brake")[since] > 0.02]
    return begin, int(braked[-1]) if len(braked) else begin
