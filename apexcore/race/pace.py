"""The pace of a race from the laps driven, with its spread; the vehicle model fills what no lap shows."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..judge.model import Observed, Posterior, fit
from ..judge.priors import NominalPace
from ..vehicle.pair import axles_of
from .cliffs import before_cliffs, cliffs_of
from .fuel import FuelUse, margin_l
from .plans import Plan, chances_of_best, plan_time_s
from .rules import Pace, RaceRules, TyrePace

Floats = NDArray[np.float64]

#: Posterior draws over which plans are compared.
_DRAWS = 400
#: What a pair is off the mean of its compounds by, as the model does not know it: a lap [s], and fade as a share. Source: an assumption.
_PAIR_OWN_S, _PAIR_OWN_FADE = 0.1, 0.15


@dataclass(frozen=True)
class Estimate:
    """:param mean: in the unit of the field
    :param sd: its standard deviation
    :param laps: laps it was measured on; 0 if it is modelled"""

    mean: float
    sd: float
    laps: int


@dataclass(frozen=True)
class RacePace:
    """What the plans are computed from, and how sure it is.

    :param pace: mean values
    :param draws: the same drawn from the posterior
    :param fuel: fuel burnt per lap
    :param fuel_s_per_l: lap time added by a litre [s/l]
    :param fade: fade of each compound [s/lap]
    :param offset: each compound, new, against the fastest [s]
    :param cliff: age at which each compound goes off [laps]
    """

    pace: Pace
    draws: tuple[Pace, ...]
    fuel: FuelUse
    fuel_s_per_l: Estimate
    fade: tuple[Estimate, ...]
    offset: tuple[Estimate, ...]
    cliff: tuple[Estimate, ...]


def race_pace(
    laps: Sequence[Observed],
    book: NominalPace,
    fuel: FuelUse | None,
    kg_per_l: float,
    race_laps: float,
    level: int = 0,
    track_c: float | None = None,
) -> RacePace:
    """Pace of the sheet `level` from all laps driven.

    :param laps: timed laps of at least one level; may be empty, then all is modelled
    :param fuel: measured use, None where it was not measured
    :param race_laps: laps that the fuel margin covers, formation laps included
    :param track_c: the track's temperature in the race; that of the laps where it is not told [degC]
    """
    use = fuel or FuelUse(book.fuel_l_per_lap, 0.02 * book.fuel_l_per_lap, 0)
    margin = margin_l(use, race_laps)
    rng = np.random.default_rng(20_261)
    cliffs = cliffs_of(laps, book.compounds, book.fuel_s_per_kg)
    laps = before_cliffs(laps, cliffs)
    if laps:
        posterior = fit(laps, book.priors())
        base, fuel_kg, fade, offset = _from_posterior(posterior, level, track_c)
        warm = posterior.cold
        fade, offset = _pairs_by_parts(laps, book, fade, offset, rng)
    else:
        base, fuel_kg, fade, offset, warm = _from_book(book, kg_per_l, rng)
    cliff = np.array([one.likely for one in cliffs])
    counts = [sum(lap.compound == c for lap in laps) for c in range(len(book.compounds))]

    def pace(pick: "int | None", ages: Floats) -> Pace:
        def at(values: Floats) -> Floats:
            return np.asarray(values.mean(axis=0) if pick is None else values[pick])

        steps = at(offset)
        fastest = float(steps.min())
        tyres = tuple(
            TyrePace(compound.key, float(steps[c]) - fastest, float(at(fade)[c]), max(float(at(warm)), 0.0), float(ages[c]), one.steep_s)
            for c, (compound, one) in enumerate(zip(book.compounds, cliffs, strict=True))
        )
        weight = max(float(at(fuel_kg)) * kg_per_l, 0.0)  # on a drag strip it may help the start; nobody fills up for that
        return Pace(float(at(base)) + fastest, tyres, use.mean_l, weight, margin)

    take = np.linspace(0, len(base) - 1, _DRAWS).astype(int)
    ages = np.column_stack([one.drawn(rng, len(take)) for one in cliffs])
    draws = tuple(pace(int(k), row) for k, row in zip(take, ages, strict=True))
    return RacePace(
        pace(None, cliff), draws, use,
        Estimate(float(fuel_kg.mean()) * kg_per_l, float(fuel_kg.std()) * kg_per_l, len(laps)),
        tuple(Estimate(float(f.mean()), float(f.std()), n) for f, n in zip(fade.T, counts, strict=True)),
        tuple(Estimate(float(o.mean()), float(o.std()), n) for o, n in zip(offset.T, counts, strict=True)),
        tuple(Estimate(one.likely, one.sd, one.laps) for one in cliffs),
    )  # fmt: skip


def _from_posterior(posterior: Posterior, level: int, track_c: float | None) -> tuple[Floats, Floats, Floats, Floats]:
    reference = posterior.reference
    base = posterior.levels[:, level] - posterior.fuel * reference.fuel_kg - posterior.fade[:, 0] * reference.tyre_age
    if track_c is not None:
        base = base + posterior.track * (track_c - reference.track_c)
    return base, posterior.fuel, posterior.fade, posterior.offset


def _pairs_by_parts(
    laps: Sequence[Observed], book: NominalPace, fade: Floats, offset: Floats, rng: np.random.Generator
) -> tuple[Floats, Floats]:
    """A pair that nobody drove is off the book by half of what each of its compounds is, and by what a pair has of its own.

    Source: an assumption of this product (docs/model.md, pairs of tyres).
    """
    keys = [compound.key for compound in book.compounds]
    new = np.array([compound.new_s for compound in book.compounds])
    steady = np.array([compound.fade_s for compound in book.compounds])
    fade, offset, driven = fade.copy(), offset.copy(), {lap.compound for lap in laps}
    for p, key in enumerate(keys):
        front, rear = axles_of(key)
        parts = [keys.index(part) for part in (front, rear) if part in keys]
        if front != rear and len(parts) == 2 and p not in driven and driven & set(parts):
            off = [offset[:, c] - (new[c] - new[0]) for c in parts]
            offset[:, p] = new[p] - new[0] + 0.5 * (off[0] + off[1]) + rng.normal(0.0, _PAIR_OWN_S, len(offset))
            more = [fade[:, c] - steady[c] for c in parts]
            fade[:, p] = steady[p] + 0.5 * (more[0] + more[1]) + rng.normal(0.0, _PAIR_OWN_FADE * abs(steady[p]), len(fade))
    return fade, offset


def _from_book(book: NominalPace, kg_per_l: float, rng: np.random.Generator) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    priors, first, n = book.priors(), book.compounds[0], _DRAWS
    base = first.new_s - rng.normal(0, 0.01, n)
    fade = np.column_stack([rng.normal(prior.mean, prior.sd, n) for prior in priors.fade])
    offset = np.column_stack([np.zeros(n), *[rng.normal(prior.mean, prior.sd, n) for prior in priors.offset]])
    fuel = rng.normal(priors.fuel.mean, priors.fuel.sd, n)
    return base, fuel, fade, offset, rng.normal(priors.cold.mean, 0.1, n)


def drawn_times_s(rules: RaceRules, pace: RacePace, plan: Plan) -> Floats:
    """Race time of a plan at every draw of the pace, shape [draws] [s]."""
    return np.array([plan_time_s(rules, draw, plan) for draw in pace.draws])


def best_chances(times_s: Sequence[Floats]) -> list[float]:
    """Chance of each plan to be the quickest of them when the pace is as unsure as the laps leave it [-].

    :param times_s: of each plan, by `drawn_times_s`
    """
    return [float(chance) for chance in chances_of_best(np.column_stack(list(times_s)))]


def gap_spread_s(times_s: Floats, best_s: Floats) -> tuple[float, float]:
    """95 % interval of a plan's gap to the best [s].

    :param times_s: of the plan, by `drawn_times_s`
    :param best_s: of the best plan
    """
    low, high = np.quantile(times_s - best_s, (0.025, 0.975))
    return float(low), float(high)


def without_tyres(pace: RacePace, keys: Collection[str]) -> RacePace:
    """The pace without some compounds, and without pairs that have one of them at either end."""
    kept = [k for k, tyre in enumerate(pace.pace.tyres) if not any(axle in keys for axle in tyre.axles)]
    if not kept or len(kept) == len(pace.pace.tyres):
        return pace

    def left(one: Pace) -> Pace:
        return replace(one, tyres=tuple(one.tyres[k] for k in kept))

    def of(estimates: tuple[Estimate, ...]) -> tuple[Estimate, ...]:
        return tuple(estimates[k] for k in kept) if len(estimates) == len(pace.pace.tyres) else estimates

    return replace(
        pace, pace=left(pace.pace), draws=tuple(left(draw) for draw in pace.draws), fade=of(pace.fade), offset=of(pace.offset),
        cliff=of(pace.cliff),
    )  # fmt: skip
