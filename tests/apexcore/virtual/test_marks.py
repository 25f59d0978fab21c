"""The virtual driver by marks, and what the samples of its runs say: a teacher who knows the truth."""

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.judge.passes import channels_of, passes
from apexcore.lap.solver import solve_lap
from apexcore.trim.book.proposal import along_middle
from apexcore.vehicle.sheet import base_sheet
from apexcore.virtual.marks import by_marks
from apexcore.virtual.senders import events_of
from apexcore.virtual.world import VirtualDriver, virtual_run
from tests.apexcore.trim.test_book import desks


@pytest.mark.parametrize(("car", "name"), [("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow")])
def test_sooner_is_slower_in_and_later_is_slower_out_the_more_so_the_farther(car: str, name: str) -> None:
    for desk in desks(car, name)[:3]:
        start = desk.technique.read.brake_start_m
        if start is None:
            continue
        case, sheet = desk.desk.lap_case, base_sheet(desk.desk.lap_case.car)
        at = along_middle(case.line, start, desk.ds)
        full = int(np.searchsorted(desk.desk.s, desk.technique.read.full_m)) % desk.desk.n
        cost, out = {}, {}
        for metres in (-12, -5, 0, 2, 4):
            lap = solve_lap(by_marks(case, desk.circuit, sheet, desk.desk.spans, {desk.desk.span.number: at + metres}), sheet)
            cost[metres] = lap.time_s - desk.desk.lap.time_s
            out[metres] = float(lap.column("speed")[full] - desk.desk.lap.column("speed")[full])
        assert cost[-12] > cost[-5] > 0.0 and abs(cost[0]) < 0.002 and cost[4] > cost[2] > 0.02
        assert abs(out[-12]) < 0.1 and abs(out[-5]) < 0.1 and out[4] < out[2] < -0.25


def test_no_mark_is_no_change_and_a_mark_far_off_never_leaves_the_road() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0]
    case, sheet = desk.desk.lap_case, base_sheet(desk.desk.lap_case.car)
    same = by_marks(case, desk.circuit, sheet, desk.desk.spans, {})
    assert same.line is case.line and same.told == case.told
    wide = by_marks(case, desk.circuit, sheet, desk.desk.spans, {span.number: span.apex * desk.ds for span in desk.desk.spans})
    assert np.abs(wide.line.offset).max() <= np.abs(case.line.offset).max() + 0.25  # rounded after it is kept inside, within the hand
    solve_lap(wide, sheet)


def test_a_loggers_samples_tell_mark_and_exit() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0]
    case, sheet = desk.desk.lap_case, base_sheet(desk.desk.lap_case.car)
    start = desk.technique.read.brake_start_m
    assert start is not None
    mark = along_middle(case.line, start, desk.ds) - 20.0
    run = virtual_run(
        case, sheet, 30.0, 7, 5, VirtualDriver(mistakes=0, traffic=0),
        told=lambda truth: by_marks(truth, desk.circuit, sheet, desk.desk.spans, {1: mark}),
    )  # fmt: skip
    sent = [one.channels for one in events_of(run, sheet, "r", 30.0, 0.0, 5) if one.type == "samples"]
    channels = channels_of({name: np.concatenate([one[name] for one in sent]) for name in ("distance_m", "speed_kmh", "brake_pct")})
    found = passes(channels, case.line.length_m, 3000.0, desk.technique.apex_m, desk.technique.read.full_m)
    middle = [one for one in found if 1 < one.lap < 7]
    assert len(middle) == 5
    braked = np.array([along_middle(case.line, one.brake_m or 0.0, desk.ds) for one in middle])
    assert abs(np.median(braked) - mark) < 2.5  # fifty samples a second at 65 m/s, and a driver who scatters
    rested = channels + np.array([0.0, 0.0, 6.0])  # a brake that rests at 6 % tells the same
    again = passes(rested, case.line.length_m, 3000.0, desk.technique.apex_m, desk.technique.read.full_m)
    assert [one.brake_m for one in again] == pytest.approx([one.brake_m for one in found], abs=2.0)
    true = float(np.interp(desk.technique.read.full_m, run.lap_case.line.s, run.stint[3].lap.column("speed")))
    assert np.mean([one.exit_ms for one in middle]) == pytest.approx(
        true, abs=1.0
    )  # a driver who scatters, and stretches what the model does


def test_samples_with_holes_and_without_channels_say_so_or_less() -> None:
    with pytest.raises(InputError, match="distance_m, speed_kmh, brake_pct"):
        channels_of({"speed_kmh": np.full(5, 100.0), "rpm": np.full(5, 6000.0)})
    with pytest.raises(InputError, match="none"):
        channels_of({})
    whole = np.array([[d, 100.0, 50.0 if 300 < d < 400 else 0.0] for _ in range(3) for d in range(0, 1000, 10)], dtype=float)
    assert [one.lap for one in passes(whole, 1000.0, 200.0, 400.0, 500.0)] == [1, 2, 3]
    holed = whole[~((whole[:, 0] > 430) & (whole[:, 0] < 560))]
    assert passes(holed, 1000.0, 200.0, 400.0, 500.0) == []  # the exit lies in the hole
    over_the_line = passes(whole, 1000.0, 900.0, 50.0, 120.0)
    assert [one.brake_m for one in over_the_line] == [None, None]
    assert passes(whole[:3], 1000.0, 200.0, 400.0, 500.0) == []
    still = np.array([[5.0, 0.0, 0.0]] * 20)
    assert passes(still, 1000.0, 200.0, 400.0, 500.0) == []
