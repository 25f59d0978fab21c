"""Pictures of the race: curves of ten thousand races, the strip of calls, a duel, and the race as it went."""

import itertools
import random
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any, cast

import numpy as np
import pytest

from apexcore.race.happened import RaceLap
from apexcore.race.rules import Level
from apexcore.race.simulation import Outcome
from apexcore.race.spend import Duel
from apextrim.race.after import Compared, GapPart, gap_parts
from apextrim.race.after_picture import after_picture, part_bars
from apextrim.race.odds import CallRange, odds_row
from apextrim.race.odds_picture import call_strip, odds_picture
from apextrim.race.spend_picture import duel_picture, saving_curve


def outcome(mean_s: float, wins: float, sd_s: float = 8.0) -> Outcome:
    times = np.linspace(2900.0, 3100.0, 61)
    middles = 0.5 * (times[1:] + times[:-1])
    shares = np.exp(-0.5 * ((middles - mean_s) / sd_s) ** 2)
    shares /= shares.sum()
    spread = (mean_s - 1.645 * sd_s, mean_s, mean_s + 1.645 * sd_s)
    curve = tuple(zip(map(float, middles), map(float, shares), strict=True))
    return Outcome(spread, mean_s, 3.0, (0.2, 0.3, 0.5), wins, mean_s, (0.0, 0.0), 0.0, curve=curve)


def test_a_curve_peaks_where_its_plan_ends_and_the_likelier_plan_comes_first() -> None:
    rows = [odds_row("2 stops", "are", outcome(3040.0, 0.2)), odds_row("1 stop", "is", outcome(2960.0, 0.8))]
    found = odds_picture(rows)
    assert found is not None and [one.title for one in found.curves] == ["1 stop", "2 stops"]
    low, high, start, end = (float(part) for part in found.x.ends.split())
    for one, mean_s in zip(found.curves, (2960.0, 3040.0), strict=True):
        spots = [tuple(map(float, part.split(","))) for part in one.line[1:].split(" ")]
        top = min(spots, key=lambda spot: spot[1])
        assert low + (top[0] - start) / (end - start) * (high - low) == pytest.approx(mean_s, abs=4.0)
        assert low + (one.middle - start) / (end - start) * (high - low) == pytest.approx(mean_s, abs=0.1)
        assert min(y for _, y in spots) >= found.plot.top and max(y for _, y in spots) <= found.plot.bottom + 0.1
    assert "quickest of the plans in 80 %" in found.curves[0].words


def test_names_of_curves_at_one_place_stand_below_each_other() -> None:
    rows = [odds_row(f"plan {n}", "is", outcome(2960.0 + n, 0.3)) for n in range(3)]
    found = odds_picture(rows)
    assert found is not None
    heights = sorted(one.name_y for one in found.curves)
    assert all(b - a >= 12.9 for a, b in itertools.pairwise(heights))
    assert odds_picture([]) is None


def test_the_strip_of_calls_covers_the_race_without_a_gap() -> None:
    calls = [
        CallRange(1, 7, False, True, 3.8, 8.2), CallRange(8, 8, True, False, 0.9, 0.9), CallRange(9, 20, True, True, 1.1, 15.9),
        CallRange(21, 39, None, False, 0.0, 0.0),
    ]  # fmt: skip
    strip = call_strip(calls)
    assert strip is not None and [band.kind for band in strip.bands] == ["stay", "even", "stop", "none"]
    for before, after in zip(strip.bands, strip.bands[1:], strict=False):
        assert before.x + before.width == pytest.approx(after.x)
    assert strip.bands[0].x == pytest.approx(strip.plot.left) and strip.bands[-1].x + strip.bands[-1].width == pytest.approx(
        strip.plot.right
    )
    assert strip.bands[2].width / strip.bands[0].width == pytest.approx(12 / 7) and "worth 1.1 to 15.9 s" in strip.bands[2].words
    assert strip.bands[1].text == ""  # no room for a word
    assert call_strip([]) is None


def test_the_bars_of_a_duel_say_who_is_ahead() -> None:
    duels = [("2 laps later", Duel(-2, -1.4, False)), ("the same lap", Duel(0, 0.0, False)), ("3 laps earlier", Duel(3, 2.6, True))]
    found = duel_picture(duels, 2.0)
    assert found is not None and found.sentence == "3 laps earlier gains most, +2.6 s, and comes out ahead."
    later, same, earlier = found.bars
    assert later.x < same.x < earlier.x and [bar.ahead for bar in found.bars] == [False, False, True]
    assert later.y == pytest.approx(found.zero) and earlier.y + earlier.height == pytest.approx(found.zero)
    assert earlier.height / later.height == pytest.approx(2.6 / 1.4) and earlier.y < found.needed < found.zero
    behind = duel_picture([("1 lap earlier", Duel(1, 0.5, False))], 2.0)
    assert behind is not None and "1.5 s short" in behind.sentence and duel_picture([], 2.0) is None


def test_a_saving_begins_at_nothing_for_nothing() -> None:
    levels = [Level(saved_pct=pct, cost_s=cost, fuel_share=1 - pct / 100, tyre_share=0.98) for pct, cost in ((7.0, 0.13), (2.0, 0.01))]
    found = saving_curve(levels)
    assert found is not None
    first, *rest = [tuple(map(float, part.split(","))) for part in found.path[1:].split(" ")]
    assert first == pytest.approx((found.plot.left, found.plot.bottom), abs=0.1)
    assert [x for x, _ in rest] == sorted(x for x, _ in rest) and rest[-1][1] < rest[0][1]
    assert saving_curve([]) is None


@dataclass
class _Marked:
    number: int
    kind: str


def raced(driven: list[float | None], marks: list[tuple[int, str]], followed: list[list[Any]]) -> Compared:
    now = SimpleNamespace(
        state=SimpleNamespace(times_s=driven), marks=[_Marked(*mark) for mark in marks], race=SimpleNamespace(followed=followed)
    )
    laps: list[tuple[int, float | None, float | None]] = [(n, 70.0, time) for n, time in enumerate(driven, start=1)]
    laps.append((len(driven) + 1, 70.0, None))  # a lap that was never begun
    return Compared(cast(Any, now), laps, None, None, (1.0, 1.0), 1.0, [(2, 20.0, 23.4)])


def test_the_gap_adds_up_and_an_unknown_lap_counts_as_planned() -> None:
    marks = [(1, "lap"), (2, "lap"), (3, "pit"), (4, "lap"), (5, "safety"), (6, "lap")]
    found = after_picture(raced([71.0, 70.5, None, 69.0], marks, [[4, {}, "Stop on lap 9."]]))
    assert found is not None
    assert [words for *_, words in found.spots] == [
        "lap 1: +1.0 s against the plan", "lap 2: +1.5 s against the plan", "lap 3: +1.5 s against the plan, its time unknown",
        "lap 4: +0.5 s against the plan",
    ]  # fmt: skip
    assert len(found.known) == 2 and len(found.guessed) == 1
    low, high, start, end = (float(part) for part in found.y.ends.split())
    read = [low + (y - start) / (end - start) * (high - low) for _, y, _ in found.spots]
    assert read == pytest.approx([1.0, 1.5, 1.5, 0.5], abs=0.01)
    assert [(call.kind, call.words.split(":")[0]) for call in found.calls] == [
        ("stop", "after lap 2"), ("flag", "after lap 3"), ("plan", "after lap 3"),
    ]  # fmt: skip
    assert found.calls[1].y > found.calls[2].y  # two of one lap stand above each other


def test_a_race_that_has_just_begun_has_no_picture() -> None:
    assert after_picture(raced([71.0], [(1, "lap")], [])) is None


def lap_of(green: bool = True, wet: bool = False, stop_l: float | None = None) -> RaceLap:
    return RaceLap(None, "marl", 0, 20.0, stop_l, False, green, wet)


@pytest.mark.parametrize("seed", range(20))
def test_the_parts_of_the_gap_are_the_whole_gap(seed: int) -> None:
    draw = random.Random(seed)
    laps = draw.randint(2, 60)
    driven = [lap_of(draw.random() < 0.8, draw.random() < 0.2) for _ in range(laps)]
    both = [(n, draw.uniform(69.0, 71.0), draw.uniform(68.0, 95.0)) for n in range(1, laps + 1) if draw.random() < 0.9]
    stopped = {n for n in range(1, laps + 1) if draw.random() < 0.1}
    parts = gap_parts(both, stopped, driven, 70.0)
    assert sum(part.seconds for part in parts) == pytest.approx(sum(real - planned for _, planned, real in both))
    assert sum(part.laps for part in parts) == len(both) and len({part.what for part in parts}) == len(parts)
    assert [abs(part.seconds) for part in parts] == sorted((abs(part.seconds) for part in parts), reverse=True)


def test_each_lap_belongs_to_what_slowed_it() -> None:
    driven = [lap_of(), lap_of(green=False), lap_of(wet=True), lap_of(stop_l=5.0), lap_of(), lap_of(green=False)]
    both = [(1, 70.0, 70.3), (2, 70.0, 90.0), (3, 70.0, 78.0), (4, 90.0, 95.0), (5, 70.0, 75.0), (6, 70.0, 99.0)]
    parts = gap_parts(both, {4, 6}, driven, 70.0)  # the stop under the safety car is a stop
    assert {part.what: round(part.seconds, 1) for part in parts} == {"stops": 34.0, "flags": 20.0, "rain": 8.0, "spoiled": 5.0, "pace": 0.3}
    bars = part_bars(Compared(cast(Any, None), [], None, None, (1.0, 1.0), 1.0, [], (*parts, GapPart("pace", -17.0, 3))))
    assert bars[0].width == pytest.approx(2.0 * bars[-1].width) and bars[-1].x == pytest.approx(-bars[-1].width) and bars[0].x == 0.0
