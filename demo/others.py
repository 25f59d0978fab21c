"""The further events of the demo: an oval long run, a kart day of two drivers, a race that is over, one that has not begun, and a test day
of a car with driver systems and an energy store."""

from datetime import timedelta

from django.contrib.auth.models import User

from apexcore.race.course import course
from apexcore.vehicle.class_limits import ClassLimits
from apextrim.events import actions as events
from apextrim.events.models import Event
from apextrim.library.models import Car, Circuit
from apextrim.race import after, live
from apextrim.race.actions import keep_plan
from apextrim.race.queries import driver_of, race_view

from .weekend import COOL, FRIDAY, Weekend, pressures


def further_events(user: User) -> None:
    """All of them, in an order that their addresses keep."""
    cars, circuits = {row.key: row for row in user.cars.all()}, {row.key: row for row in user.circuits.all()}
    _oval_evening(user, cars, circuits)
    _kart_day(user, cars, circuits)
    events.create_event(user, "Fen sprint", cars["ferrow_lark"], circuits["sallowmere_fen"], False, FRIDAY + timedelta(days=22))
    _finished_round(user, cars, circuits)
    _energy_test(user, cars, circuits)


def _oval_evening(user: User, cars: dict[str, Car], circuits: dict[str, Circuit]) -> None:
    """A change of wedge, then a long run in which the outside tyres decide."""
    at = FRIDAY - timedelta(days=13)
    oval = events.create_event(user, "Hollin lantern race", cars["drummock_stallard"], circuits["hollin_bowl"], False, at)
    week = Weekend(oval, at)
    base = week.sheet(None, {}, "Base sheet")
    wedge = week.sheet(base, {"cross": 1.0}, "More cross weight: it is loose off the second corner")
    for sheet, seed in ((base, 51), (wedge, 52)):
        week.run(sheet, "bramble", 40, 12, seed)
    week.run(wedge, "bramble", 45, 34, 53, note="Long run: right front gone first, loose from lap 20 on")


def _kart_day(user: User, cars: dict[str, Car], circuits: dict[str, Circuit]) -> None:
    """A heavy and a light driver share a kart: whose weight costs what, and where ballast goes."""
    at = FRIDAY + timedelta(days=15)
    kart = events.create_event(user, "Quernlow club day", cars["wisp_125"], circuits["quernlow"], True, at)
    events.change_class_limits(kart, ClassLimits(least_kg=159.0), at)
    week = Weekend(kart, at)
    heavy = week.sheet(None, {"driver": 86}, "Odwin's seat as it stands")
    light = week.sheet(heavy, {"driver": 62, "ballast_floor": 10}, "Marit drives: ten kilos on the floor for the class weight")
    for sheet, who, seed in ((heavy, "odwin", 61), (light, "marit", 62), (heavy, "odwin", 63), (light, "marit", 64)):
        week.run(sheet, "teasel", 3, 8, seed, tags={"driver": who})


def _energy_test(user: User, cars: dict[str, Car], circuits: dict[str, Circuit]) -> None:
    """A test day of a car with driver systems, a drag flap and an energy store: is the tighter traction control worth its calm?"""
    at = FRIDAY + timedelta(days=29)
    event = events.create_event(user, "Sallowmere test day", cars["garrowby_plover"], circuits["sallowmere_fen"], False, at)
    week = Weekend(event, at)
    base = week.sheet(None, {}, "Base sheet: traction control 3, 1000 kJ a lap")
    calm = week.sheet(base, {"traction": 6}, "Rear steps out of Tollgate on worn tyres: three levels tighter")
    for sheet, seed in ((base, 81), (calm, 82)):
        week.run(sheet, "marl", 30, 6, seed)


def _finished_round(user: User, cars: dict[str, Car], circuits: dict[str, Circuit]) -> Event:
    """Round one: pressures found, a verdict, a plan, the race driven, and what it came to."""
    at = FRIDAY - timedelta(days=27)
    event = events.create_event(user, "The Sallowmere Trophy, round 1", cars["brackendale_gt"], circuits["sallowmere_fen"], False, at)
    rules = {"laps": 18, "formation_laps": 1.0, "pit_loss_s": 23.0, "tyre_change_s": 9.0, "least_stops": 0, "most_stops": 2}
    events.change_rules(event, rules, at + timedelta(minutes=2))
    events.change_conditions(event, COOL, at + timedelta(minutes=4))
    week = Weekend(event, at + timedelta(minutes=6))
    first = week.sheet(None, pressures(160, 156), "Base sheet, pressures a little up for a cool day")
    second = week.sheet(first, {"wing": 5}, "A step of wing off: down on top speed at the end of the straight")
    week.plan_test(first, second, ((0,), (1,), (1,), (0,)), 7)
    for sheet, seed in ((first, 71), (second, 72), (second, 73), (first, 74)):
        week.run(sheet, "marl", 30, 7, seed)
    week.verdict(first, second)
    race_sheet = week.sheet(first, {"fuel": 38, "brake_bias": 75.0}, "Race: fuel for eighteen laps, bias for the weight")
    week.run(race_sheet, "marl", 38, 12, 75, note="Half a race, to see the tyres fade")
    event.session = event.sessions.get(kind="race")
    event.save(update_fields=["session"])
    event.refresh_from_db()
    view = race_view(event)
    plan = view.by_stops[0].plan
    keep_plan(event, plan, week.wait(30))
    began = week.wait(60)
    race = live.start(event, view, plan, driver_of(event), 1.0, int(began.timestamp() * 1000), began)
    setup = live.setup_of(race)
    planned = course(setup.rules, setup.pace, setup.plan).lap_s
    clock = began.timestamp()
    for lap, seconds in enumerate(planned):
        driven = round(float(seconds) + 0.12 + (0.31, -0.08, 0.04, 0.22, -0.11)[lap % 5] + (1.9 if lap == 6 else 0.0), 3)
        clock += driven
        live.add_mark(race, "lap", f"demo-{lap}", int(clock * 1000), {"time_s": driven})
    ended = week.wait(40)
    live.end(race, ended)
    after.keep_as_runs(race, ended)
    return event
