"""Judging a difference between the runs of an event."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from django.db.models import Max

from apexcore.judge.model import Prior, Priors
from apexcore.judge.verdict import Verdict, fade_sentence, named, sentence
from apexcore.vehicle.sheet import differences
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import answers, cases, fits
from apextrim.runs.models import Run
from apextrim.runs.queries import FEW_RUNS, ObservedRun, in_one_weather, left_out_words, observed_by, rows_of, with_laps
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet

from .differences import differences_of
from .earlier import history_of
from .models import PlannedTest
from .sides import SHEET, TYRES, on_side, side_of, two_sided_tags, unlike_runs

#: Difference of track temperature between the two sides' runs beyond which the verdict carries a warning [K].
_TRACK_WARNING_K = 4.0

#: Laps of each side that are judged: the newest. More than these no longer change a verdict on one weekend.
_MOST_LAPS = 250
#: Laps of each side that are fetched for them, out-laps and spoiled ones among them.
_ENOUGH_LAPS = 330
#: Sheets driven last of which pairs are made.
_LATEST = 8

#: What naming the number of runs buys, said before the first one.
_PLAN_FIRST = " Plan the test before the first run: at the number of runs that you named a verdict needs 95 %, otherwise 99."
#: Laps of a stint up to which the fade of two sides is carried on.
MOST_STINT = 60

#: How far the vehicle model's weight, fade and the rest are trusted before any lap: factors on their prior spread.
TRUST = {"usual": 1.0, "some": 2.0, "little": 6.0}


@dataclass(frozen=True)
class Judged:
    """A verdict with its evidence.

    :param text: the sentence
    :param runs: the runs used, in the order driven
    :param warnings: what weakens it
    :param priors: what the vehicle model said before any lap
    """

    verdict: Verdict
    text: str
    runs: list[ObservedRun]
    warnings: list[str]
    priors: Priors


@dataclass(frozen=True)
class NotYet:
    """There is no verdict yet.

    :param why: the sentence that says what is missing
    """

    why: str


def trusted(priors: Priors, trust: str) -> Priors:
    """The priors with their spread widened."""
    factor = TRUST[trust]

    def wide(prior: Prior) -> Prior:
        return Prior(prior.mean, prior.sd * factor)

    return Priors(
        wide(priors.fuel), tuple(map(wide, priors.fade)), tuple(map(wide, priors.offset)), wide(priors.cold), wide(priors.track),
        wide(priors.trend), priors.history,
    )  # fmt: skip


def judged(event: Event, a: Sheet, b: Sheet, margin_s: float, kept: dict[str, list[Run]] | None = None) -> Judged | NotYet:
    """The verdict of sheet B against sheet A; see `judged_sides`."""
    return judged_sides(event, SHEET, (str(a.pk), str(b.pk)), (a.name, b.name), margin_s, kept=kept)


def judged_sides(
    event: Event, kind: str, sides: tuple[str, str], names: tuple[str, str], margin_s: float, trust: str = "usual",
    kept: dict[str, list[Run]] | None = None,
) -> Judged | NotYet:  # fmt: skip
    """The verdict of side B against side A of a kind of difference, or what is missing.

    :param kind: of `sides.kinds_of`
    :param kept: runs of sides by key, where several verdicts are asked for one after the other
    :raises SolverError: if the vehicle model, which gives the priors, has no lap
    """
    rows, there = _rows_on(event, kind, sides, {} if kept is None else kept)
    rows, aside = in_one_weather(rows, side_of(kind))
    found = _observed(event, rows, kind, dict(zip(sides, names, strict=True)), trust)
    if isinstance(found, NotYet):
        return found
    runs, priors = found
    used = newest(runs)
    driven = len(runs) if len(rows) + len(aside) == there else there - len(aside)
    left_out = left_out_words(aside)
    left_out += [f"Only the newest {len(used)} of {driven} runs are judged."] if len(used) < driven else []
    runs = used
    laps = [lap for run in runs for lap in run.laps]
    verdict = fits.verdict(laps, priors, margin_s, [run.laps[0].level for run in runs], planned_runs(event, kind, sides, rows))
    warnings = [*left_out, *(named(text, *names) for text in verdict.warnings), *_mixed(event, kind, runs), *_track_warning(runs, names)]
    text = _with_runs(sentence(verdict, *names), runs)
    return Judged(verdict, " ".join(filter(None, (text, _faded(event, verdict, names)))), runs, warnings, priors)


def _with_runs(text: str, runs: Sequence[ObservedRun]) -> str:
    """A sentence that counts runs with their names in it."""
    return re.sub(r"\brun (\d+) of these", lambda found: runs[int(found[1]) - 1].run.name, text)


def _faded(event: Event, verdict: Verdict, names: tuple[str, str]) -> str:
    """How the fade of both sides differs, with what it comes to over the race, as far as the laps tell."""
    laps = facts.rules_of(event).laps
    return fade_sentence(verdict, *names, race_laps=min(laps, MOST_STINT)) if verdict.fade is not None else ""


def judged_every(
    event: Event, kind: str, first: str, names: Mapping[str, str], margin_s: float, trust: str = "usual"
) -> list[tuple[str, Judged]] | NotYet:
    """The verdict of every side that was driven against one of them, from one posterior, the quickest first.

    :param first: the side that the others are held against
    :param names: words of every side
    """
    side = side_of(kind)
    rows, _ = _rows_on(event, kind, names, {})
    rows, aside = in_one_weather(rows, side)
    driven = {key for run in rows if any(lap.kind == "timed" for lap in run.laps.all()) and (key := side(run)) in names}
    others = [key for key in names if key in driven and key != first]
    if first not in driven or not others:
        return NotYet(f"{names[first]} and at least one other need a timed lap. Drive a run with each, then judge.")
    found = _observed(event, rows, kind, {first: names[first], **{key: names[key] for key in others}}, trust)
    if isinstance(found, NotYet):
        return found
    runs, priors = found
    runs = newest(runs)
    verdicts = fits.verdicts_of_levels([lap for run in runs for lap in run.laps], priors, margin_s)
    judged = []
    for index, (key, verdict) in enumerate(zip(others, verdicts, strict=True), start=1):
        pair = [run for run in runs if run.laps[0].level in (0, index)]
        mixed = _mixed(event, kind, [replace(run, laps=[replace(lap, level=int(lap.level > 0)) for lap in run.laps]) for run in pair])
        text = _with_runs(sentence(verdict, names[first], names[key]), runs)
        judged.append(
            (
                names[key],
                Judged(
                    verdict,
                    text,
                    pair,
                    [*left_out_words(aside), *(named(told, names[first], names[key]) for told in verdict.warnings), *mixed],
                    priors,
                ),
            )
        )
    return sorted(judged, key=lambda pair: pair[1].verdict.mean_s)


def pairs_worth_comparing(event: Event) -> list[tuple[Sheet, Sheet]]:
    """Pairs of sheets that were driven, the older first: those with timed laps on both before others, those that were driven in turn on
    one compound before those that nothing tells from the day, of these the ones with the sheet driven last, and of these the one with the
    sheet that it was made from, which is what the change was for."""
    rows = rows_of(event).order_by()
    driven = {row["sheet_id"]: row["last"] for row in rows.values("sheet_id").annotate(last=Max("number"))}
    timed: dict[int, list[int]] = {}
    compounds: dict[int, set[tuple[str, str]]] = {}
    told = rows.filter(laps__kind="timed", left_out="").values_list("sheet_id", "number", "front", "rear").distinct()
    for sheet_id, number, front, rear in told:
        timed.setdefault(sheet_id, []).append(number)
        compounds.setdefault(sheet_id, set()).add((front, rear))
    sheets = {sheet.pk: sheet for sheet in event.sheets.filter(pk__in=sorted(driven, key=lambda pk: driven[pk])[-_LATEST:])}
    pairs = [(sheets[a], sheets[b]) for a in sheets for b in sheets if a < b]

    def in_turn(a: int, b: int) -> bool:
        one, other = timed.get(a, []), timed.get(b, [])
        return bool(one and other and min(one) < max(other) and min(other) < max(one) and compounds[a] & compounds[b])

    def worth(pair: tuple[Sheet, Sheet]) -> tuple[bool, bool, int, bool, int]:
        a, b = pair
        own = a.pk == b.parent_id or b.pk == a.parent_id
        last = sorted((driven[a.pk], driven[b.pk]), reverse=True)
        return {a.pk, b.pk} <= set(timed), in_turn(a.pk, b.pk), last[0], own, last[1]

    return sorted(pairs, key=worth, reverse=True)


def _rows_on(event: Event, kind: str, keys: Iterable[str], kept: dict[str, list[Run]]) -> tuple[list[Run], int]:
    """The newest runs of each of these sides with their laps, in the order driven, and how many runs there are on them.

    :param kept: runs of sides that were fetched before
    """
    found: list[Run] = []
    there = 0
    for key in keys:
        rows = on_side(rows_of(event), kind, key)
        newest_rows = kept[key] = kept.get(key) or with_laps(rows, _ENOUGH_LAPS)
        found += newest_rows
        there += len(newest_rows) if len(newest_rows) < FEW_RUNS else rows.count()
    return sorted(found, key=lambda run: run.number), there


def _observed(event: Event, rows: list[Run], kind: str, sides: Mapping[str, str], trust: str) -> tuple[list[ObservedRun], Priors] | NotYet:
    """Timed laps of the runs on these sides, each side a level in their order, and the priors; what is missing where a side was
    not driven."""
    level = {key: index for index, key in enumerate(sides)}
    side = side_of(kind)
    first_on = next((run for run in rows if side(run) in level), None)
    if first_on is not None:
        book = answers.book_of(event, core_sheet(event, first_on.sheet))
        runs = [_without(run, kind) for run in observed_by(event, rows, lambda run: level.get(side(run) or ""), book.fuel_l_per_lap)]
    else:
        runs = []
    for number, name in enumerate(sides.values()):
        if not any(run.laps[0].level == number for run in runs):
            return NotYet(f"{name} has no timed lap yet. Drive a run with it, then judge.{_PLAN_FIRST if not runs else ''}")
    priors = trusted(book.priors(), trust)
    if kind == TYRES:  # the pair itself is what is judged: its offset must not be taken out
        runs = [replace(run, laps=[replace(lap, compound=0) for lap in run.laps]) for run in runs]
        first = priors.fade[0]
        priors = Priors(priors.fuel, (Prior(first.mean, 2.0 * first.sd),), (), priors.cold, priors.track, priors.trend)
    else:
        runs, priors = _pairs_apart(event, runs, priors)
    laps = [lap for run in runs for lap in run.laps]
    history = history_of(event, rows, laps, book.priors(), book.fuel_l_per_lap)
    return runs, replace(priors, history=history)


def _without(run: ObservedRun, *kinds: str) -> ObservedRun:
    """A run without the tags that are judged themselves."""
    names = {kind.removeprefix("tag:") for kind in kinds}
    return replace(run, laps=[replace(lap, tags=tuple(tag for tag in lap.tags if tag[0] not in names)) for lap in run.laps])


def _pairs_apart(event: Event, runs: list[ObservedRun], priors: Priors) -> tuple[list[ObservedRun], Priors]:
    """Runs on unlike compounds front and rear as runs on a compound of their own, which is neither."""
    index = {compound.key: place for place, compound in enumerate(cases.car_of(event).tyres.compounds)}
    pairs = list(dict.fromkeys((run.run.front, run.run.rear) for run in runs if run.run.front != run.run.rear))
    if not pairs:
        return runs, priors
    own = {pair: len(index) + place for place, pair in enumerate(pairs)}
    apart = [
        replace(run, laps=[replace(lap, compound=own.get((run.run.front, run.run.rear), lap.compound)) for lap in run.laps]) for run in runs
    ]
    return apart, priors.with_pairs([(index.get(front, 0), index.get(rear, 0)) for front, rear in pairs])


def _named_by(test: PlannedTest, rows: Sequence[Run]) -> int | None:
    """Runs that a test names in all, with those driven before it; None where more were driven than it asks for."""
    before = sum(run.made_at < test.made_at for run in rows)
    return before + len(test.order) if before <= len(test.order) else None


def planned_runs(event: Event, kind: str, sides: tuple[str, str], rows: Sequence[Run]) -> int | None:
    """How many runs were named for a comparison before it could be known how it turns out; None where none were.

    The first test that was planned for these sides counts, with the runs driven before it, where it asks for at least as many more.

    :param rows: runs on these sides
    """
    for test in event.tests.order_by("made_at"):
        tried = differences_of(test)
        if len(tried) == 1 and tried[0].kind == kind and {tried[0].off.key, tried[0].on.key} == set(sides):
            return _named_by(test, rows)
    return None


def newest(runs: list[ObservedRun]) -> list[ObservedRun]:
    """The newest runs of each side, in the order driven, up to as many laps as answer at once; one run of a side at least."""
    kept: list[ObservedRun] = []
    counts: dict[int, int] = {}
    for run in reversed(runs):
        level = run.laps[0].level
        if counts.get(level, 0) == 0 or counts[level] + len(run.laps) <= _MOST_LAPS:
            kept.append(run)
            counts[level] = counts.get(level, 0) + len(run.laps)
    return kept[::-1]


def judged_several(event: Event, margin_s: float, trust: str = "usual") -> list[tuple[str, Judged]] | NotYet:
    """The verdict of every two-sided tag with the others taken out, or what is missing."""
    tags = two_sided_tags(unlike_runs(event))
    tagged = with_laps(rows_of(event).filter(tags__has_keys=[name for name, _, _ in tags])) if tags else []
    tagged, aside = in_one_weather(tagged)
    if len(tags) < 2 or not tagged:
        return NotYet("Several differences at once need runs with two or more tags, each with exactly two values.")
    book = answers.book_of(event, core_sheet(event, tagged[0].sheet))
    chosen = {run.pk: tuple(int(run.tags[name] == on) for name, _, on in tags) for run in tagged}
    runs = observed_by(event, tagged, lambda run: chosen.get(run.pk), book.fuel_l_per_lap)
    runs = [_without(run, *(name for name, _, _ in tags)) for run in runs]
    laps = [lap for run in runs for lap in run.laps]
    if not laps:
        return NotYet("None of the tagged runs has a timed lap yet.")
    priors = replace(trusted(book.priors(), trust), history=history_of(event, tagged, laps, book.priors(), book.fuel_l_per_lap))
    try:
        verdicts = fits.verdicts_of_several(laps, priors, margin_s, _planned_several(event, tags, tagged))
    except ValueError as error:
        return NotYet(f"These runs cannot tell the tags {', '.join(name for name, _, _ in tags)} apart: {error}.")
    found = []
    for (name, off, on), verdict in zip(tags, verdicts, strict=True):
        text = _with_runs(sentence(verdict, f"{name} {off}", f"{name} {on}"), runs)
        found.append(
            (
                name,
                Judged(
                    verdict,
                    text,
                    runs,
                    [*left_out_words(aside), *(named(told, f"{name} {off}", f"{name} {on}") for told in verdict.warnings)],
                    priors,
                ),
            )
        )
    return found


def _planned_several(event: Event, tags: Sequence[tuple[str, str, str]], rows: Sequence[Run]) -> int | None:
    """As `planned_runs`, of a test of several tags at once."""
    for test in event.tests.order_by("made_at"):
        tried = differences_of(test)
        if len(tried) > 1 and {difference.kind for difference in tried} == {f"tag:{name}" for name, _, _ in tags}:
            return _named_by(test, rows)
    return None


def _mixed(event: Event, kind: str, runs: list[ObservedRun]) -> list[str]:
    """Warnings where the sides differ in more than what is judged."""
    sheets = [{run.run.sheet for run in runs if run.laps[0].level == level} for level in (0, 1)]
    if kind != SHEET:
        if sheets[0] == sheets[1]:
            return []
        words = [" and ".join(sorted(row.name for row in side)) for side in sheets]
        return [f"The two sides were driven on different sheets ({words[0]}; {words[1]}): the verdict is of both differences together."]
    (a,), (b,) = sheets
    found = differences(cases.car_of(event), core_sheet(event, a), core_sheet(event, b))
    things = {re.sub(r"\b(front|rear)? ?(left|right)\b", "", difference.item.name).strip() for difference in found}
    if len(things) < 2:
        return []
    words = [", ".join(sorted(things)[:4]) + (" and more" if len(things) > 4 else "")]
    return [f"{a.name} and {b.name} differ in {len(things)} things ({words[0]}): the verdict is of all of them together."]


def _track_warning(runs: list[ObservedRun], names: tuple[str, str]) -> list[str]:
    means = []
    for level in (0, 1):
        track = [float(run.run.conditions.get("track_c", 0.0)) for run in runs if run.laps[0].level == level]
        means.append(sum(track) / len(track))
    size = abs(means[1] - means[0])
    if size <= _TRACK_WARNING_K:
        return []
    hotter = names[1] if means[1] > means[0] else names[0]
    return [f"{hotter} was driven on a track {size:.0f} °C hotter. The times are corrected for it, as far as model and laps allow."]
