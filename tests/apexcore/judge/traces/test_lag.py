"""A logger whose speed comes later than its positions: the delay is found, undone, and explains nothing."""

import numpy as np
import pytest

from apexcore.judge.traces.corner import windows
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.explain import Comparison, compared
from apexcore.judge.traces.frame import laid_on
from apexcore.judge.traces.place import placed
from tests.amounts import many

from .planted import PLACES, Sensors, bench, seen


def later(lap: RecordedLap, lag_s: float, pedals: bool) -> RecordedLap:
    """The lap of a logger whose speed, and pedals if told so, come so much later than its positions; its way is summed up from them."""
    columns, at = dict(lap.columns), np.mod(lap.t - lag_s, lap.t[-1])
    before = np.clip(np.searchsorted(lap.t, at, side="right") - 1, 0, len(lap.t) - 1)
    columns["speed_kmh"] = np.interp(at, lap.t, columns["speed_kmh"])
    if pedals:
        columns |= {key: np.interp(at, lap.t, columns[key]) for key in ("brake_pct", "throttle_pct")}
        columns["gear"] = columns["gear"][before]
    speed = columns["speed_kmh"] / 3.6
    columns["distance_m"] = np.concatenate([[0.0], np.cumsum(0.5 * (speed[1:] + speed[:-1]) * np.diff(lap.t))])
    return RecordedLap(1, lap.t, columns)


def side_by_side(seed: int, sensors: Sensors, lag_s: float, pedals: bool) -> Comparison:
    """The same lap twice, once by a logger that lags."""
    rng = np.random.default_rng([seed, 404])
    where, turn = bench(*PLACES[seed % len(PLACES)]), np.exp(1j * rng.uniform(0, 6.28))
    one, other = (seen(where.case.line, where.lap, rng, sensors, turn) for _ in range(2))
    if lag_s:
        one = later(one, lag_s, pedals)
    frame = laid_on(one.columns["x_m"], one.columns["y_m"], where.base, [(other.columns["x_m"], other.columns["y_m"])])
    laps = placed([one, other], where.base, [frame, frame])
    return compared(laps[0], laps[1], windows(where.case.line, where.spans), where.case.line.length_m)


SENSORS = {
    "usual": Sensors(), "rough": Sensors(place_m=1.5), "slow": Sensors(hz=10.0, place_m=1.0),
    "wandering": Sensors(place_m=1.0, wander_s=3.0),
}  # fmt: skip


@pytest.mark.thorough_only
@pytest.mark.parametrize("sensors", list(SENSORS)[:: many(2, 1)])
@pytest.mark.parametrize(("lag_s", "pedals"), [(0.0, False), (0.1, False), (0.2, True)])
def test_identical_laps_of_which_one_lags_explain_nothing(sensors: str, lag_s: float, pedals: bool) -> None:
    found = [side_by_side(seed, SENSORS[sensors], lag_s, pedals) for seed in range(many(4, 30))]
    assert abs(float(np.median([one.lap.lag_s for one in found])) - lag_s) < 0.02
    assert np.mean([one.reference.lag_s != 0.0 for one in found]) <= many(0.25, 0.14)
    # positions that wander by a metre are told from driving less well, with or without a delay
    assert np.mean([bool(one.dearest()) for one in found]) <= (0.25 if sensors == "wandering" else many(0.25, 0.1))
    assert np.mean([abs(row.total_s) < 0.02 for one in found for row in one.rows]) >= 0.95
    both = [
        row.lap.brake_m - row.reference.brake_m
        for one in found
        for row in one.rows
        if row.lap and row.reference and row.lap.brake_m is not None and row.reference.brake_m is not None
    ]
    assert abs(float(np.median(both))) < 1.0


def test_a_delay_of_speed_alone_leaves_the_pedals_where_they_were() -> None:
    alone, together = (side_by_side(0, Sensors(), 0.15, pedals) for pedals in (False, True))
    for found in (alone, together):
        assert found.lap.lag_s == pytest.approx(0.15, abs=0.03)
        kept, other = (lap.at("brake_pct", np.arange(0.0, found.length_m, 5.0)) for lap in (found.lap, found.reference))
        assert float(np.mean(np.abs(kept - other))) < 1.5
