"""The proof page: each figure computed by the live code beside an answer known from elsewhere."""

import math
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.optimize import brentq

from apexcore.circuit.averaged import averaged
from apexcore.circuit.conditions import GRAVITY, Conditions
from apexcore.circuit.line import offset_line, racing_line
from apexcore.circuit.lines import widest_line
from apexcore.circuit.track import Circuit, Corner, Straight, centre_line, mirrored
from apexcore.circuit.usual import usual_course
from apexcore.errors import NoLegalPlan
from apexcore.judge.calibration import calibrate
from apexcore.judge.fade import fade
from apexcore.judge.model import Observed
from apexcore.judge.plan import Question, Spread, plans
from apexcore.judge.priors import NominalPace, nominal_pace
from apexcore.judge.scrubbing import scrubbing
from apexcore.judge.stints import stints
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.survey import surveyed
from apexcore.judge.trainer import LEVELS as TRAINED
from apexcore.judge.verdict import judge, judge_several
from apexcore.lap import kernel
from apexcore.lap.assembly import aero_areas, lateral_transfer
from apexcore.lap.driver import LEVELS
from apexcore.lap.quickest import line_case, quickest_line
from apexcore.lap.solver import COLUMN, LapCase, solve_lap, top_speed_ms
from apexcore.lap.warmth import warmed
from apexcore.lap.wishes import Wish
from apexcore.quantities.spread import Z95
from apexcore.quantities.words import counted
from apexcore.race.exact import Planner
from apexcore.race.fuel import filled_l, margin_l, measured_use
from apexcore.race.pace import race_pace
from apexcore.race.plans import best_by_stops, ranked_plans
from apexcore.trim.figures.gearing import shifts
from apexcore.trim.moves.class_search import class_search
from apexcore.vehicle.car import Car
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.kinds import KINDS
from apexcore.vehicle.quick import quick_car
from apexcore.vehicle.sheet import base_sheet, is_drivable
from apexcore.vehicle.tyres import hot_pressure_kpa
from apexcore.vehicle.weights import weights
from tests.apexcore.circuit.test_averaged import WORLDS as TRACKS
from tests.apexcore.circuit.test_averaged import as_circuit as as_points
from tests.apexcore.circuit.test_averaged import driven as on_least_curvature
from tests.apexcore.circuit.test_averaged import random_circuit as drawn_circuit
from tests.apexcore.circuit.test_averaged import slowest_share
from tests.apexcore.circuit.test_averaged import track as driven_track
from tests.apexcore.circuit.test_sketch import drawn_off
from tests.apexcore.judge.test_calibration import calibration_runs, inside
from tests.apexcore.judge.test_drift import DAYS, rates
from tests.apexcore.judge.test_fade import BENDS, stint
from tests.apexcore.judge.test_judge import PATTERN, PRIORS, SPOILED, naive, simulated
from tests.apexcore.judge.test_plan import settled_share
from tests.apexcore.judge.test_scrubbing import over_a_stint, simulated_day
from tests.apexcore.judge.test_stints import lost
from tests.apexcore.judge.test_stints import world as two_runs
from tests.apexcore.judge.test_trainer import HOSTILE, rows_beyond, taught, trained_ends
from tests.apexcore.judge.test_trainer import WORLDS as TRAINER_WORLDS
from tests.apexcore.judge.traces.planted import PLACES as PLANTED_AT
from tests.apexcore.judge.traces.planted import Sensors, planted
from tests.apexcore.judge.traces.planted import bench as planted_bench
from tests.apexcore.judge.traces.test_survey import as_circuit, corner_turns, recorded
from tests.apexcore.judge.worlds import WORLDS, Interval, World, by_world, history, mixed_effects
from tests.apexcore.lap.collocation import COURSES, collocated, point_case
from tests.apexcore.lap.test_energy import against_programme
from tests.apexcore.lap.test_engine import EXPECTED, HOME, expected_effects
from tests.apexcore.lap.test_kernel import POWER_W, constant_power, rated
from tests.apexcore.lap.test_kernel import straight as open_straight
from tests.apexcore.lap.test_proof import place, record
from tests.apexcore.lap.test_quickest import PLACES as BEST_PLACES
from tests.apexcore.lap.test_quickest import bumps_gain, found
from tests.apexcore.lap.test_warmth import over_k
from tests.apexcore.lap.test_warmth import settled as settled_lap
from tests.apexcore.lap.test_warmth import told as told_car
from tests.apexcore.lap.test_wishes import OVAL
from tests.apexcore.lap.test_wishes import asked as asked_line
from tests.apexcore.race.exact_reference import brute_force, by_milp, random_problem, with_every_rule
from tests.apexcore.race.test_cliffs import BOOK, on_tyres
from tests.apexcore.race.test_plans import all_shapes, lap_by_lap_s, random_race, used_all
from tests.apexcore.trim.test_class_search import CASES as CLASS_CASES
from tests.apexcore.trim.test_class_search import by_trying_all, random_classes, with_items
from tests.apexcore.trim.test_gearing import best_brute_force, time_to
from tests.apexcore.vehicle.test_class_limits import peak_gaps
from tests.apexcore.vehicle.test_water import crossings
from tests.apexcore.vehicle.test_water import lap as wet_lap
from tests.conftest import demo_circuit as demo_lap_circuit
from tests.conftest import demo_lap_case, stripped

from .advice_trial import PLACES as ADVICE_PLACES
from .advice_trial import said_wrong, trials
from .demo_files import demo_car, demo_circuit
from .directions import directions
from .steps_trial import FAR_CARS, FAR_SEEDS, read_far, read_twice, rms_s
from .steps_trial import PLACES as STEP_PLACES

#: Dry and wet tyres of the cars of `test_water`.
WET_PAIRS = (("coupe", "slick", "wet"), ("four", "slick", "wet"), ("kart", "kart", "kart_wet"))


@dataclass(frozen=True)
class Case:
    """:param ours: what the code gives
    :param known: the reference
    :param error: their distance, in the tolerance's own measure
    :param bound: largest distance allowed"""

    name: str
    reference: str
    ours: str
    known: str
    error: float
    bound: float
    measure: str = "relative"


def relative(name: str, reference: str, ours: float, known: float, bound: float, unit: str, decimals: int = 3) -> Case:
    """A case judged by its relative error."""
    error = abs(ours - known) / abs(known)
    return Case(name, reference, f"{ours:.{decimals}f} {unit}", f"{known:.{decimals}f} {unit}", error, bound)


def vehicle_cases() -> Iterator[Case]:
    """Closed forms of a car on its own."""
    car, plain = demo_car(), stripped(demo_car())
    c = record(plain)
    for radius in (20.0, 140.0):
        found = kernel.corner_speed(c, place(1 / radius), 120.0, 30.0)
        yield relative(f"constant radius {radius:.0f} m", "v = √(µ g R)", found, math.sqrt(1.3 * GRAVITY * radius), 1e-3, "m/s")
    bank = math.radians(12)
    found = kernel.corner_speed(c, place(1 / 70, bank, 0.0, 0.0, 0.0), 130.0, 30.0)
    known = math.sqrt(GRAVITY * 70 * (math.tan(bank) + 1.3) / (1 - 1.3 * math.tan(bank)))
    yield relative("banked turn, 12°, 70 m", "v² = g R (tan θ + µ)/(1 − µ tan θ)", found, known, 1e-3, "m/s")
    yield _top_speed(car)
    yield from _braking(plain)
    weight = weights(car)
    square = car.model_copy(update={"rear": car.rear.model_copy(update={"track_m": car.front.track_m})})
    transfer = sum(lateral_transfer(square, weight)[:2])
    yield relative("load transfer, equal tracks", "h / t", transfer, weight.cg_height_m / car.front.track_m, 1e-9, "per m a", 9)
    flat = car.model_copy(update={"aero": car.aero.model_copy(update={"floor": None})})
    loads = sum(kernel.wheel_loads(record(flat), 50.0, -6000.0, 9.0, GRAVITY, 0.0))
    down = 0.5 * Conditions().air_density * 50.0**2 * sum(aero_areas(flat)[1:])
    yield relative("sum of wheel loads", "weight + downforce", float(loads), weight.mass_kg * GRAVITY + down, 1e-9, "N", 6)
    hot = hot_pressure_kpa(140.0, 20.0, 92.0)
    yield relative("hot pressure", "ideal gas, absolute", hot, (140 + 101.325) * 365.15 / 293.15 - 101.325, 1e-9, "kPa", 6)
    own = time_to(car, [shift.speed_ms for shift in shifts(car)], 58.0)
    yield relative("shift speeds, 12 to 58 m/s", "brute force over 3,125 sets of shift rpm", own, best_brute_force(car, 58.0), 1e-3, "s")


def line_and_power_cases() -> Iterator[Case]:
    """A line and an acceleration that have closed forms."""
    side = [Straight(length_m=200), Corner(angle_deg=90, radius_m=30, transition_m=0)]
    square = Circuit(key="square", name="Square", layout="square", width_m=12.3, segments=tuple(side * 4))
    root = math.sqrt(2)
    largest = (35 * root - 25) / (root - 1)
    found = 1.0 / float(np.abs(widest_line(square).road[:, 0]).max())
    yield relative("widest line through a 90° corner", "the largest tangent arc", found, largest, 1e-2, "m")
    car = constant_power(stripped(demo_car()))
    mass, start, length = weights(car).mass_kg, 12.0, 600.0
    out = open_straight(rated(car), length, 0.5, start)
    end = (start**3 + 3 * POWER_W * length / mass) ** (1 / 3)
    yield relative("constant power, speed after 600 m", "v³ = v₀³ + 3 P x/m", float(out[-1, COLUMN["speed"]]), end, 2e-3, "m/s")
    clock = float(out[:, COLUMN["time"]].sum())
    yield relative("constant power, time for it", "t = m (v² − v₀²)/(2 P)", clock, mass * (end**2 - start**2) / (2 * POWER_W), 2e-3, "s")
    soft, stiff = (axle_grips(stripped(demo_car()), bar) for bar in (10.0, 150.0))
    worst = max(abs(a - b) / b for a, b in zip(soft, stiff, strict=True))
    yield Case(
        "no load sensitivity: bar of 10 and 150 N/mm", "the same axle capacities", f"{soft[0]:.1f} N", f"{stiff[0]:.1f} N", worst, 1e-9
    )


def axle_grips(car: Car, bar: float) -> list[float]:
    """Lateral and longitudinal capacity of both axles in a corner, with a front bar of this rate [N]."""
    c = record(car.model_copy(update={"front": car.front.model_copy(update={"bar_n_per_mm": bar})}))
    both = kernel.axle_grip(c, kernel.wheel_loads(c, 30.0, 0.0, 9.0, GRAVITY, 0.0), 9.0, place(), 0.0)
    return [float(kind[axle] + kind[axle + 1]) for kind in both for axle in (0, 2)]


def direction_cases() -> Iterator[Case]:
    """What a change must do on every car that has it, on two circuits: how many cases hold."""
    for name, held, asked in directions():
        yield Case(f"direction: {name}", "every car and circuit", f"{held} hold", f"{asked}", float(asked - held), 0.5, "cases")


def _top_speed(car: Car) -> Case:
    long = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"final_drive": 3.2})})
    speeds, torques = zip(*car.powertrain.torque_nm, strict=True)
    ratio = car.powertrain.gears[-1] * 3.2 / car.tyres.radius_m[1]
    conditions, (drag, front, rear) = Conditions(), aero_areas(long)

    def spare(v: float) -> float:
        torque = np.interp(v * ratio * 30 / math.pi, speeds, torques) * conditions.power_factor
        dynamic = 0.5 * conditions.air_density * v * v
        rolling = car.tyres.compounds[0].rolling * (weights(long).mass_kg * GRAVITY + dynamic * (front + rear))
        return float(torque * ratio * car.powertrain.efficiency - dynamic * drag - rolling)

    return relative(
        "top speed", "power = drag + rolling, Brent's method", top_speed_ms(long, conditions), brentq(spare, 30, 84), 1e-3, "m/s"
    )


def _braking(plain: Car) -> Iterator[Case]:
    weight, mu, length = weights(plain), 1.3, plain.wheelbase_m
    height, to_rear, to_front = weight.cg_height_m, weight.cg_from_front_m, plain.wheelbase_m - weight.cg_from_front_m
    ideal = (to_front + mu * height) / length
    for words, share in (("at the ideal share", ideal), ("rear locks first", 0.5), ("front locks first", 0.88)):
        braked = plain.model_copy(update={"brakes": plain.brakes.model_copy(update={"front_share": share, "max_force_n": 90_000.0})})
        front = mu * GRAVITY * to_front / (share * length - mu * height) if share * length > mu * height else math.inf
        known = min(front, mu * GRAVITY * to_rear / ((1 - share) * length + mu * height))
        force, _ = kernel.force_limit(record(braked), place(), 40.0, True, 0.5, 0.0)
        yield relative(f"braking, {words} ({100 * share:.1f} %)", "closed form", force / weight.mass_kg, known, 2e-3, "m/s²")


def lap_cases() -> Iterator[Case]:
    """What a whole lap must hold."""
    car, circuit = demo_car(), demo_circuit()
    first = car.tyres.compounds[0]
    lap_case, sheet = LapCase(car, racing_line(circuit, car_width_m=car.width_m), Conditions(), (first, first)), base_sheet(car)
    lap = solve_lap(lap_case, sheet)
    other = solve_lap(replace(lap_case, line=racing_line(mirrored(circuit), car_width_m=car.width_m)), sheet)
    yield relative("mirrored car on mirrored circuit", "the same lap", other.time_s, lap.time_s, 1e-6, "s", 6)
    fine = solve_lap(replace(lap_case, line=racing_line(circuit, 0.5, car.width_m)), sheet)
    yield relative("stations 2 m apart", "stations 0.5 m apart", lap.time_s, fine.time_s, 5e-4, "s")
    dt = lap.column("time")
    spent = sum(float((lap.column(name) * dt).sum()) for name in ("drag_w", "rolling_w", "brake_w", "closed_w")) + sum(lap.slip_energy_j)
    engine = float((lap.column("engine_w") * dt).sum())
    yield relative("energy of the engine over a lap", "drag + rolling + brakes + sliding", engine / 1e6, spent / 1e6, 5e-3, "MJ")


def engine_cases() -> Iterator[Case]:
    """Rows of the lap engine: stations, sweeps, shifts, what is expected, savings."""
    for car_key, circuit_key in HOME.items():
        lap_case, _ = demo_lap_case(car_key, circuit_key)
        sheet = base_sheet(lap_case.car)
        fine = replace(lap_case, line=racing_line(demo_lap_circuit(circuit_key), 0.25, lap_case.car.width_m))
        ours, known = solve_lap(lap_case, sheet).time_s, solve_lap(fine, sheet).time_s
        yield relative(f"stations, {lap_case.car.name}", "stations 0.25 m apart", ours, known, 5e-4, "s")
        inside, asked = 0, 0
        effects = expected_effects(car_key)
        for name, ranges in EXPECTED.items():
            bounds = ranges[list(HOME).index(car_key)]
            if bounds is not None:
                asked += 1
                inside += bounds[0] - 0.003 <= effects[name] <= bounds[1] + 0.003
        yield Case(
            f"expected effects, {lap_case.car.name}",
            "ranges of another model",
            f"{inside} inside",
            f"{asked}",
            float(asked - inside),
            0.5,
            "cases",
        )
    yield from sweep_cases()


def sweep_cases() -> Iterator[Case]:
    """Every item over steps about its base on the circuit's stations and on 0.25 m: the largest difference between neighbours."""
    for car_key in ("wisp_125", "drummock_stallard", "brackendale_gt"):
        lap_case, _ = demo_lap_case(car_key, HOME[car_key])
        base = base_sheet(lap_case.car)
        fine = replace(lap_case, line=racing_line(demo_lap_circuit(HOME[car_key]), 0.25, lap_case.car.width_m))
        begins = [solve_lap(case, base) for case in (lap_case, fine)]
        worst, where = 0.0, ""
        for item in lap_case.car.items:
            sheets = [moved for moved in (base.stepped(item, k) for k in (-2, -1, 0, 1, 2)) if moved is not None]
            sheets = [moved for moved in sheets if is_drivable(lap_case.car, moved)]
            if not item.tunes_lap or len(sheets) < 2:
                continue
            coarse_s, fine_s = (
                np.array([solve_lap(case, moved, initial_guess=begin).time_s for moved in sheets])
                for case, begin in zip((lap_case, fine), begins, strict=True)
            )
            off = float(np.abs(np.diff(coarse_s) - np.diff(fine_s)).max())
            worst, where = (off, item.name) if off > worst else (worst, where)
        name = f"items swept, {lap_case.car.name}"
        yield Case(name, "stations 0.25 m apart, step by step", f"{1000 * worst:.1f} ms ({where})", "0 ms", worst, 4e-3, "s")


def race_case(races: int = 300) -> Case:
    """The plan search against brute force."""
    worst, legal = 0.0, 0
    for seed in range(races):
        rules, pace = random_race(seed)
        brute, kept = dict[int, float](), dict[tuple[int, ...], float]()
        for shape in all_shapes(rules, len(pace.tyres)):
            time = lap_by_lap_s(rules, pace, shape, kept) if used_all(rules, pace, shape) else math.inf
            if math.isfinite(time):
                brute[len(shape) - 1] = min(time, brute.get(len(shape) - 1, math.inf))
        try:
            found = {plan.stops: plan.time_s for plan in best_by_stops(ranked_plans(rules, pace))}
        except NoLegalPlan:
            found = {}
        if set(found) != set(brute):
            worst = math.inf
        legal += bool(brute)
        worst = max([worst, *[abs(found[k] - brute[k]) for k in brute if k in found]])
    words = f"{legal} races that can be driven, {races - legal} that cannot"
    return Case(
        "race plans",
        f"all shapes of {races} random small races, each filled by a linear programme",
        words,
        "the same times",
        worst,
        2e-5,
        "s",
    )


def exact_cases(races: int = 120) -> Iterator[Case]:
    """The plan with free fuel against one mixed-integer programme, on races of every kind of rule that the planner knows."""
    worst, checked, carried = 0.0, 0, 0
    for seed in range(7000, 7000 + races):
        problem = random_problem(seed, most_laps=18)
        planner = Planner(problem)
        for stops in range(problem.least_stops, min(problem.most_stops, 3) + 1):
            best, known = planner.best(stops), by_milp(problem, stops)
            if (best is None) != (known is None):
                worst = math.inf
            if best is not None and known is not None:
                checked += 1
                carried += any(leg.arrives_l > problem.least_l + 0.01 for leg in best.legs[:-1])
                worst = max(worst, abs(best.time_s - known))
    words = f"{checked} bests of a number of stops; in {carried} a stint carries more than its need"
    reference = f"HiGHS over stints, stops and litres, {races} random races to 18 laps"
    yield Case("race plans, free fuel", reference, words, "the same times", worst, 1e-4, "s")


def every_rule_cases(races: int = 500) -> Iterator[Case]:
    """The plan under every kind of rule against every shape, each filled by a linear programme: HiGHS on what brute force lists."""
    worst, checked, stays, saves = 0.0, 0, 0, 0
    for seed in range(40_000, 40_000 + races):
        problem = with_every_rule(seed)
        planner, known = Planner(problem), brute_force(problem)
        for stops in range(problem.least_stops, problem.most_stops + 1):
            best = planner.best(stops)
            if (best is None) != (stops not in known):
                worst = math.inf
            if best is not None and stops in known:
                checked += 1
                stays += any(not leg.fitted for leg in best.legs)
                saves += len({float(problem.uses_l[leg.option]) for leg in best.legs}) > 1
                worst = max(worst, abs(best.time_s - known[stops]))
    words = f"{checked} bests of a number of stops; in {stays} tyres stay on at a stop, in {saves} stints save unlike"
    reference = f"all shapes of {races} random races to 8 laps under every kind of rule, each filled by HiGHS"
    yield Case("race plans, every rule", reference, words, "the same times", worst, 4e-5, "s")


def verdict_cases(trials: int = 2000) -> Iterator[Case]:
    """Coverage and false alarms of the verdict by simulation with known truth, beside a comparison of mean laps."""

    def one(seed: int) -> tuple[bool, bool, bool, bool]:
        gap = float(np.random.default_rng(seed + 77).normal(0, 0.3))
        laps = simulated(seed, gap)
        verdict, (low, high) = judge(laps, PRIORS), naive(laps)
        nothing = simulated(seed + 5000, 0.0)
        null, (_, null_high) = judge(nothing, PRIORS), naive(nothing)
        return verdict.low_s <= gap <= verdict.high_s, null.settled and null.mean_s < 0, low <= gap <= high, null_high < 0.0

    with ThreadPoolExecutor(2) as pool:
        covered, false, naive_covered, naive_false = np.array(list(pool.map(one, range(trials)))).mean(axis=0)
    words = f"{trials:,} simulated tests with run shift, fade, fuel, a warming track, a trend and {100 * SPOILED:.0f} % spoiled laps"
    yield Case("verdict, 95 % interval", words, f"{100 * covered:.1f} % cover", "95 %", abs(covered - 0.95), 0.02, "share")
    yield Case("“B is quicker” without a difference", words, f"{100 * false:.1f} % say so", "≤ 5 %", false, 0.05, "share")
    beside = f"mean laps: {100 * naive_covered:.1f} % cover, {100 * naive_false:.1f} % say “B is quicker”"
    yield Case(
        "the same with mean laps compared", "what the verdict is better than", beside, "worse", float(naive_covered > covered), 0.5, "worse"
    )


def several_case(trials: int = 400) -> Case:
    """Two differences at once, driven in a pattern."""

    def one(seed: int) -> list[bool]:
        gaps = np.random.default_rng(seed + 9).normal(0, 0.3, 2)
        found = judge_several(simulated(seed, 0.0, runs=8, marks=PATTERN, gaps_s=tuple(gaps)), PRIORS)
        return [verdict.low_s <= gap <= verdict.high_s for verdict, gap in zip(found, gaps, strict=True)]

    with ThreadPoolExecutor(2) as pool:
        share = float(np.mean(list(pool.map(one, range(trials)))))
    words = f"{trials} simulated tests of two differences in a pattern of 8 runs"
    return Case("several differences at once, 95 %", words, f"{100 * share:.1f} % cover", "95 %", abs(share - 0.95), 0.025, "share")


def plan_cases(trials: int = 500) -> Iterator[Case]:
    """Planned tests: the power promised against simulated tests driven to the plan, by drivers as unsure as the promise says."""
    for ask in (
        Question(0.2, Spread.entered(0.12, 0.06), 75, 240, 600),
        Question(0.35, Spread.entered(0.2, 0.12), 75, 240, 600),
        Question(0.3, Spread.entered(0.15, 0.1), 75, 240, 600, 2),
    ):
        plan = plans(ask, PRIORS)[0]
        draws = ask.spread.draws
        share = float(np.mean([
            settled_share(replace(ask, spread=Spread(*draws[trial % len(draws)][:2], ())), plan.order, plan.laps, 1, first=10_000 + trial)
            for trial in range(trials)
        ]))  # fmt: skip
        what = f"{len(plan.order)} runs of {plan.laps} laps for {ask.difference_s:.2f} s" + (", two at once" if ask.differences > 1 else "")
        words, promised = f"{trials} simulated tests: {what}", f"{100 * plan.power:.0f} % promised"
        yield Case("a planned test's power", words, promised, f"{100 * share:.0f} % settled", abs(share - plan.power), 0.06, "share")


def quickest_cases() -> Iterator[Case]:
    """The line of least time against a collocated optimum, random bumps and the line of least curvature."""
    for name, circuit in COURSES.items():
        lap_case = point_case(circuit)
        sheet = base_sheet(lap_case.car)
        quick, other = quickest_line(circuit, lap_case, sheet), collocated(circuit, lap_case.car, lap_case.line.offset)
        theirs = solve_lap(line_case(lap_case, offset_line(centre_line(circuit), other.offset)), sheet).time_s
        words = f"direct collocation by CasADi and IPOPT, its line judged by the lap (its own clock says {other.time_s:.3f} s)"
        yield Case(f"quickest line: {name}", words, f"{quick.time_s:.3f} s", f"{theirs:.3f} s", quick.time_s / theirs - 1.0, 1e-3, "slower")
    for car, circuit_key in BEST_PLACES:
        quick, gain = found(car, circuit_key), bumps_gain(car, circuit_key, 2000)
        words = f"2,000 random smooth bumps; least curvature has {quick.before_s:.3f} s"
        title = f"quickest line: {demo_car(car).name} at {demo_circuit(circuit_key).name}"
        yield Case(title, words, f"{quick.time_s:.3f} s", f"{quick.time_s * (1 - gain):.3f} s", gain, 1e-3, "slower")


def steps_cases() -> Iterator[Case]:
    """Steps on an event's lines, searched for twice with nothing shared; steps and advice that can be driven are held by tests."""
    everything = []
    for car, circuit in STEP_PLACES:
        found = read_twice(car, circuit)
        everything += found
        flips = sum(one.flips for one in found)
        ours = f"{1000 * rms_s(found):.1f} ms apart (rms of {len(found)}), {flips} the other way round"
        yield Case(
            f"steps on the best of a few lines: {demo_car(car).name} at {demo_circuit(circuit).name}",
            "another search, from the middle of the road", ours, "≤ 12 ms, none", rms_s(found) + 0.012 * flips, 0.012, "s",
        )  # fmt: skip
    far = {(key, seed): read_far(key, seed) for key in FAR_CARS for seed in FAR_SEEDS}
    found = [one for steps in far.values() for one in steps]
    everything += found
    worst, flips = max(rms_s(steps) for steps in far.values()), sum(one.flips for one in found)
    apart = f"{1000 * rms_s(found):.1f} ms apart (rms of {len(found)}), at worst {1000 * worst:.0f} ms in one place"
    ours = f"{apart}, {flips} the other way round"
    yield Case(
        f"steps of {len(FAR_CARS)} cars on {len(FAR_SEEDS)} circuits drawn at random", "another search, from the middle of the road", ours,
        "≤ 12 ms, none", rms_s(found) + 0.012 * flips, 0.012, "s",
    )  # fmt: skip
    inside = sum(one.holds for one in everything) / len(everything)
    yield Case(
        "the same, within what was said", f"{len(everything)} steps", f"{100 * inside:.0f} %", "≥ 93 %", 1.0 - inside, 0.07, "outside"
    )


def class_cases(classes: int = 24) -> Iterator[Case]:
    """Ballast and restrictor under class limits against every legal sheet, and the peak of power against a fine sweep."""
    off, sheets = [], 0
    for car_key, circuit_key, places, plate, told in (*CLASS_CASES, *random_classes(classes)):
        lap_case = with_items(demo_lap_case(car_key, circuit_key)[0], places, plate)
        sheet, limits = base_sheet(lap_case.car), ClassLimits.model_validate(told)
        best, count = by_trying_all(lap_case, sheet, limits)
        sheets += count
        if count:
            off.append(class_search(lap_case, sheet, limits).best.lap_s - best)
    words = f"every one of {sheets:,} legal sheets, weighed and rated by other code"
    yield Case(
        "ballast and restrictor under class limits", words, f"{1000 * max(*off, 0.0):.2f} ms slower at most",
        f"the quickest in {len(off)} classes", max(*off, 0.0), 1.5e-3, "s",
    )  # fmt: skip
    gaps = list(peak_gaps(200))
    yield Case(
        "peak power of random torque curves", "a sweep of 200,000 engine speeds", f"{max(gaps):.1e} apart at most", "0", max(gaps), 1e-6,
        "relative",
    )  # fmt: skip


def sketch_cases(drawings: int = 120) -> Iterator[Case]:
    """Circuits drawn, against the drawings' own geometry."""
    lengths, ways = zip(*(drawn_off(seed) for seed in range(drawings)), strict=True)
    words = f"{drawings} random drawings of 4 to 14 bends"
    yield Case("circuit drawn: length", words, f"{100 * max(lengths):.2f} % off at most", "as told", max(lengths), 1e-3, "relative")
    yield Case(
        "circuit drawn: middles of its straights",
        words,
        f"{100 * max(ways):.2f} % of the lap off",
        "on the road",
        max(ways),
        0.03,
        "of the lap",
    )


def calibration_case(trials: int = 120) -> Case:
    """Calibration against simulated cars of known scales."""

    def one(seed: int) -> list[bool]:
        runs, true = calibration_runs(1000 + seed, runs=2, laps=6)
        return inside(calibrate(runs), true)

    share = float(np.mean([one(seed) for seed in range(trials)]))
    words = f"{trials} simulated cars, five scales each"
    return Case(
        "calibration, 95 % intervals", words, f"{100 * share:.1f} % hold the true scale", "93 to 97 %", abs(share - 0.95), 0.02, "share"
    )


def fade_cases(trials: int = 150) -> Iterator[Case]:
    """Fade of stints with and without a cliff at 12 laps, in every way in which a stint may bend."""
    for name, asked in {"plain": dict[str, Any](), **BENDS}.items():
        found = [fade(*stint(seed, 12.0, **asked)).lap for seed in range(trials)]
        alarms = sum(fade(*stint(seed, None, **asked)).lap is not None for seed in range(trials)) / trials
        near = [trial[0] for trial in found if trial is not None]
        words = f"found in {100 * len(near) / trials:.0f} %, at {np.median(near):.0f} laps; said in {100 * alarms:.1f} % without one"
        yield Case(f"cliff at 12 laps: {name}", f"{trials} stints of 18 laps each", words, "12 laps, ≤ 6 %", alarms, 0.06, "false")


def _in_world(asked: tuple[str, float | None, int]) -> tuple[float, ...]:
    """Coverage, false verdicts and power of the product, of a mixed-effects model and of mean laps in one world."""
    name, known, trials = asked
    world = WORLDS[name]

    def product(laps: list[Observed], seed: int) -> tuple[Interval, Interval]:
        book = world.book if known is None else replace(world.book, history=history(seed + 9_000_000, known))
        verdict = judge(laps, book, planned=len(world.order))
        return (verdict.low_s, verdict.high_s), verdict.bar_s

    def textbook(laps: list[Observed], seed: int) -> tuple[Interval, Interval]:
        return (mixed_effects(laps),) * 2

    def means(laps: list[Observed], seed: int) -> tuple[Interval, Interval]:
        return (naive(laps),) * 2

    return tuple(share for way in (product, textbook, means) for share in by_world(world, trials, way))


#: Worlds in which no lap-time model can be right, with the share of false verdicts that is known of them.
_KNOWN_WEAK = {
    "laps akin to the one before": 0.14, "run shift 0.2 s": 0.16, "run shift 0.3 s": 0.16, "run shift 0.5 s": 0.16, "ten laps akin": 0.14,
    "30 % spoiled on B": 0.14, "30 % spoiled on B by 0.2 to 0.8 s": 0.18, "one run against six, shift 0.3 s": 0.14,
    "learns 1.5 s, alternating": 0.11, "rubber 0.8 s": 0.11, "track temperature bent": 0.11, "a day like a club's": 0.13,
    "run shift 0.5 s after calm days": 0.22,
}  # fmt: skip


def world_cases(trials: int = 200) -> Iterator[Case]:
    """Verdicts in every world, at the number of runs that was planned, beside what a textbook and a spreadsheet would say."""
    asked: list[tuple[str, str, float | None]] = [(name, name, None) for name in WORLDS]
    asked += [(f"{name}, earlier runs known", name, WORLDS[name].shift_s) for name in ("base", "run shift 0.3 s", "run shift 0.5 s")]
    asked += [("run shift 0.5 s, four runs, earlier ones known", "run shift 0.5 s, four runs", 0.5)]
    asked += [("run shift 0.5 s after calm days", "run shift 0.5 s", 0.1)]
    with ProcessPoolExecutor(2) as pool:
        results = pool.map(_in_world, [(name, known, trials) for _, name, known in asked])
        for (words, _, _), found in zip(asked, results, strict=True):
            ours, book, means = (
                f"{100 * found[k]:.0f} % cover, {100 * found[k + 1]:.0f} % false, {100 * found[k + 2]:.0f} % settled at 0.25 s"
                for k in (0, 3, 6)
            )
            bound = _KNOWN_WEAK.get(words, 0.09)
            yield Case(
                f"verdict: {words}", f"2 × {trials} tests", ours, f"mixed effects: {book}; mean laps: {means}", found[1], bound, "false"
            )


def _on_day(asked: tuple[int, int]) -> tuple[float, float, float]:
    """Coverage, false verdicts and power on one kind of day, at 0.30 s (0.25 on a plain one)."""
    _, order, day, gap, *_ = DAYS[asked[0]]
    return rates(World(order=order), day, gap, asked[1])


def day_cases(trials: int = 150) -> Iterator[Case]:
    """Verdicts on days that drift in ways that no line follows, and where drivers share the car."""
    with ProcessPoolExecutor(2) as pool:
        for row, (held, false, right) in zip(DAYS, pool.map(_on_day, [(place, trials) for place in range(len(DAYS))]), strict=True):
            words = f"{100 * held:.0f} % cover, {100 * false:.0f} % false, {100 * right:.0f} % settled at {row[3]:.2f} s"
            order = " ".join("AB"[side] for side in row[1])
            yield Case(f"verdict on a day: {row[0]}", f"{order}, 2 × {trials} tests", words, "95 % cover", false, row[5], "false")


def margin_cases(trials: int = 2000) -> Iterator[Case]:
    """Fuel margins from few laps, and where the race burns more than practice did."""
    for laps, more in ((3, 0.0), (8, 0.0), (8, 0.015), (8, 0.03)):
        rng = np.random.default_rng(laps)
        kept = 0
        for _ in range(trials):
            use = measured_use([round(float(litres), 2) for litres in rng.normal(2.0, 0.05, laps)])
            assert use is not None
            kept += float(rng.normal(2.0 * (1 + more), 0.05, 30).sum()) <= filled_l(30 * use.mean_l + margin_l(use, 30))
        words = f"{trials:,} races of 30 laps, use from {laps} laps" + (f", {100 * more:.1f} % more in the race" if more else "")
        yield Case(
            f"fuel margin, {laps} laps, {100 * more:.1f} % more",
            words,
            f"{100 * kept / trials:.1f} % end with fuel",
            "≥ 99 %",
            1.0 - kept / trials,
            0.012,
            "dry",
        )


def wear_cases() -> Iterator[Case]:
    """The wear book of the demo car's first compound at other rates of wear, against its own scaled."""
    car = demo_car()
    first = car.tyres.compounds[0]
    lap_case = LapCase(car, racing_line(demo_circuit(), car_width_m=car.width_m), Conditions(), (first, first))
    own = nominal_pace(lap_case, base_sheet(car), [first]).compounds[0]
    for wear in (0.1, 10.0):
        scaled = first.model_copy(update={"wear_per_mj": wear * first.wear_per_mj})
        found = nominal_pace(lap_case, base_sheet(car), [scaled]).compounds[0]
        yield relative(f"cliff with wear × {wear:g}", "life over the rate", found.cliff_age, own.cliff_age / wear, 0.02, "laps", 1)
        yield relative(
            f"fade with wear × {wear:g}", "fade times the rate", 1000 * found.fade_s, 1000 * wear * own.fade_s, 0.02, "ms a lap", 1
        )
    laps = [*on_tyres(0, 20, 12.0), *on_tyres(1, 20, 12.0)]
    pace = race_pace(laps, NominalPace(0.012, 1.9, (BOOK,), 0.01), None, 0.745, 40)
    age = pace.pace.tyres[0].cliff_age
    yield Case(
        "a cliff in the laps reaches the plan", "two runs over a cliff at 12", f"{age:.1f} laps", "12 laps", abs(age - 12.0), 1.5, "laps"
    )


def water_cases() -> Iterator[Case]:
    """Where tyres cross on wet roads, on cars that the study of water did not have."""
    for air_c in (10.0, 14.0, 18.0):
        for told in ("coupe", "four"):
            first, second = crossings(told, "slick", "intermediate", air_c), crossings(told, "intermediate", "wet", air_c)
            ours = f"{', '.join(f'{one:.2f}' for one in first)}; {', '.join(f'{one:.2f}' for one in second)}"
            off = max(0.2 - first[0], first[0] - 0.35, 0.53 - second[0], second[0] - 0.70, 0.0) if len(first) == len(second) == 1 else 1.0
            name = f"water: slick to intermediate and on to wet, {told}, {air_c:.0f} °C"
            yield Case(name, "ranges of a study on other cars", ours, "0.20–0.35; 0.53–0.70", off, 0.03, "wetness")
        apart = [wet_lap(told, dry, 1.0, air_c)[0] - wet_lap(told, wet, 1.0, air_c)[0] for told, dry, wet in WET_PAIRS]
        ours = ", ".join(f"{one:.1f} s" for one in apart)
        off = max(max(4.0 - one, one - 10.0, 0.0) for one in apart)
        yield Case(f"water: wets ahead of dry tyres, soaked, {air_c:.0f} °C", "likewise", ours, "4–10 s a lap", off, 1.5, "s")


#: Cars, circuits, power [kW] and energy a lap [kJ] of the rows of the energy store.
_STORES = [
    (key, circuit, power, kj)
    for key in ("brackendale_gt", "ferrow_lark", "pentlow_hare", "drummock_stallard")
    for circuit in ("sallowmere_fen", "quernlow", "hollin_bowl", "four")
    for power, kj in ((100.0, 400.0), (60.0, 150.0))
]


def energy_cases() -> Iterator[Case]:
    """Rows of where an energy store is spent: against a dynamic programme with a car of its own."""
    behind = [against_programme(*one) for one in _STORES]
    worst = max(behind)
    ahead = sum(one < 0.0 for one in behind)
    yield Case(
        "energy store: spent on a lap, 4 cars, 4 circuits", "a dynamic programme over way, speed and energy",
        f"at worst {1000 * worst:.0f} ms behind, quicker in {ahead} of {len(behind)}", "no slower", max(worst, 0.0), 0.02, "s",
    )  # fmt: skip


def warmth_cases(cars: int = 30) -> Iterator[Case]:
    """Tyres of cars made in two minutes on a usual course, and drivers in order from 5 to 50 °C of track."""
    off, hottest, order = [], [], []
    for number in range(cars):
        kind = list(KINDS)[number % len(KINDS)]
        car = quick_car(told_car(np.random.default_rng([number, 30]), kind), "any")[0]
        line = racing_line(usual_course(kind), car_width_m=car.width_m)
        car = warmed(car, line).car
        best = car.tyres.compounds[0].temperature_opt_c
        for air_c, track_c in ((17, 20), (24, 30)):
            lap = settled_lap(car, line, air_c, track_c)
            off.append(abs(over_k(car, lap)))
            hottest.append(max(lap.tyres.temperature_c) - best)
        for track_c in (5, 25, 50):
            times = [settled_lap(car, line, 0.6 * track_c + 5, track_c, level).time_s for level in LEVELS]
            order.append(max(b - a for a, b in pairwise(times)))
    cases = f"{cars} cars of the short form, air 17 and track 20 °C, 24 and 30"
    yield Case("heat of tyres: mean off the best", cases, f"at most {max(off):.1f} K", "≤ 5 K", max(off), 5.0, "K")
    yield Case("heat of tyres: the hottest wheel over it", cases, f"at most {max(hottest):+.1f} K", "≤ 20 K", max(hottest), 20.0, "K")
    worst = max(order)
    reference = f"{cars} cars, 5, 25 and 50 °C of track"
    yield Case("heat of tyres: a better driver is no slower", reference, f"at worst {worst:+.2f} s", "≤ 0.1 s", worst, 0.1, "s")


def scrubbing_case(days: int = 400) -> Case:
    """Scrubbed and new sets: truth inside what is told, days with drift and runs of their own."""
    held = list[bool]()
    for day in range(days):
        runs, truth = simulated_day(day)
        found = scrubbing(runs, 0.03, 0.05)
        assert found is not None
        mean, half = found.over(20)
        held.append(abs(mean - over_a_stint(truth, 20)) <= half)
    share = float(np.mean(held))
    return Case(
        "scrub or save over 20 laps", f"{days} simulated days", f"{100 * share:.0f} % inside", "≥ 93 %", 1.0 - share, 0.07, "outside"
    )


def trainer_cases(drivers: int = 200) -> Iterator[Case]:
    """The braking-point trainer against drivers whose latest mark is known, twenty runs each, also where it moves."""
    for name, level in TRAINED.items():
        for world in TRAINER_WORLDS:
            ends, held, beyond = trained_ends(name, world, drivers)
            tenth, half, most = (float(value) for value in np.percentile(ends, [10, 50, 90]))
            late = f"{100 * beyond:.1f} % of marks over 2 m too late"
            ours = f"by mark ten {half:+.1f} m ({tenth:+.1f} to {most:+.1f}); {late}; interval holds {100 * held:.0f} %"
            steps = f"{drivers} drivers, twenty runs, steps of at most {level.step_m:g} m"
            yield Case(f"trainer: {name}, {world}", steps, ours, "≤ 5 % too late, within 7 m by mark ten", beyond, 0.05, "late")
        for world, learner in HOSTILE.items():
            all_of = [taught(level, learner, seed) for seed in range(drivers)]
            rows = sum(rows_beyond(marks, latest, said) > 2 for marks, latest, said, _ in all_of) / drivers
            far = float(np.mean([mark > limit + 5.0 for marks, latest, *_ in all_of for mark, limit in zip(marks, latest, strict=True)]))
            ours = f"{100 * far:.1f} % of marks over 5 m beyond; {100 * rows:.1f} % of drivers with more than two in a row after a late"
            yield Case(
                f"trainer: {name}, {world}", f"{drivers} drivers, twenty runs", ours, "≤ 1 % with three in a row", rows, 0.01, "drivers"
            )


def advice_cases(seeds: range = range(24)) -> Iterator[Case]:
    """Advice against virtual cars with one item or a pair put wrong, and against cars with nothing wrong."""
    found = trials(seeds)
    named = sum(trial.named for trial in found)
    yield Case(
        "advice, first three changes", "virtual cars on sheets of their own with one item or a pair put wrong, five cars",
        f"{named} of {len(found)} named", "≥ 80 %", 1.0 - named / len(found), 0.2, "missed",
    )  # fmt: skip
    quiet = [said_wrong(car, circuit, seed) for seed in range(12) for car, circuit in ADVICE_PLACES]
    yield Case(
        "advice where nothing is wrong", "the same sheets with nothing put wrong, a random complaint",
        f"{sum(quiet)} of {len(quiet)} told that something is", "≤ 10 %", sum(quiet) / len(quiet), 0.1, "share",
    )  # fmt: skip


def _planted(seeds: range) -> list[tuple[bool, bool, bool | None, bool | None, float]]:
    """What became of planted differences: named or rightly not, seconds, metres (None where no braking was planted), nothing explained
    where nothing was planted, and by how much the parts miss the gap [s]."""
    found = []
    for one in planted(seeds):
        metres = None if one.braked_m is None else abs(one.braked_m[0] - one.braked_m[1]) < 2.0
        quiet = one.named is None if one.kind == "none" else None
        missed = abs(sum(row.total_s for row in one.comparison.rows) - one.comparison.gap_s)
        found.append((one.right, one.off_s < 0.02, metres, quiet, missed))
    return found


def trace_cases(cases: int = 500) -> Iterator[Case]:
    """Two recorded laps whose difference is known: braking 3 to 20 m early, throttle 0.1 to 0.5 s late, an apex off by 0.5 to 2 m, one
    gear higher, 1 % less grip, or none."""
    seeds = [range(first, first + 25) for first in range(0, 600, 25)]
    with ProcessPoolExecutor() as pool:
        found = [one for part in pool.map(_planted, seeds) for one in part][:cases]
    world = "virtual laps at 20 Hz, positions ± 0.5 m, speeds ± 0.3 km/h, three cars on two circuits"
    metres, quiet = [one[2] for one in found if one[2] is not None], [one[3] for one in found if one[3] is not None]
    shares: tuple[tuple[str, str, Sequence[bool]], ...] = (
        ("two laps: the corner is named", world, [one[0] for one in found]),
        ("two laps: each corner's seconds to 0.02 s", "the engine's own", [one[1] for one in found]),
        ("two laps: the braking point to 2 m", "the engine's own", metres),
        ("two laps without a difference: nothing is explained", world, quiet),
    )
    for name, reference, right in shares:
        share = float(np.mean(right))
        yield Case(name, reference, f"{100 * share:.1f} % of {len(right)} cases", "≥ 95 %", 1.0 - share, 0.05, "wrong")
    worst = max(one[4] for one in found)
    yield Case("two laps: the parts of all corners", "the gap", f"{1000 * worst:.3g} ms apart at most", "0", worst, 1e-3, "s")


def survey_cases(laps: int = 3) -> Iterator[Case]:
    """Circuits from recorded laps against those that were driven."""
    for source, without in (("positions", ("accel_lat_ms2",)), ("speed and lateral acceleration", ("x_m", "y_m"))):
        lengths, bends = [], []
        for spot in PLANTED_AT:
            where = planted_bench(*spot)
            for seed in range(4):
                driven = [recorded(where, 10 * seed + k, Sensors()) for k in range(laps)]
                told = [RecordedLap(1, one.t, {key: column for key, column in one.columns.items() if key not in without}) for one in driven]
                survey = surveyed(told)
                lengths.append(abs(centre_line(as_circuit(survey)).length_m / where.case.line.length_m - 1.0))
                bends += [abs(found / true - 1.0) for true, found in corner_turns(where, survey)]
        world = f"{laps} virtual laps at 20 Hz with the same sensors, three cars on two circuits"
        yield Case(f"circuit by {source}: length", world, f"{100 * max(lengths):.2f} % off at most", "the line driven", max(lengths), 2e-3)
        share = float(np.mean([one >= 0.05 for one in bends]))
        words = f"{100 * (1.0 - share):.1f} % of {len(bends)} within 5 %"
        yield Case(f"circuit by {source}: curvature of each corner", world, words, "≥ 95 %", share, 0.05, "beyond")


def _of_track(asked: tuple[str, int]) -> tuple[float, float, float]:
    """Least speed over the true one, error of the lap, and half its stated interval [-]."""
    (laps, hz, scatter, wander), seed = TRACKS[asked[0]], asked[1]
    circuit = drawn_circuit(seed)
    told = averaged(driven_track(circuit, seed, laps, hz, scatter, wander), 10.0, "track")
    true, there = on_least_curvature(circuit), on_least_curvature(as_points(told.points))
    return slowest_share(true, there), abs(there[2] / true[2] - 1.0), Z95 * told.spread


def track_cases(circuits: int = 100) -> Iterator[Case]:
    """Circuits from tracks of receivers that scatter and wander, on random circuits."""
    for world, (laps, hz, scatter, wander) in TRACKS.items():
        with ProcessPoolExecutor(2) as pool:
            found = np.array(list(pool.map(_of_track, [(world, seed) for seed in range(circuits)], chunksize=5)))
        outside = float(np.mean(found[:, 1] >= found[:, 2]))
        share, middle, half = found[:, 0].min(), np.median(found[:, 1]), np.median(found[:, 2])
        told = f"least speed of a corner {100 * share:.0f} % of the true; lap {100 * middle:.2f} % off, ± {100 * half:.2f} %: held by"
        reference = f"{circuits} random circuits, {counted(laps, 'lap')} at {hz:g} Hz, {scatter:g} m, wandering by {wander:g} m"
        yield Case(f"circuit by a track: {world}", reference, f"{told} {100 * (1.0 - outside):.0f} %", "≥ 90 %", outside, 0.1, "outside")


def _of_stints(asked: tuple[str, str, int]) -> tuple[bool, bool]:
    """Whether a cliff is said of two runs, and whether the fade's interval holds."""
    name, curve, seed = asked
    kinds: dict[str, dict[str, Any]] = {"laps akin": {"kin": 0.6}, "traffic": {"traffic": True}, "eases off": {"eases": True}}
    found = stints(two_runs(seed, curve, **kinds.get(name, {})))
    mean = 0.05 + float(np.ptp(lost(curve, np.array([1.0, 18.0])))) / 17.0
    return found.lap is not None, abs(found.mean_s[0] - mean) <= found.mean_s[1]


def stints_cases(trials: int = 100) -> Iterator[Case]:
    """Two runs of 18 laps read together: cliffs at one age, and what is none."""
    for name, curve in (
        ("plain", "plain"), ("laps akin", "plain"), ("traffic", "plain"), ("bent", "bent"), ("eases off", "plain"),
        ("0.8 s at 8 laps", "step"), ("0.8 s and 0.1 s a lap at 12", "step and more"), ("0.06 s a squared lap at 12", "square"),
    ):  # fmt: skip
        with ProcessPoolExecutor(2) as pool:
            said, held = np.mean(list(pool.map(_of_stints, [(name, curve, seed) for seed in range(trials)], chunksize=5)), axis=0)
        cliff = curve not in ("plain", "bent")
        words = f"a cliff said in {100 * said:.0f} %; the stint's fade holds in {100 * held:.0f} %"
        known, off = ("≥ 75 %", 1.0 - said) if cliff else ("≤ 8 %", said)
        yield Case(f"two runs together: {name}", f"{trials} pairs of 18 laps", words, known, float(off), 0.25 if cliff else 0.08, "wrong")


def groove_cases() -> Iterator[Case]:
    """Grooves of the demo oval against a study of it with another search."""
    for lane, known in ((1, 0.0), (2, 0.278), (3, 0.561)):
        cost = asked_line(OVAL, Wish("lane", lane=lane)).lap_s
        yield Case(
            f"groove {lane} of three, demo oval", "a search of its own, from other lines", f"{cost:+.3f} s a lap", f"{known:+.3f} s",
            abs(cost - known), 0.03, "s",
        )  # fmt: skip


def all_cases() -> list[Case]:
    """Every case of the page."""
    vehicle = [
        *vehicle_cases(),
        *line_and_power_cases(),
        *lap_cases(),
        *quickest_cases(),
        *steps_cases(),
        *water_cases(),
        *energy_cases(),
        *warmth_cases(),
        *groove_cases(),
        *class_cases(),
        *sketch_cases(),
        *direction_cases(),
        *advice_cases(),
        race_case(),
    ]
    vehicle += exact_cases()
    vehicle += every_rule_cases()
    return [
        *vehicle,
        *engine_cases(),
        *verdict_cases(),
        several_case(),
        *plan_cases(),
        calibration_case(),
        *fade_cases(),
        *stints_cases(),
        scrubbing_case(),
        *world_cases(),
        *day_cases(),
        *margin_cases(),
        *wear_cases(),
        *trainer_cases(),
        *trace_cases(),
        *survey_cases(),
        *track_cases(),
    ]
