"""The race of an event: pace from its runs, plans from its rules."""

from dataclasses import dataclass, field, replace

from django.db.models import F

from apexcore.errors import NoLegalPlan
from apexcore.race.driven import Otherwise, driven_otherwise, each, with_ballast, with_levels, with_margin, with_spins
from apexcore.race.fuel import filled_l, measured_use
from apexcore.race.heats import Heat, planned_heats
from apexcore.race.kinds import Rid, early_and_late
from apexcore.race.length import distance_laps
from apexcore.race.pace import Floats, RacePace, best_chances, drawn_times_s, gap_spread_s, without_tyres
from apexcore.race.pairs import PairReading, spin_price_s
from apexcore.race.plans import Plan, best_by_stops
from apexcore.race.reverses import Decisive, Price, Reverse, decisive, prices, reverses
from apexcore.race.rules import ALL_OUT, Pace, RaceRules
from apexcore.race.timed import lap_chances, late_stop, plans_in_time
from apexcore.race.weather import rains, with_wet
from apexcore.vehicle.tyres import for_the_wet
from apextrim.book.queries import told_by_book
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.modelling import answers, cases, fits
from apextrim.runs.queries import burnt_by_runs, burnt_l, in_one_weather, newest_of, observed, observed_by, rows_of, with_laps
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet_in_car, sheet_in_car

#: Scatter, mistakes and run shift of a driver of whom too few laps are known [s, -, s]. Source: the virtual driver's.
_SCATTER_S, _MISTAKES, _SHIFT_S = 0.15, 0.08, 0.06
#: Newest laps that the pace is taken from: older ones were driven by another driver, in a way.
_MOST_LAPS = 400
#: Numbers of stops that are shown at most, quickest first.
_MOST_KINDS = 6
#: Laps before which a share of mistakes is as good as unknown.
_KNOWN_FROM = 12
#: Chance of more laps than planned from which on the reserve covers them: as the reserve itself, 99 of 100 races.
_MAY_COME = 0.01


@dataclass(frozen=True)
class RankedPlan:
    """A plan beside the best.

    :param gap_s: race time behind the best [s]
    :param low_s: lower end of the gap's 95 % interval [s]
    :param high_s: upper end [s]
    :param chance: chance to be the quickest of the plans shown [-]; None where it is not among the best of a stop number
    """

    plan: Plan
    gap_s: float
    low_s: float
    high_s: float
    chance: float | None


@dataclass(frozen=True)
class RaceView:
    """What the race bench computes.

    :param by_stops: the best plan of each number of stops, quickest first
    :param others: further plans, quickest first
    :param start_l: fuel to start the best plan with [l]
    :param margin_l: part of it that is margin [l]
    :param raced: the sheet in the car
    :param driven: the sheet whose laps give the pace; None where nothing was driven
    :param unlike: runs on unlike compounds front and rear, which are left out
    :param lap_chances: of a race over time, how likely each number of laps is [-]
    :param one_more: chance of more laps than planned, for which the reserve is made [-]
    """

    rules: RaceRules
    pace: RacePace
    by_stops: list[RankedPlan]
    others: list[RankedPlan]
    start_l: float
    margin_l: float
    raced: Sheet | None
    driven: Sheet | None
    unlike: int
    by_book: Otherwise | None = None
    lap_chances: dict[int, float] = field(default_factory=dict)
    one_more: float = 0.0


def by_race_book(event: Event) -> Otherwise | None:
    """What the racer's book for the race comes to; None where it tells nothing that the model can drive.

    :raises ApexError: if the car cannot take the circuit so
    """
    case = cases.case_of(event, core_sheet_in_car(event))
    told = told_by_book(event, case, "race")
    if told.empty:
        return None
    found = answers.by_book_in(case, "race", told.orders)
    return Otherwise(found.cost_s, found.fuel_share, found.tyre_share)


def race_view(event: Event, by_book: bool = False) -> RaceView:
    """Plans of the event's race with the sheet in the car.

    :param by_book: whether every lap is driven as the book for the race tells it, if it tells anything

    :raises SolverError: if the vehicle model has no lap
    :raises NoLegalPlan: naming the rules that exclude each other
    :raises InputError: if a rule names a compound that the car does not have
    """
    rules = facts.rules_of(event)
    pace, driven, way = _raced_pace(event, rules, by_book)
    ruled, chances, first, others = _ranked(rules, pace)
    one_more = sum(chance for laps, chance in chances.items() if laps > ruled.laps)
    if one_more >= _MAY_COME:
        try:  # the reserve is for the longest race that may come, where the tank holds it
            wider = with_margin(pace, (max(chances) - ruled.laps) * pace.pace.fuel_l_per_lap)
            ruled, chances, first, others = _ranked(rules, wider)
            pace = wider
        except NoLegalPlan:
            one_more = 0.0
    unlike = 0 if rules.mixed else rows_of(event).exclude(front=F("rear")).count()
    start_l = filled_l(first[0].plan.stints[0].fuel_l)
    return RaceView(
        ruled, pace, list(first), list(others), start_l, pace.pace.margin_l, sheet_in_car(event), driven, unlike, way, chances,
        one_more if one_more >= _MAY_COME else 0.0,
    )  # fmt: skip


def _raced_pace(event: Event, rules: RaceRules, by_book: bool) -> tuple[RacePace, Sheet | None, Otherwise | None]:
    """The pace under the race's rules, the sheet that it is the pace of, and what the race's book comes to where it is driven by it."""
    pace, driven = pace_of(event, rules)
    if rules.wear_factor != 1.0 or rules.fuel_factor != 1.0:
        pace = driven_otherwise(pace, Otherwise(0.0, rules.fuel_factor, rules.wear_factor))
    if rules.ballast_kg:
        pace = with_ballast(pace, rules.ballast_kg, cases.car_of(event).mass.fuel_kg_per_l)
    way = by_race_book(event) if by_book else None
    if way is not None:
        pace = driven_otherwise(pace, way)
    if rules.savings_pct:
        case = cases.case_of(event, core_sheet_in_car(event))
        pace = with_levels(pace, (ALL_OUT, *(answers.level_in(case, pct / 100.0) for pct in rules.savings_pct)))
    if rules.mixed:
        pace = with_spins(pace, {one.key: spin_price_s(one, rules.around) for one in pair_readings_of(event) if one.nervous})
    if rains(rules):
        pace = each(pace, lambda one: with_wet(rules, one))
    return pace, driven, way


def pair_readings_of(event: Event) -> tuple[PairReading, ...]:
    """Lap and balance of every pair with the sheet in the car.

    :raises SolverError: if the vehicle model has no lap
    """
    return answers.pairs_in(cases.case_of(event, core_sheet_in_car(event)))


def barred_with(event: Event, more: list[str]) -> list[str]:
    """What the rules leave out, with some pairs more."""
    return list(dict.fromkeys([*facts.rules_of(event).barred, *more]))


@kept_within(1 * MB)
def turning(rules: RaceRules, pace: Pace, better: int, other: int) -> tuple[Reverse, ...]:
    """Where the order of the two best numbers of stops turns."""
    return tuple(reverses(rules, pace, better, other))


@kept_within(1 * MB)
def priced(rules: RaceRules, pace: Pace) -> tuple[Price, ...]:
    """What the rules cost or give."""
    return tuple(prices(rules, pace))


@kept_within(1 * MB)
def rid_of(rules: RaceRules, pace: Pace) -> tuple[Rid, ...]:
    """The best plans that are rid of the unwanted compulsory compound early, and late."""
    return tuple(early_and_late(rules, pace))


@kept_within(1 * MB)
def late_of(rules: RaceRules, pace: Pace) -> Plan | None:
    """A plan that drives a lap more by making an owed stop as the time is up."""
    return late_stop(rules, pace) if rules.minutes and (rules.least_stops or rules.compulsory) else None


@kept_within(1 * MB)
def heats_of(rules: RaceRules, pace: Pace) -> tuple[Heat, ...] | None:
    """Which set is driven in which heat."""
    return planned_heats(rules, pace)


@kept_within(1 * MB)
def next_run(rules: RaceRules, pace: RacePace, better: int, other: int) -> Decisive | None:
    """The tyre of which a run would tell most about the two best numbers of stops."""
    return decisive(rules, pace.pace, tuple(one.sd for one in pace.fade), better, other)


@kept_within(8 * MB)
def _ranked(told: RaceRules, pace: RacePace) -> tuple[RaceRules, dict[int, float], tuple[RankedPlan, ...], tuple[RankedPlan, ...]]:
    """The rules with their distance, of a race over time how likely others are, the best plan of each number of stops, and further ones."""
    rules, plans = plans_in_time(told, pace.pace)
    chances = lap_chances(rules, pace.draws, plans[0], _SCATTER_S) if rules.minutes else {}
    best = sorted(best_by_stops(plans), key=lambda plan: plan.time_s)[:_MOST_KINDS]
    times = [drawn_times_s(rules, pace, plan) for plan in best]

    def ranked(plan: Plan, drawn: Floats, chance: float | None) -> RankedPlan:
        return RankedPlan(plan, plan.time_s - best[0].time_s, *gap_spread_s(drawn, times[0]), chance)

    first = tuple(ranked(*row) for row in zip(best, times, best_chances(times), strict=True))
    rest = [plan for plan in plans if plan not in best][:4]
    return rules, chances, first, tuple(ranked(plan, drawn_times_s(rules, pace, plan), None) for plan in rest)


def pace_of(event: Event, rules: RaceRules) -> tuple[RacePace, Sheet | None]:
    """Pace from all timed laps of the event, and the sheet that it is the pace of.

    That is the sheet in the car; where it was never driven, the one driven last stands in.
    """
    car = cases.car_of(event)
    sheet = core_sheet_in_car(event)
    book = answers.pair_book_of(event, sheet) if rules.mixed else answers.book_of(event, sheet)
    kinds = [compound.key for compound in book.compounds] if rules.mixed else ()
    use = measured_use(burnt_l(event), burnt_by_runs(event))
    per_lap = use.mean_l if use else book.fuel_l_per_lap
    sheets = {sheet.pk: sheet for sheet in event.sheets.all()}
    seen = observed(event, dict.fromkeys(sheets, 0), per_lap, kinds)
    dry, _ = in_one_weather([run.run for run in seen])
    alike = [run for run in seen if run.run in dry and (rules.mixed or run.run.front == run.run.rear)]
    runs = newest_of(alike, _MOST_LAPS) if alike else []
    order = list(dict.fromkeys(run.run.sheet_id for run in reversed(runs)))
    row = sheet_in_car(event)
    order.sort(key=lambda key: row is None or key != row.pk)  # a stable sort: the rest stay in their order
    levels = {key: index for index, key in enumerate(order)}
    laps = [replace(lap, level=levels[run.run.sheet_id]) for run in runs for lap in run.laps]
    distance = distance_laps(rules, book.compounds[0].new_s) + rules.formation_laps
    if rules.refuelling:  # a margin is for what one tank drives
        distance = min(distance, rules.tank_l / (per_lap * rules.fuel_factor))
    pace = fits.pace(laps, book, use, car.mass.fuel_kg_per_l, distance, track_c=facts.conditions_of(event).track_c)
    pace = without_tyres(pace, for_the_wet(car.tyres.compounds))  # the race has its own tyre for the wet
    return pace, sheets[order[0]] if order else None


@dataclass(frozen=True)
class Known:
    """What the laps of an event say of its driver.

    :param scatter_s: scale of the laps [s]
    :param mistakes: share of laps spoiled [-]
    :param laps: that it is known from; 0 where it is assumed
    :param shift_s: spread from run to run [s]
    """

    scatter_s: float
    mistakes: float
    laps: int
    shift_s: float


def driver_of(event: Event) -> Known:
    """Scatter and mistakes from the laps with everything else taken out."""
    rows, _ = in_one_weather(with_laps(rows_of(event)))
    kinds = [lap.kind for run in rows for lap in run.laps.all() if lap.kind in ("timed", "spoiled")]
    if len(kinds) < _KNOWN_FROM:
        return Known(_SCATTER_S, _MISTAKES, 0, _SHIFT_S)
    book = answers.book_of(event, core_sheet_in_car(event))
    level = {row.pk: index for index, row in enumerate(event.sheets.all())}
    runs = newest_of(observed_by(event, rows, lambda run: level.get(run.sheet_id), book.fuel_l_per_lap), _MOST_LAPS)
    laps = [lap for run in runs for lap in run.laps]
    found = fits.spread(laps, book.priors()) if laps else None
    scatter, shift = (found.scatter_s, found.shift_s) if found else (_SCATTER_S, _SHIFT_S)
    return Known(scatter, kinds.count("spoiled") / len(kinds), len(kinds), shift)
