"""Loads the demo scenario through the product's own actions: nothing here can do what a racer cannot."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from apexcore.judge.plan import TestPlan, run_order
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.book.actions import save_page
from apextrim.book.queries import desk_in
from apextrim.events import actions as events
from apextrim.events.models import Event
from apextrim.lap import asked, trainer
from apextrim.library.circuit_actions import save_notes
from apextrim.library.starter import add_folder
from apextrim.modelling import cases
from apextrim.race.actions import keep_plan
from apextrim.race.queries import race_view
from apextrim.runs.actions import send_virtual_driver
from apextrim.sheets.actions import put_in_car, save_sheet
from apextrim.sheets.models import Sheet
from apextrim.verdicts.actions import keep_test, keep_verdict
from apextrim.verdicts.differences import Difference, Side
from apextrim.verdicts.queries import Judged, judged
from apextrim.verdicts.sides import SHEET

HERE = Path(__file__).parent
FRIDAY = datetime(2026, 6, 12, 14, 0, tzinfo=UTC)
SATURDAY = FRIDAY + timedelta(hours=19, minutes=30)

_COOL = {
    "air_c": 17.0,
    "track_c": 24.0,
    "humidity_pct": 62.0,
    "pressure_hpa": 1009.0,
    "wind_ms": 2.5,
    "wind_from_deg": 250.0,
    "rubber_pct": 35.0,
}
_HOT = {**_COOL, "air_c": 26.0, "track_c": 39.0, "humidity_pct": 44.0, "wind_ms": 3.5, "rubber_pct": 60.0}

_NOTES = {
    1: ("Brake at the second board, turn late, all of the kerb at the exit", "A car's length earlier on full tanks"),
    3: ("Second gear, wait for the nose, then half throttle to the crest", ""),
    8: ("A breath of brake before the banking begins", "Lift only: it spares the left front"),
    9: ("Straight braking, let it roll to the late apex", "Cover the inside, the exit is wide enough"),
}


#: The racer's book of the main event: by corner and way of driving.
_BOOK: dict[tuple[int, str], dict[str, str]] = {
    (1, "qualifying"): {"way": "brake", "mark": "2nd board -4", "gear": "3", "apex": "late", "kerb_out": "use", "full": "kerb +10"},
    (1, "race"): {"mark": "2nd board -10"},
    (1, "full"): {"mark": "2nd board -16", "hazards": "long pedal on full tanks"},
    (3, "qualifying"): {
        "way": "brake", "mark": "bump +18", "gear": "2", "throttle": "965", "share": "50", "hazards": "the dip bites on worn tyres",
    },
    (3, "race"): {"gear": "3"},
    (8, "qualifying"): {"way": "brake", "brake": "60", "apex": "middle"},
    (8, "race"): {"way": "lift"},
    (9, "qualifying"): {"way": "brake", "apex": "late", "stewards": "white line at the exit, two wheels"},
    (9, "defending"): {"apex": "early", "turn_in": "limit -40"},
}  # fmt: skip

#: How two runs felt, corner by corner.
_FELT = ({1: "early", 3: "early", 5: "early", 9: "good"}, {1: "good", 3: "late", 5: "early", 9: "good"})


def _pressures(front: float, rear: float) -> dict[str, float]:
    """Cold pressures of both axles [kPa]."""
    return {"pressure_fl": front, "pressure_fr": front, "pressure_rl": rear, "pressure_rr": rear}


def load_files(user: User) -> None:
    """The demo's cars and circuits into a garage."""
    add_folder(user, HERE)


class _Weekend:
    """The main event as it comes about, with a clock."""

    def __init__(self, event: Event, start: datetime) -> None:
        self.event, self.at = event, start
        self.car = cases.car_of(event)

    def wait(self, minutes: float) -> datetime:
        self.at += timedelta(minutes=minutes)
        return self.at

    def sheet(self, parent: Sheet | None, changes: Mapping[str, float], reason: str) -> Sheet:
        before = parent.values if parent else base_sheet(self.car).values
        core = CoreSheet(self.car.key, {**before, **changes})
        return save_sheet(self.event, core, parent, reason, self.wait(6))

    def run(self, sheet: Sheet, compound: str, fuel_l: float, laps: int, seed: int, age: float = 0, note: str = "") -> None:
        put_in_car(self.event, sheet)
        values: dict[str, Any] = {
            "sheet": sheet, "session": self.event.session, "front": compound, "rear": compound, "tyre_age": age, "fuel_l": fuel_l, "note": note,
        }  # fmt: skip
        send_virtual_driver(self.event, values, laps, seed, self.wait(10))
        self.wait(1.25 * laps)

    def plan_test(self, a: Sheet, b: Sheet, order: tuple[tuple[int, ...], ...], laps: int) -> None:
        """Names the number of runs before they are driven, as who wants a verdict does."""
        tried = Difference(SHEET, Side(str(a.pk), a.name), Side(str(b.pk), b.name))
        keep_test(self.event, [tried], TestPlan(order, laps, 0.8, 120.0, True), 0.2, self.wait(1))

    def verdict(self, a: Sheet, b: Sheet) -> None:
        found = judged(self.event, a, b, 0.1)
        assert isinstance(found, Judged), found
        keep_verdict(self.event, ((str(a.pk), a.name), (str(b.pk), b.name)), found, self.wait(2))


@transaction.atomic
def load(user: User) -> Event:
    """The Sallowmere Trophy, in the middle of its weekend."""
    load_files(user)
    car, circuit = user.cars.get(key="brackendale_gt"), user.circuits.get(key="sallowmere_fen")
    event = events.create_event(user, "The Sallowmere Trophy, round 2", car, circuit, real_car=False, at=FRIDAY)
    event.sessions.all().delete()
    friday = events.add_session(event, "Friday practice", "practice", FRIDAY)
    saturday = events.add_session(event, "Saturday practice", "practice", SATURDAY)
    events.add_session(event, "Qualifying", "qualifying", SATURDAY + timedelta(hours=5, minutes=30))
    events.add_session(event, "Race", "race", SATURDAY + timedelta(hours=8))
    rules = {
        "laps": 40, "formation_laps": 1.0, "pit_loss_s": 23.0, "tyre_change_s": 9.0, "compulsory": ["marl", "slate"], "least_stops": 1,
        "most_stops": 3, "refuelling": True, "refuel_l_per_s": 2.5, "in_parallel": True,
    }  # fmt: skip
    events.change_rules(event, rules, FRIDAY + timedelta(minutes=2))
    events.change_conditions(event, _COOL, FRIDAY + timedelta(minutes=4))
    save_notes(circuit, _NOTES)
    week = _Weekend(event, FRIDAY + timedelta(minutes=5))
    events.change_now(event, friday, False, "front runner")
    first = week.sheet(None, _pressures(182, 178), "Last visit's sheet, its pressures from a cold spring day")
    week.run(first, "marl", 30, 9, seed=11, note="Slides on all four after three laps")
    second = week.sheet(first, _pressures(152, 148), "Pressures down: all four read far above their best")
    week.plan_test(first, second, run_order(8, 1)[1:], 8)  # the run on S1 is its first
    for sheet, seed in ((second, 12), (second, 14), (first, 13)):
        week.run(sheet, "marl", 30, 8, seed)
    week.at = SATURDAY
    events.change_now(event, saturday, False, "front runner")
    for sheet, seed in ((first, 15), (second, 16), (second, 18), (first, 17)):
        week.run(sheet, "marl", 30, 8, seed)
    week.verdict(first, second)
    third = week.sheet(second, {"spring_front": 140}, "Softer front springs: it may turn in better")
    for sheet, seed in ((third, 31), (second, 20), (third, 21)):
        week.run(sheet, "marl", 30, 8, seed)
    week.verdict(second, third)
    events.change_conditions(event, _HOT, week.wait(60))
    fourth = week.sheet(
        second, {**_pressures(147, 143), "brake_bias": 74.0, "fuel": 45}, "Race sheet: pressures for the hot afternoon, bias for full tanks"
    )
    week.run(fourth, "slate", 45, 17, seed=22, note="Race distance on slate")
    week.run(fourth, "marl", 45, 17, seed=23, note="Race distance on marl")
    event.refresh_from_db()
    keep_plan(event, race_view(event).by_stops[0].plan, week.wait(5))
    _write_book(event)
    _further_events(user)
    return event


def _write_book(event: Event) -> None:
    """The book, and two turns of the trainer."""
    case = asked.shown_case(event)
    for (number, variant), typed in _BOOK.items():
        desk = desk_in(case, number)
        saved = save_page(event, number, variant, desk.way, len(desk.desk.lap_case.car.powertrain.gears), typed, {})
        assert not saved.problems, saved.problems
    for felt in _FELT:
        students = {student.number: student for student in trainer.students(event, case)}
        trainer.add_turn(event, [trainer.felt(students[number], "", word) for number, word in felt.items()])


def _further_events(user: User) -> None:
    """Other cars at other circuits: an oval evening that has begun, and two that have not."""
    cars, circuits = {row.key: row for row in user.cars.all()}, {row.key: row for row in user.circuits.all()}
    at = FRIDAY - timedelta(days=13)
    oval = events.create_event(user, "Hollin lantern race", cars["drummock_stallard"], circuits["hollin_bowl"], False, at)
    week = _Weekend(oval, at)
    base = week.sheet(None, {}, "Base sheet")
    wedge = week.sheet(base, {"cross": 1.0}, "More cross weight: it is loose off the second corner")
    for sheet, seed in ((base, 51), (wedge, 52)):
        week.run(sheet, "bramble", 40, 12, seed)
    at = FRIDAY + timedelta(days=15)
    events.create_event(user, "Quernlow club day", cars["wisp_125"], circuits["quernlow"], True, at)
    events.create_event(user, "Fen sprint", cars["ferrow_lark"], circuits["sallowmere_fen"], False, at + timedelta(days=7))
