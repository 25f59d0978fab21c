"""Wear books of any life, and cliffs in the racer's own laps."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.judge.model import Observed
from apexcore.judge.priors import CompoundBook, NominalPace, nominal_pace
from apexcore.lap.solver import LapCase
from apexcore.lap.stint import solve_stint
from apexcore.race.cliffs import before_cliffs, cliffs_of
from apexcore.race.pace import race_pace
from apexcore.vehicle.sheet import Sheet

BOOK = CompoundBook("a", 72.5, 0.03, 0.4, 30.0, 0.02)


def on_tyres(run: int, laps: int, cliff: float, steep: float = 0.08, scatter: float = 0.08, level: float = 72.5) -> list[Observed]:
    """A run until so many laps of age, with a cliff."""
    rng = np.random.default_rng(run)
    return [
        Observed(
            run, 0, 0, 60.0 - 1.4 * k, float(k),
            level + 0.03 * k + 0.012 * (60.0 - 1.4 * k) + steep * max(k - cliff, 0.0) ** 2 + scatter * rng.standard_t(4)
            + (0.4 * 0.4 ** (k - 1) if k else 3.0), max(k, 1), 25.0, 0.5 * run,
        ) for k in range(1, laps)
    ]  # fmt: skip


@pytest.mark.parametrize("wear", [0.05, 1.0, 10.0, 15.0])
@pytest.mark.thorough_only
def test_a_book_holds_from_two_laps_of_life_to_hundreds(lap_case: LapCase, sheet: Sheet, wear: float) -> None:
    """Life and fade go with the rate of wear, against the same compound at its own rate."""
    compound = lap_case.car.tyres.compounds[0]
    own = nominal_pace(lap_case, sheet, [compound]).compounds[0]
    scaled = nominal_pace(lap_case, sheet, [compound.model_copy(update={"wear_per_mj": wear * compound.wear_per_mj})]).compounds[0]
    assert scaled.cliff_age * wear == pytest.approx(own.cliff_age, rel=0.02)
    assert scaled.fade_s / wear == pytest.approx(own.fade_s, rel=0.02)
    assert scaled.cliff_s / wear**2 == pytest.approx(own.cliff_s, rel=0.05)


def test_the_book_says_what_a_stint_of_the_model_does(lap_case: LapCase, sheet: Sheet) -> None:
    compound = lap_case.compounds[0]
    read = nominal_pace(lap_case, sheet, [compound])
    book, weight = read.compounds[0], read.fuel_s_per_kg * lap_case.car.mass.fuel_kg_per_l
    stint = solve_stint(replace(lap_case, compounds=(compound, compound)), sheet, 90.0, 29)
    for age in (6, 12, 18, 24):
        time = stint[age].lap.time_s - weight * (stint[age].fuel_l - 0.5 * lap_case.car.tank_l)
        said = book.new_s + book.fade_s * age + book.cliff_s * max(age - book.cliff_age, 0.0) ** 2
        # beyond the cliff the tread also gets hotter, and hot treads wear faster than the book's even rate
        assert said == pytest.approx(time, abs=0.1 if age < book.cliff_age else 0.4)


def test_a_cliff_that_was_driven_over_replaces_the_books() -> None:
    laps = [*on_tyres(0, 20, 12.0), *on_tyres(1, 20, 12.0)]
    (found,) = cliffs_of(laps, [BOOK], 0.012)
    assert found.laps > 20 and found.likely == pytest.approx(12.0, abs=1.5)
    assert found.steep_s == pytest.approx(0.08, rel=0.4)
    assert max(lap.tyre_age for lap in before_cliffs(laps, [found])) <= found.age


def test_a_long_run_without_one_moves_the_books_cliff_out() -> None:
    (found,) = cliffs_of(on_tyres(2, 40, 99.0), [BOOK], 0.012)
    assert found.laps == 0 and found.least > 30.0 and found.likely > 34.0
    assert found.drawn(np.random.default_rng(1), 500).min() >= found.least


def test_without_long_runs_the_book_stands() -> None:
    (found,) = cliffs_of(on_tyres(3, 6, 99.0), [BOOK], 0.012)
    assert (found.laps, found.least) == (0, 0.0) and found.likely == pytest.approx(30.0, abs=0.1)
    drawn = found.drawn(np.random.default_rng(1), 4000)
    assert float(drawn.mean()) == pytest.approx(30.0, abs=0.3) and float(drawn.std()) == pytest.approx(4.5, rel=0.1)


def test_the_plans_pace_knows_the_cliff_that_was_driven_over() -> None:
    book = NominalPace(0.012, 1.9, (BOOK,), 0.01)
    pace = race_pace([*on_tyres(0, 20, 12.0), *on_tyres(1, 20, 12.0)], book, None, 0.745, 40)
    assert pace.pace.tyres[0].cliff_age == pytest.approx(12.0, abs=1.5) and pace.cliff[0].laps > 20
    assert pace.pace.tyres[0].fade_s == pytest.approx(0.03, abs=0.03)  # the laps beyond it do not count as fade
    assert all(draw.tyres[0].cliff_age < 20.0 for draw in pace.draws)
