"""Times of the core, each beside a plain reference in the same run, as a ratio. `make bench` prints them."""

import csv
import io
import math
import resource
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import corners, racing_line
from apexcore.formats.laps_csv import read_laps
from apexcore.formats.packed import pack, unpack
from apexcore.formats.recording import read_header, read_recording, write_csv
from apexcore.judge import model, sampler
from apexcore.judge.laps import propose
from apexcore.judge.model import Observed, Prior, Priors
from apexcore.judge.plan import Question, Spread, run_order
from apexcore.judge.plan import plans as test_plans
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.corner import windows
from apexcore.judge.traces.cut import RecordedLap, cut
from apexcore.judge.traces.explain import compared
from apexcore.judge.traces.frame import base_of, frames_of
from apexcore.judge.traces.habits import habits
from apexcore.judge.traces.place import placed
from apexcore.judge.verdict import judge
from apexcore.lap import kernel
from apexcore.lap.assembly import assemble
from apexcore.lap.quickest import quickest_line
from apexcore.lap.solver import LapCase, solve_lap, top_speed_ms
from apexcore.lap.stint import solve_stint
from apexcore.race import options, plans, races_kernel, simulation
from apexcore.race.exact import Planner
from apexcore.race.happened import Mark, Setup, happened
from apexcore.race.live import advise, under_safety_car
from apexcore.race.replan import replanned, standing_of
from apexcore.race.rules import ALL_OUT, Level, Pace, RaceRules, Surroundings, TyrePace, TyreSets
from apexcore.race.simulation import Driver, simulated
from apexcore.trim.moves.class_search import class_search
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.moves.search import search
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.pair import pair_key
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.tyres import TyreState
from apexcore.virtual.recorder import Hand, driven_course, recorded
from tests.apexcore.judge.test_judge import PRIORS
from tests.apexcore.judge.test_plan import settled_share
from tests.apexcore.lap.collocation import COURSES, collocated, point_case
from tests.apexcore.lap.test_quickest import case
from tests.apexcore.race.exact_reference import by_milp
from tests.apexcore.trim.test_class_search import by_trying_all, with_items
from tests.conftest import demo_lap_case

from .demo_files import demo_car, demo_circuit


@dataclass(frozen=True)
class Row:
    """:param target_s: the time wanted, None where none is set [s]
    :param note: what both sides agree on"""

    what: str
    ours_s: float
    plain_s: float
    plain: str
    target_s: float | None
    note: str


def median_s(work: Callable[[], object], rounds: int) -> float:
    """Median time of `work`, warm [s]."""
    work()
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def without_pauses(lap_case: LapCase) -> LapCase:
    """The case of a car that changes gear in no time: an initial value solver knows no pause in time along a road."""
    drive = lap_case.car.powertrain.model_copy(update={"shift_s": 0.0})
    return replace(lap_case, car=lap_case.car.model_copy(update={"powertrain": drive}))


def held(lap_case: LapCase, sheet: Sheet) -> TyreState:
    """Tyres as hot as their laps make them, the same all round the lap."""
    return solve_lap(lap_case, sheet).tyres


def plain_lap_s(lap_case: LapCase, sheet: Sheet) -> float:
    """The same lap by general tools: corner speeds by Brent's method, both passes by SciPy's initial value solver [s]."""
    car = adjusted(lap_case.car, sheet)
    c = assemble(car, held(lap_case, sheet), lap_case.conditions, lap_case.driver)
    (at, between), ds, n = lap_case.line.places, lap_case.line.ds, len(lap_case.line.ds)
    top = top_speed_ms(car, lap_case.conditions) * 1.25

    def use(v: float, r: np.ndarray) -> float:
        return float(kernel.corner_use(c, r, v)) - 1.0

    cap = np.array([top if use(top, r) < 0 else brentq(use, 0.5, top, args=(r,), xtol=1e-6) for r in at])
    start = int(cap.argmin())

    def drive(i: int, v: float, braking: bool) -> float:
        def slope(_: float, square: np.ndarray) -> list[float]:
            speed = float(np.sqrt(max(square[0], 0.01)))
            if braking:
                return [2.0 * kernel.slowing(c, between[i], speed, 1.0, 0.5)[0]]
            return [2.0 * kernel._accel(c, between[i], speed, kernel.thrust_in(c, kernel.gear_at(c, speed), speed), 0.5)[0]]

        span = (ds[i], 0.0) if braking else (0.0, ds[i])
        return float(np.sqrt(max(solve_ivp(slope, span, [v * v], rtol=1e-6).y[0, -1], 0.01)))

    v = cap.copy()
    for k in range(n):
        i = (start + k) % n
        j = (i + 1) % n
        v[j] = min(cap[j], drive(i, v[i], False), v[j])
    for k in range(n):
        j = (start - k) % n
        i = (j - 1) % n
        if v[i] > v[j]:
            v[i] = min(v[i], drive(i, v[j], True))
    return float((ds / (0.5 * (v + np.roll(v, -1)))).sum())


def plain_plan_s(rules: RaceRules, pace: Pace) -> float:
    """Time of the best plan by a general mixed-integer solver over every stint, stop and litre [s]."""
    problem = options.problem_of(rules, pace)
    found = [by_milp(problem, stops) for stops in range(problem.least_stops, problem.most_stops + 1)]
    return min(time for time in found if time is not None)


def race() -> tuple[RaceRules, Pace]:
    """A race of 60 laps, up to four stops, nine kinds of tyres."""
    tyres = tuple(TyrePace(f"t{k}", 0.12 * k, 0.12 - 0.011 * k, 0.5 + 0.05 * k, 14 + 2.5 * k, 0.05) for k in range(9))
    rules = RaceRules(
        laps=60, compulsory=("t0", "t4"), least_stops=1, most_stops=4, pit_loss_s=22, tyre_change_s=8, refuelling=True, tank_l=70
    )
    return rules, Pace(72.0, tyres, 1.82, 0.009, 0.6)


def worst_race() -> tuple[RaceRules, Pace]:
    """A race of 60 laps under most rules at once: nine pairs, counted sets new and driven, tyres that may stay on, four savings."""
    keys = ("a", "b", "c")
    tyres = tuple(
        TyrePace(pair_key(f, r), 0.1 * i + 0.13 * j, 0.1 - 0.02 * i - 0.015 * j, 0.5, 14 + 3 * i + 2 * j, 0.05)
        for i, f in enumerate(keys)
        for j, r in enumerate(keys)
    )
    levels = (ALL_OUT, *(Level(float(pct), 0.02 * pct, 1 - pct / 100, 1 - pct / 150) for pct in (3, 6, 9, 12)))
    sets = tuple(TyreSets(compound=key, count=count, age=age) for key, count, age in (("a", 2, 0), ("a", 1, 6), ("b", 2, 0), ("c", 2, 0)))
    rules = RaceRules(
        laps=60, compulsory=("a", "b"), least_stops=1, most_stops=4, pit_loss_s=22, tyre_change_s=8, refuelling=True, tank_l=70,
        tyres_may_stay=True, mixed=True, sets=sets,
    )  # fmt: skip
    return rules, Pace(72.0, tyres, 1.82, 0.009, 0.6, levels)


def laps_300() -> list[Observed]:
    """300 timed laps in 30 runs of two sheets on two compounds."""
    rng = np.random.default_rng(3)
    return [
        Observed(r, r % 2, (r // 2) % 2, 30.0 - 1.4 * k, 1.0 + k, 73 + 0.06 * k + 0.15 * rng.standard_t(4), 1 + k)
        for r in range(30)
        for k in range(10)
    ]


def rows() -> list[Row]:
    """Every measurement."""
    car = demo_car()
    line = racing_line(demo_circuit(), car_width_m=car.width_m)
    first = car.tyres.compounds[0]
    lap_case, sheet = LapCase(car, line, Conditions(), (first, first)), base_sheet(car)
    ours = solve_lap(lap_case, sheet)
    begin = time.perf_counter()
    plain_time = plain_lap_s(without_pauses(lap_case), sheet)
    plain = time.perf_counter() - begin
    agree = f"laps {ours.time_s:.3f} s and {plain_time:.3f} s"
    changed = sheet.stepped(car.item("bar_front"), 1)
    assert changed is not None
    lap = median_s(lambda: solve_lap(lap_case, changed, initial_guess=ours), 25)
    found = [Row(f"one changed sheet to a full lap, {line.length_m:.0f} m at 2 m", lap, plain, "SciPy", 0.005, agree)]
    found.append(Row("the first lap of a case", median_s(lambda: solve_lap(lap_case, sheet), 25), plain, "SciPy", None, ""))
    effects = median_s(lambda: step_effects(lap_case, sheet, car.items), 5)
    found.append(Row(f"single-step effects of {len(car.items)} items", effects, 2 * len(car.items) * plain, "SciPy, per lap", 0.5, ""))
    stint = median_s(lambda: solve_stint(lap_case, sheet, 60.0, 30), 5)
    found.append(Row("a stint of 30 laps", stint, 30 * plain, "SciPy, per lap", 0.2, ""))
    moved = [item for item in car.items if item.sets.split(".")[0] not in ("ballast", "fuel_l") and ".gears." not in item.sets]
    free = [item for item in moved if item.key not in ("map", "diff_preload", "diff_power")]
    counted = len([item for item in free if not item.damper_only])
    spans = corners(demo_circuit(), line)
    sought = median_s(lambda: search(lap_case, spans, sheet, free), 1)
    found.append(Row(f"a search over {counted} free items", sought, 900 * plain, "SciPy, 900 laps", 5.0, ""))
    rules, pace = race()
    best = plans.ranked_plans(rules, pace)[0].time_s
    planned = median_s(lambda: plans.ranked_plans(rules, pace), 3)
    begin = time.perf_counter()
    general = plain_plan_s(rules, pace)
    solver = time.perf_counter() - begin
    found.append(
        Row("all plans, 60 laps, 9 tyres, 4 stops", planned, solver, "MILP, best only", 0.3, f"best {best:.3f} s and {general:.3f} s")
    )
    found.extend(race_rows())
    laps = laps_300()
    priors = Priors(Prior(0.012, 0.003), (Prior(0.06, 0.03),) * 2, (Prior(0.4, 0.4),))
    verdict = median_s(lambda: judge(laps, priors), 3)
    found.append(
        Row("a verdict on 300 laps", verdict, plain_gibbs_s(laps, priors), "plain Python", 0.3, "same sampler, scaled from 1/50 of it")
    )
    found.append(class_row())
    found.extend(line_rows())
    found.extend(trace_rows())
    rows_10k = b"lap,lap_time,kind,fuel_l\n" + b"".join(b"%d,1:13.%03d,,1.90\n" % (n, n % 900) for n in range(1, 10_001))
    begin = time.perf_counter()
    plain_rows = [(int(a), 60 * int(b[0]) + float(b[2:]), float(d)) for a, b, _, d in list(csv.reader(io.StringIO(rows_10k.decode())))[1:]]
    plain_read = time.perf_counter() - begin
    read = median_s(lambda: propose(read_laps(rows_10k), True, False), 3)
    found.append(Row("reading and looking over 10,000 laps", read, plain_read, "csv alone", 2.0, f"unchecked, {len(plain_rows)} rows"))
    asked = Question(0.15, Spread.entered(0.15, 0.08), 75, 240, 300)
    planned_test = median_s(lambda: test_plans(asked, PRIORS), 3)
    begin = time.perf_counter()
    settled_share(asked, run_order(8, 1), 5, 40)
    found.append(
        Row("plans of a test, 7 lengths of run", planned_test, time.perf_counter() - begin, "40 simulated tests of one plan", None, "")
    )
    return found


def class_row() -> Row:
    """Ballast and restrictor under class limits, beside every legal sheet."""
    lap_case = with_items(demo_lap_case("ferrow_lark", "quernlow")[0], [(4, 24, 0.2, 0), (4, 24, 1.6, 0)], (84, 100, 4))
    sheet, limits = base_sheet(lap_case.car), ClassLimits(least_kg_per_kw=4.15, least_kg=552)
    ours = median_s(lambda: class_search(lap_case, sheet, limits), 3)
    begin = time.perf_counter()
    best, count = by_trying_all(lap_case, sheet, limits)
    off = class_search(lap_case, sheet, limits).best.lap_s - best
    return Row(
        "ballast and restrictor under class limits",
        ours,
        time.perf_counter() - begin,
        f"all {count} legal sheets",
        10.0,
        f"{off:+.4f} s apart",
    )


def trace_rows() -> list[Row]:
    """Recorded laps of twenty channels at 50 Hz; beside each what plain Python takes to read the same as a table."""
    case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap, line, rng = solve_lap(case, base_sheet(case.car)), case.line, np.random.default_rng(1)
    laps, packed = [], []
    for _ in range(30):
        course = driven_course(line, lap, lap.time_s + rng.normal(0, 0.2), rng, Hand())
        t, columns = recorded(line, case.car, lap, course, 50.0, rng, beyond=1)
        whole = cut(cleaned(t, columns), (0.0, float(course.clock[-1]))).laps[0]
        laps.append(whole)
        packed.append(pack(whole.t, whole.columns))
    base, corner = base_of(line, demo_circuit().width_m), windows(line, spans)
    text = "".join(write_csv(laps[0].t, laps[0].columns))

    def plain() -> None:
        rows = list(csv.reader(io.StringIO(text)))[1:]
        np.array([[float(cell) if cell else math.nan for cell in row] for row in rows])

    def overlay() -> None:
        two = [RecordedLap(1, *_unpacked(data)) for data in packed[:2]]
        frames, _ = frames_of(two, base)
        one, other = placed(two, base, frames)
        compared(one, other, corner, line.length_m)

    def whole_run() -> None:
        read = [RecordedLap(1, *_unpacked(data)) for data in packed]
        frames, _ = frames_of(read, base)
        habits(placed(read, base, frames), list(range(30)), corner, line.length_m)

    table = "".join(write_csv(np.arange(200_000) / 50.0, {f"c{k}": rng.normal(100, 20, 200_000).round(3) for k in range(10)})).encode()

    def imported() -> None:
        file = io.BytesIO(table)
        header = read_header(file)
        read_recording(file, header, header.guess())

    begin = time.perf_counter()
    _plain_table(table)
    plainly = time.perf_counter() - begin
    size = f"{len(packed[0]) / 1000:.0f} kB a lap"
    return [
        Row(
            "two laps of 21 channels at 50 Hz, explained",
            median_s(overlay, 5),
            2 * median_s(plain, 3),
            "reading both by csv alone",
            0.3,
            size,
        ),
        Row("30 laps by corner", median_s(whole_run, 2), 30 * median_s(plain, 3), "reading them by csv alone", 1.0, ""),
        Row("one lap read", median_s(lambda: unpack(packed[0]), 9), median_s(plain, 3), "csv alone", 0.01, ""),
        Row("200,000 samples of 10 channels from CSV", median_s(imported, 3), plainly, "csv alone", 0.2, "2 million values"),
    ]


def _unpacked(data: bytes) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    found = unpack(data)
    return found.t, found.columns


def _plain_table(table: bytes) -> None:
    rows = list(csv.reader(io.StringIO(table.decode())))[1:]
    np.array([[float(cell) for cell in row] for row in rows])


def race_rows() -> list[Row]:
    """Long races, races under way, and ten thousand of them; each beside one solve of the planner without its bounds, or plain Python."""
    rules, pace = race()
    few = replace(pace, tyres=pace.tyres[:3])
    day = RaceRules(laps=864, most_stops=40, pit_loss_s=40, tyre_change_s=8, refuelling=True, tank_l=70)
    begin = time.perf_counter()
    Planner(options.problem_of(day, few), 1e9)
    unbounded = time.perf_counter() - begin
    found = [Row("all plans, 864 laps, 40 stops", median_s(lambda: plans.ranked_plans(day, few), 3), unbounded, "no bounds", 1.0, "")]
    stays = day.model_copy(update={"tyres_may_stay": True})
    found.append(
        Row("the same, tyres may stay on", median_s(lambda: plans.ranked_plans(stays, few), 3), unbounded, "no bounds, changed", 1.0, "")
    )
    everything, every_pace = worst_race()
    worst = median_s(lambda: plans.ranked_plans(everything, every_pace), 3)
    found.append(Row("pairs, sets, staying tyres, four savings, 60 laps", worst, unbounded, "no bounds, 864 laps", 2.0, ""))
    plan = plans.ranked_plans(rules, pace)[0]
    at = standing_of(rules, pace, plan, 20)
    begin = time.perf_counter()
    Planner(options.problem_of(rules, pace), 1e9)
    whole = time.perf_counter() - begin
    found.append(Row("the rest of 60 laps from lap 20", median_s(lambda: replanned(rules, pace, at), 5), whole, "no bounds", 0.2, ""))
    setup = Setup(rules, pace, plan, 0.3, 0.5)
    now = happened(setup, [Mark("lap", 75.0 + 0.1 * (k % 5)) for k in range(20)])
    found.append(
        Row("race mode: what to do, lap 20 of 60", median_s(lambda: advise(setup, now, plan, 1.0), 5), whole, "no bounds", 0.2, "")
    )
    behind = happened(setup, [*[Mark("lap", 75.0 + 0.1 * (k % 5)) for k in range(20)], Mark("safety")])
    called = median_s(lambda: under_safety_car(setup, behind), 3)
    found.append(Row("race mode: stop behind the safety car?", called, whole, "no bounds", 0.5, ""))
    shown, driver = plans.ranked_plans(rules, pace)[:6], Driver(0.3, 0.08)
    around = Surroundings(cars=20)
    many = median_s(lambda: simulated(rules, [pace] * 100, shown, around, driver), 3)
    begin = time.perf_counter()
    _races_py(rules, pace, shown, around, driver)
    plain = 5000 * (time.perf_counter() - begin)
    found.append(Row("10,000 races, 6 plans, 60 laps, 20 cars", many, plain, "plain Python, from 2 races", 1.0, ""))
    return found


def _races_py(rules: RaceRules, pace: Pace, shown: list[plans.Plan], around: Surroundings, driver: Driver) -> None:
    """Two races by the same loops, not compiled."""
    compiled = races_kernel.races_of
    setattr(simulation, "races_of", compiled.py_func)  # noqa: B010 - the type checker knows it as compiled
    try:
        simulated(rules, [pace], shown, around, driver, races=2)
    finally:
        setattr(simulation, "races_of", compiled)  # noqa: B010


def line_rows() -> list[Row]:
    """The line of least time, at first and from a near one, and beside a general optimal-control library on a course of four corners."""
    lap_case, circuit = case("brackendale_gt", "sallowmere_fen"), demo_circuit("sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    begin = time.perf_counter()
    first = quickest_line(circuit, lap_case, sheet)
    at_first = time.perf_counter() - begin
    near = median_s(lambda: quickest_line(circuit, lap_case, sheet, begin=first.offset), 3)
    course = COURSES["four"]
    four = point_case(course)
    ours = median_s(lambda: quickest_line(course, four, base_sheet(four.car)), 3)
    begin = time.perf_counter()
    collocated(course, four.car, four.line.offset)
    library = time.perf_counter() - begin
    return [
        Row("the quickest line of 3.3 km, at first", at_first, at_first, "itself", 5.0, f"{first.laps} laps solved"),
        Row("the quickest line of 3.3 km, from a near one", near, at_first, "at first", 1.2, ""),
        Row("the quickest line of four corners, 0.8 km", ours, library, "CasADi, IPOPT", None, "a point mass there, the whole car here"),
    ]


def plain_gibbs_s(laps: list[Observed], priors: Priors) -> float:
    """Time of the sampler in plain Python, scaled up from a fiftieth of its draws [s]."""
    x = model.design(laps, 2, model.reference_of(laps), 1, [])
    mean, sd = model.prior_columns(priors, 1, 0)
    run = np.array([lap.run for lap in laps])
    times = np.array([lap.time_s for lap in laps])
    steps = (model.DRAWS + model.BURN) // 50
    nothing = np.array([0.0, 0.0, 0.0, 1.0, 1.0, 0.0])
    begin = time.perf_counter()
    sampler.gibbs.py_func(
        x, times - times.mean(), run, 30, mean, sd, 1, 1, 0, steps, model.TAILS, model.SCATTER_PRIOR_S, model.SHIFT_PRIOR_S, nothing,
        model.LEARNING_PRIOR_S, 0.0, np.array(model.SPOILED),
    )  # fmt: skip
    return 50 * (time.perf_counter() - begin)


def main() -> None:
    print(f"{'what':<48}{'ours ms':>9}{'target':>8}{'plain ms':>11}{'ratio':>8}  plain reference")
    for row in rows():
        target = f"{1000 * row.target_s:.0f}" if row.target_s else "-"
        ratio = row.plain_s / row.ours_s
        print(f"{row.what:<48}{1000 * row.ours_s:>9.1f}{target:>8}{1000 * row.plain_s:>11.0f}{ratio:>7.0f}x  {row.plain}; {row.note}")
    print(f"peak memory of this process: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
