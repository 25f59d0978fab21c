"""The reason beside a step: from the laps' own terms, each held against the laps themselves."""

import re
from dataclasses import replace

import numpy as np
import pytest

from apexcore.lap.solver import solve_lap
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.moves.why import why
from apexcore.vehicle.sheet import base_sheet
from tests.conftest import demo_lap_case


@pytest.mark.parametrize(("car", "circuit"), [("brackendale_gt", "sallowmere_fen"), ("drummock_stallard", "hollin_bowl")])
def test_every_term_is_that_of_the_laps(car: str, circuit: str) -> None:
    lap_case, spans = demo_lap_case(car, circuit)
    sheet = base_sheet(lap_case.car)
    items = [item for item in lap_case.car.items if item.tunes_lap][::5]
    effects = step_effects(lap_case, sheet, items, spans=spans)
    begin = solve_lap(lap_case, sheet)
    reference = solve_lap(lap_case, sheet, initial_guess=begin)
    said = 0
    for effect in effects:
        moved = sheet.stepped(effect.item, effect.steps)
        if effect.value is None or moved is None:
            assert why(effect, spans) == ""
            continue
        lap = solve_lap(lap_case, moved, initial_guess=begin)
        lost = lap.column("time") - reference.column("time")
        assert sum(effect.corner_s) + effect.between_s == pytest.approx(effect.lap_s, abs=1e-9)
        assert effect.stirred_s == pytest.approx(np.abs(lost).sum(), abs=1e-9)
        words = why(effect, spans)
        said += bool(words)
        for verb, seconds, place in re.findall(r"(gains|loses) ([\d.]+) s (in corner \d+|between)", words):
            there = effect.between_s if place == "between" else effect.corner_s[int(place.split()[-1]) - 1]
            assert abs(there) == pytest.approx(float(seconds), abs=6e-4) and (there < 0.0) == (verb == "gains")
        if match := re.search(r"tread runs ([\d.]+) K (hotter|cooler)", words):
            largest = max(effect.tread_k, key=abs)
            assert abs(largest) == pytest.approx(float(match[1]), abs=0.06) and (largest > 0) == (match[2] == "hotter")
    assert said >= len(effects) // 2


def test_a_stiffer_front_bar_takes_more_of_the_load_and_the_nose_runs_wider() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    down, up = step_effects(lap_case, base_sheet(lap_case.car), [lap_case.car.item("bar_front")], spans=spans)
    assert up.front_load_pct > 0.3 and down.front_load_pct < -0.3
    assert "the front takes" in why(up, spans) and "more understeer" in why(up, spans)
    assert "the rear takes" in why(down, spans) and "more oversteer" in why(down, spans)
    still = replace(up, corner_s=(0.0,) * len(spans), between_s=0.0, corners=(), tread_k=(0.0,) * 4, top_ms=0.0, front_load_pct=0.0)
    assert why(still, spans) == "It hardly changes the lap anywhere." and why(replace(up, corner_s=()), spans) == ""
