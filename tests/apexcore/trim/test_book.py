"""A corner's page: places as people type them, the model's proposal, and what a page tells the driver."""

import random

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.features import Marker
from apexcore.circuit.line import corners, racing_line
from apexcore.circuit.moves import Corner, known_by, moved_to
from apexcore.errors import InputError
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import LapCase, also_told, solve_lap
from apexcore.trim.book.fields import FIELDS, VARIANTS, Entered, read_field, sentence
from apexcore.trim.book.marks import Approach, Mark, approach_of, read_place, told_by
from apexcore.trim.book.proposal import BookDesk, along_line, along_middle, variant_lap
from apexcore.trim.corner import CornerDesk
from apexcore.vehicle.sheet import base_sheet
from tests.conftest import demo_car, demo_circuit

WAY = Approach(
    2900.0, 700.0, 3300.0, True,
    (Mark("1st board", 370.0, ""), Mark("150 board", 370.0, ""), Mark("2nd board", 420.0, ""), Mark("exit kerb, flat", 590.0, "")),
)  # fmt: skip


@pytest.mark.parametrize(
    ("typed", "at_m", "text"),
    [
        ("2nd board -8", 412.0, "2nd board −8 m"),
        ("2nd  Board −8 m", 412.0, "2nd board −8 m"),
        ("second board -8", 412.0, "2nd board −8 m"),
        ("8 m before the 2nd board", 412.0, "2nd board −8 m"),
        ("12,5 after 150 board", 382.5, "150 board +12.5 m"),
        ("150 board", 370.0, "150 board"),
        ("exit kerb, flat +3", 593.0, "exit kerb, flat +3 m"),
        ("401", 401.0, "401 m"),
        ("3150 m", 3150.0, "3150 m"),
        ("2nd board + 0", 420.0, "2nd board"),
        ("2nd board -26 ft", 412.1, "2nd board −7.9 m"),
        ("1316ft", 401.0, "401 m"),
    ],
)
def test_a_place_is_read_as_people_type_it(typed: str, at_m: float, text: str) -> None:
    found = read_place(typed, WAY, "Brake or lift at")
    assert (found.at_m, found.text) == (at_m, text)
    assert read_place(found.text, WAY, "again") == found  # what the book has is read as the same


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        ("3rd board -8", "1st board, 150 board, 2nd board"),
        ("2nd board -900", "0 to 200 m"),
        ("9999", "0 to 3300 m"),
        ("1500", "a place of this corner, 2900 m to 700 m"),
        ("-40", "metres from the start"),
        ("2nd board -", "metres from the start"),
        ("", "a mark such as"),
        ("x" * 500, "a mark such as"),
        ("1,200", "with no comma for thousands"),
        ("٣", "metres from the start"),
    ],
)
def test_a_place_that_cannot_be_is_told_with_what_can(typed: str, said: str) -> None:
    with pytest.raises(InputError) as told:
        read_place(typed, WAY, "Brake or lift at")
    assert said in str(told.value) and str(told.value).startswith("Brake or lift at")


def test_any_text_is_a_place_or_an_error() -> None:
    rng = random.Random(4)
    letters = "1st2nd board -+−8 m,.beforeafterthe\t\u0130ß\u200b()[]*\\"
    for _ in range(3000):
        text = "".join(rng.choice(letters) for _ in range(rng.randint(0, 30)))
        try:
            found = read_place(text, WAY, "p")
        except InputError:
            continue
        assert WAY.holds(found.at_m) and read_place(found.text, WAY, "p").at_m == pytest.approx(found.at_m, abs=0.5)


def test_marks_are_numbered_in_driving_order_and_a_name_wins() -> None:
    circuit = demo_circuit("sallowmere_fen")
    keys = [mark.key for mark in approach_of(circuit, 2985.0, 768.0, 570.0).marks]
    assert keys[:4] == ["1st board", "150 board", "2nd board", "100 board"]
    named = circuit.model_copy(update={"markers": (*circuit.markers, Marker(kind="board", at_m=300, side="left", name="2nd board"))})
    told = {mark.key: mark.at_m for mark in approach_of(named, 2985.0, 768.0, 570.0).marks}
    assert told["2nd board"] == 300 and told["3rd board"] == 420  # the name, not the second in order
    behind = approach_of(circuit, 2519.0, 570.0, 2985.0).marks
    assert not any(mark.at_m in (370.0, 420.0) for mark in behind)  # boards behind a corner are the next one's


def test_a_place_is_told_from_the_nearest_mark() -> None:
    assert told_by(412.4, WAY).text == "2nd board −8 m" and told_by(3100.0, WAY).text == "3100 m"
    for at in np.linspace(2901, 3299, 40):
        assert abs(read_place(told_by(float(at), WAY).text, WAY, "p").at_m - at) <= 0.5


def desks(car: str, name: str) -> list[BookDesk]:
    circuit, core = demo_circuit(name), demo_car(car)
    line = racing_line(circuit, car_width_m=core.width_m)
    case = LapCase(core, line, Conditions(), (core.tyres.compounds[0],) * 2, driver=LEVELS["front runner"])
    sheet, spans = base_sheet(case.car), corners(circuit, case.line)
    lap = solve_lap(case, sheet)
    return [BookDesk(circuit, CornerDesk(case, sheet, lap, spans, span.number, 0.5 * circuit.width_m)) for span in spans]


@pytest.mark.parametrize(
    ("car", "name"), [("brackendale_gt", "sallowmere_fen"), ("drummock_stallard", "hollin_bowl"), ("wisp_125", "quernlow")]
)
def test_every_proposal_is_a_page_that_the_book_takes_and_that_changes_nothing(car: str, name: str) -> None:
    for desk in desks(car, name):
        page = desk.proposal()
        gears = len(desk.desk.lap_case.car.powertrain.gears)
        entered = {key: read_field(key, text, desk.way, gears) for key, text in page.items()}
        assert all(value is not None for value in entered.values()) and page["way"] == desk.technique.way
        assert sentence(page)
        only_mark = {"mark": entered["mark"]} if "mark" in entered else {}
        told, left = desk.orders({key: value for key, value in only_mark.items() if value is not None})
        assert not left
        lap = solve_lap(also_told(desk.desk.lap_case, told), base_sheet(desk.desk.lap_case.car))
        assert abs(lap.time_s - desk.desk.lap.time_s) < 0.012  # a mark told in whole metres is the model's own


def test_a_mark_before_the_models_costs_the_more_the_earlier_and_one_behind_is_said() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0]
    start = desk.technique.read.brake_start_m
    assert start is not None
    middle = along_middle(desk.desk.lap_case.line, start, desk.ds)
    costs = []
    for metres in (5.0, 15.0, 30.0):
        told, left = desk.orders({"mark": Entered("mark", middle - metres)})
        assert not left
        braked = solve_lap(also_told(desk.desk.lap_case, told), base_sheet(desk.desk.lap_case.car))
        costs.append(braked.time_s - desk.desk.lap.time_s)
        speed, usual = braked.column("speed"), desk.desk.lap.column("speed")
        slower = np.flatnonzero(speed < usual - 0.3)
        assert abs(desk.desk.s[slower[0]] - (start - metres)) < 6.0  # it is slower from the mark on, not before
    assert 0.02 < costs[0] < costs[1] < costs[2]
    told, left = desk.orders({"mark": Entered("mark", middle + 12.0)})
    assert not told and "12 m behind" in left[0]


def test_a_page_tells_the_driver_what_it_says() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0]
    gears = len(desk.desk.lap_case.car.powertrain.gears)

    def lap_with(**typed: str):  # type: ignore[no-untyped-def]
        page = {key: read_field(key, text, desk.way, gears) for key, text in typed.items()}
        told, _ = desk.orders({key: value for key, value in page.items() if value is not None})
        return solve_lap(also_told(desk.desk.lap_case, told), base_sheet(desk.desk.lap_case.car))

    since = desk.desk.stations(desk.desk.begin, desk.desk.apex)
    assert lap_with(way="lift").column("brake")[since].max() < 1e-3
    assert lap_with(brake="40").column("brake")[since].max() <= 0.4 + 1e-9
    assert lap_with(gear="2").column("gear")[desk.desk.apex] == 2
    assert lap_with(coast="30").time_s > desk.desk.lap.time_s
    shared = lap_with(share="50", throttle="kerb -12", full="kerb +40")
    first, last = (int(np.searchsorted(desk.desk.s, along_line(desk.desk.lap_case.line, at, desk.ds))) for at in (580.0, 628.0))
    assert shared.column("throttle")[first + 1 : last - 1].max() <= 0.501


def test_each_way_of_driving_has_its_lap_and_they_differ_as_they_must() -> None:
    desk = desks("brackendale_gt", "sallowmere_fen")[0]
    case, sheet, usual = desk.desk.lap_case, base_sheet(desk.desk.lap_case.car), desk.desk.lap
    laps = {variant: variant_lap(case, sheet, variant, usual) for variant in VARIANTS}
    assert laps["qualifying"].lap is usual and laps["defending"] is None  # type: ignore[union-attr]
    for variant in ("race", "cold", "full", "wet"):
        assert laps[variant].lap.time_s > usual.time_s + 0.05, variant  # type: ignore[union-attr]
    assert max(laps[v].lap.time_s for v in ("race", "cold", "full")) < laps["wet"].lap.time_s  # type: ignore[union-attr]


def test_what_is_typed_in_each_field_is_read_or_told() -> None:
    assert read_field("gear", "3", WAY, 6) == Entered("3") and read_field("brake", "80", WAY, 6) == Entered("80 %")
    assert read_field("room", "0,5", WAY, 6) == Entered("0.5 m") and read_field("apex", " Late ", WAY, 6) == Entered("late")
    assert read_field("kerb_in", "use it", WAY, 6) == Entered("use") and read_field("hazards", "   ", WAY, 6) is None
    for key, text, said in (
        ("gear", "9", "1 to 6"),
        ("brake", "120", "0 to 100"),
        ("apex", "sideways", "early"),
        ("hazards", "x" * 401, "401"),
    ):
        with pytest.raises(InputError, match=said):
            read_field(key, text, WAY, 6)
    assert len({field.key for field in FIELDS}) == len(FIELDS)


def test_corners_are_known_again() -> None:
    names = [Corner(1, "A", 0.1), Corner(2, "", 0.3), Corner(3, "", 0.35), Corner(4, "D", 0.8)]
    assert moved_to(names, names) == {1: 1, 2: 2, 3: 3, 4: 4}
    joined = [Corner(1, "A", 0.1), Corner(2, "", 0.32), Corner(3, "D", 0.8)]
    assert moved_to(names, joined) == {1: 1, 2: 2, 3: 2, 4: 3}
    assert moved_to(names, []) == {} and moved_to([Corner(1, "", 0.99)], [Corner(1, "", 0.5), Corner(2, "", 0.02)]) == {1: 2}
    circuit = demo_circuit("sallowmere_fen")
    line = racing_line(circuit)
    spans = corners(circuit, line)
    longer = circuit.model_copy(update={"segments": (circuit.segments[0].model_copy(update={"length_m": 560}), *circuit.segments[1:])})
    there = racing_line(longer)
    assert moved_to(known_by(spans, len(line.s)), known_by(corners(longer, there), len(there.s))) == {n: n for n in range(1, 10)}


def test_a_distance_along_the_middle_and_along_the_line_are_each_others_inverse() -> None:
    desk = desks("drummock_stallard", "hollin_bowl")[0]
    line = desk.desk.lap_case.line
    for at in np.linspace(0, line.length_m - 1, 25):
        assert along_line(line, along_middle(line, float(at), desk.ds), desk.ds) == pytest.approx(at, abs=1e-6)
