"""Lines drawn by hand, hazards, the ten lines, sectors and lanes over a run, against what they must be."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.features import Marker
from apexcore.circuit.line import Line, half_room_m, offset_line
from apexcore.circuit.lines import lane_line
from apexcore.circuit.track import centre_line
from apexcore.errors import InputError
from apexcore.lap.misses import misses
from apexcore.lap.solver import run_at
from apexcore.lap.stint import Stint, solve_stint
from apexcore.trim.book.proposal import BookDesk
from apexcore.trim.corner import Told
from apexcore.trim.drawn import PLACES, drawn, drawn_choice, handles
from apexcore.trim.hazards import hazards
from apexcore.trim.reading.summary import sector_times_s, ten_lines
from apexcore.trim.rotation import rotations
from apexcore.vehicle.sheet import base_sheet
from tests.amounts import many
from tests.apexcore.trim.test_book import desks


@pytest.mark.parametrize(
    ("car", "name"), [("brackendale_gt", "sallowmere_fen"), ("drummock_stallard", "hollin_bowl"), ("wisp_125", "quernlow")]
)
def test_a_drawn_line_goes_through_its_places_stays_on_the_road_and_is_smooth(car: str, name: str) -> None:
    rng = np.random.default_rng(3)
    for desk in desks(car, name)[:4]:
        places, half = handles(desk.desk, desk.circuit), half_room_m(desk.circuit.width_m, desk.desk.lap_case.car.width_m)
        assert len(places) == PLACES and all(place.low_m <= 0.0 <= place.high_m for place in places)
        usual = desk.desk.lap_case.line
        for _ in range(8):
            moves = [float(rng.uniform(0.4 * place.low_m, 0.4 * place.high_m)) for place in places]
            try:
                line = drawn(desk.desk, desk.circuit, moves)
            except InputError:  # it would leave the road between two places
                continue
            assert np.abs(line.offset).max() <= max(half, np.abs(usual.offset).max()) + 0.2
            for place, move in zip(places, moves, strict=True):
                assert abs(line.offset[place.station] - usual.offset[place.station] - move) < 0.12 * max(map(abs, moves)) + 0.12
            metres = (np.arange(desk.desk.n) - places[0].station) % desk.desk.n * desk.ds
            behind = (places[-1].station - places[0].station) % desk.desk.n * desk.ds
            far = (metres > behind + 75.0) & (metres < desk.way.length_m - 75.0)
            assert np.array_equal(line.offset[far], usual.offset[far])


def test_no_move_changes_nothing_and_what_leaves_the_road_is_told_with_its_place() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0]
    choice, line = drawn_choice(desk.desk, desk.circuit, [0.0] * PLACES)
    assert choice.here_s == 0.0 and choice.lap_s == 0.0 and np.array_equal(line.offset, desk.desk.lap_case.line.offset)
    with pytest.raises(InputError, match=r"line at place 3, .* m: “\+30.00 m” is not valid; expected .* the road ends there"):
        drawn(desk.desk, desk.circuit, [0, 0, 30.0, 0, 0])


def test_a_drawn_lines_seconds_are_those_of_a_lap_on_it() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[4]
    moves = [0.3 * (place.low_m if k % 2 else place.high_m) for k, place in enumerate(handles(desk.desk, desk.circuit))]
    choice, line = drawn_choice(desk.desk, desk.circuit, moves)
    core = desk.desk
    other = offset_line(centre_line(desk.circuit), line.offset)
    lap = run_at(replace(core.lap_case, line=other), core.ready, core.lap.tyres, other, core.lap.ripple)
    assert choice.lap_s == pytest.approx(lap.time_s - core.lap.time_s, abs=1e-9)
    assert choice.here_s == pytest.approx(choice.lap_s, abs=3e-3)  # the stretch holds what the lap shows


def test_the_spread_is_that_of_cases_solved_anew() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0].desk
    told = Told(braking=0.7)
    spread = desk.choice(told, spread=True).spread_s
    assert 0.0 < spread < 0.5 * desk.choice(told).here_s + 0.05
    cost = []
    rng = np.random.default_rng(8)
    for _ in range(40):  # drawn at random, not one by one
        driver = desk.lap_case.driver
        moved = replace(driver, ability=driver.ability - 0.02 * abs(rng.normal()), braking=min(driver.braking - 0.03 * rng.normal(), 1.0))
        other = type(desk)(replace(desk.lap_case, driver=moved), desk.sheet, desk.lap, desk.spans, 1, desk.half_m)
        usual = other._run(other.lap_case, other.ready)
        there = desk.stations(desk.begin, desk.until)
        cost.append(float((other._run(other.lap_case, other.ready, told).column("time") - usual.column("time"))[there].sum()))
    assert 0.3 * spread < 1.96 * np.std(cost) < 2.5 * spread


def test_hazards_say_how_the_lap_crosses_them() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[2]
    middle = desk.place_m
    markers = (
        Marker(kind="bump", at_m=middle, name="in the middle", height_mm=20), Marker(kind="kerb", at_m=middle, side="right", height_mm=20),
        Marker(kind="kerb", at_m=middle + 5, side="right", name="sausage", height_mm=80),
        Marker(kind="dirt", at_m=middle + 10, side="left", name="beyond the exit"), Marker(kind="worn", at_m=middle - 5, name="the crest"),
        Marker(kind="seam", at_m=middle, name="new tarmac"), Marker(kind="board", at_m=middle - 60),
        Marker(kind="bump", at_m=(middle + 1500) % 3000, name="elsewhere"),
    )  # fmt: skip
    said = hazards(BookDesk(desk.circuit.model_copy(update={"markers": markers}), desk.desk))
    assert "Bump in the middle, 20 mm: crossed with steering on." in said and "Dirt beyond the edge on the left: beyond the exit." in said
    assert "Kerb sausage on the right, 80 mm: high enough to throw the car." in said and "Slides on worn tyres: the crest." in said
    assert "Surface joint new tarmac: crossed with steering on." in said and len(said) == 5


def test_sectors_make_the_lap_and_ten_lines_say_its_numbers() -> None:
    for car, name in (("brackendale_gt", "sallowmere_fen"), ("drummock_stallard", "hollin_bowl")):
        desk = desks(car, name)[0]
        lap, case, spans = desk.desk.lap, desk.desk.lap_case, desk.desk.spans
        sectors = sector_times_s(desk.circuit, lap)
        assert sum(sectors) == pytest.approx(lap.time_s, abs=1e-9) and len(sectors) == len(desk.circuit.sectors_m) + 1
        ends = [*desk.circuit.sectors_m, desk.way.length_m]
        by_hand = [float(lap.column("time")[: round(at / desk.ds)].sum()) for at in ends]
        assert np.cumsum(sectors) == pytest.approx(by_hand, abs=0.05)
        lines = ten_lines(desk.circuit, case, lap, spans, misses(desk.circuit, case, base_sheet(case.car), lap, spans))
        assert len(lines) == 10 and all(line.endswith(".") for line in lines)
        assert f"{3.6 * lap.column('speed').max():.0f} km/h" in lines[1]
        flat = float(lap.column("time")[lap.column("throttle") > 0.98].sum()) / lap.time_s
        assert lines[2].startswith(f"{100 * flat:.0f} %")


@pytest.mark.thorough
def test_lanes_over_a_run_are_stints_on_their_lines_and_outside_tyres_pay_for_the_high_one() -> None:
    desk = desks("drummock_stallard", "hollin_bowl")[0]
    case, sheet = desk.desk.lap_case, base_sheet(desk.desk.lap_case.car)
    low, middle, high, turn, change = rotations(desk.circuit, case, sheet, 30.0, 6)
    lines = [lane_line(desk.circuit, lane, 3, car_width_m=case.car.width_m) for lane in (1, 2, 3)]
    alone = solve_stint(replace(case, line=lines[0]), sheet, 30.0, 6)
    assert low.total_s == pytest.approx(sum(lap.lap.time_s for lap in alone), abs=1e-9)
    assert low.lap_s(2) == alone[1].lap.time_s and low.lap_s(7) is None and low.last_s == alone[-1].lap.time_s
    work = alone[-1].lap.slip_energy_j
    assert low.front_work == pytest.approx(sum(work[:2]) / sum(work))
    assert low.total_s < middle.total_s < high.total_s and low.words == "bottom all the way" and high.words == "top all the way"
    # in turn it is as quick as both are on average: each line has its own heat along the lap
    assert turn.total_s == pytest.approx(0.5 * (low.total_s + high.total_s), abs=0.12)
    assert low.worn[3] > low.worn[2] and high.worn[3] > high.worn[2]  # it turns left: the right ones are outside

    def in_lines(driven: list[Line]) -> float:
        run, on = Stint(replace(case, line=driven[0]), sheet, 30.0), {id(line): replace(case, line=line) for line in lines}
        return sum(run.lap(on[id(line)]).lap.time_s for line in driven)

    # the one change that it names, against all changes one by one
    best = min(
        in_lines([lines[a]] * after + [lines[b]] * (6 - after))
        for a in range(3) for b in range(3) if a != b for after in many([1, 3, 5], list(range(1, 6)))
    )  # fmt: skip
    assert change.total_s == pytest.approx(best, abs=0.01) and "until lap" in change.words
    with pytest.raises(InputError, match="two lanes"):
        rotations(desk.circuit.model_copy(update={"lanes": 1}), case, sheet, 30.0, 4)
