"""The demo scenario as it came about, through the product's own actions: nothing here can do what a racer cannot. `make story` drives it and
keeps its events as files, which `demo.loader` reads."""

from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction

from apexcore.judge.plan import run_order
from apextrim.book.actions import save_page
from apextrim.book.queries import desk_in
from apextrim.events import actions as events
from apextrim.events.models import Event
from apextrim.lap import asked, trainer
from apextrim.library.circuit_actions import save_notes
from apextrim.race.actions import keep_plan
from apextrim.race.queries import race_view

from .loader import load_files
from .others import further_events
from .weekend import COOL, FRIDAY, HOT, Weekend, on_its_lines, pressures

SATURDAY = FRIDAY + timedelta(hours=19, minutes=30)

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


@transaction.atomic
def tell(user: User) -> Event:
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
    events.change_conditions(event, COOL, FRIDAY + timedelta(minutes=4))
    save_notes(circuit, _NOTES)
    week = Weekend(event, FRIDAY + timedelta(minutes=5))
    events.change_now(event, friday, False, "front runner")
    first = week.sheet(None, pressures(182, 178), "Last visit's sheet, its pressures from a cold spring day")
    week.run(first, "marl", 30, 9, seed=11, note="Slides on all four after three laps")
    second = week.sheet(first, pressures(152, 148), "Pressures down: all four read far above their best")
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
    events.change_conditions(event, HOT, week.wait(60))
    fourth = week.sheet(
        second, {**pressures(147, 143), "brake_bias": 74.0, "fuel": 45}, "Race sheet: pressures for the hot afternoon, bias for full tanks"
    )
    week.run(fourth, "slate", 45, 17, seed=22, note="Race distance on slate")
    week.run(fourth, "marl", 45, 17, seed=23, note="Race distance on marl")
    event.refresh_from_db()
    keep_plan(event, race_view(event).by_stops[0].plan, week.wait(5))
    _write_book(event)
    further_events(user)
    for one in user.events.all():
        on_its_lines(one)
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
