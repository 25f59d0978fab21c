"""Pictures that answer: names find room, bars keep their scale and their distance, intervals are read back as they were given."""

import itertools
import random
from collections.abc import Sequence
from dataclasses import replace

import pytest

from apexcore.circuit.line import corners, racing_line
from apextrim.ui.circuit_map import Marker, map_view
from apextrim.ui.labels import placed
from apextrim.ui.map_bars import BarsMap, CornerValues, bars_map
from apextrim.ui.pictures import Plot
from apextrim.ui.whisker_plot import Estimate, WhiskerRow, whisker_plot
from tests.conftest import demo_circuit

Box = tuple[float, float, float, float]
_FRAME = Plot(760, 400, left=58, right=744, top=24, bottom=356)


def meet(a: Box, b: Box) -> bool:
    return min(a[2], b[2]) - max(a[0], b[0]) > 0.01 and min(a[3], b[3]) - max(a[1], b[1]) > 0.01


@pytest.mark.parametrize("seed", range(12))
def test_names_lie_on_nothing_and_the_first_ones_come_first(seed: int) -> None:
    draw = random.Random(seed)
    marks = [(draw.uniform(70, 730), draw.uniform(30, 350), draw.uniform(3, 12)) for _ in range(draw.randint(1, 90))]
    asked = [(*mark, "n" * draw.randint(3, 30)) for mark in marks]
    found = placed(asked, marks, _FRAME, 10)
    assert len(found) <= 10
    assert [text for *_, text in asked if any(one.text == text for one in found)] or not found
    boxes: list[Box] = []
    for one in found:
        wide = 5.0 * len(one.text)  # a narrow face: whatever is drawn is at least so wide
        left = one.x if one.anchor == "start" else one.x - wide
        boxes.append((left, one.y - 8.0, left + wide, one.y))
        assert left >= _FRAME.left and left + wide <= _FRAME.right + 8
    for box in boxes:
        assert not any(meet(box, (x - r, y - r, x + r, y + r)) for x, y, r in marks)
    assert not any(meet(a, b) for a, b in itertools.combinations(boxes, 2))


def test_a_name_alone_stands_beside_its_mark() -> None:
    (one,) = placed([(300.0, 200.0, 5.0, "Wing to 6")], [(300.0, 200.0, 5.0)], _FRAME, 10)
    assert one.anchor == "start" and 305.0 < one.x < 315.0 and abs(one.y - 200.0) < 8.0
    (other,) = placed([(730.0, 200.0, 5.0, "Wing to 6")], [(730.0, 200.0, 5.0)], _FRAME, 10)
    assert other.anchor == "end" and other.x < 725.0


def drawn(circuit: str, values: Sequence[float | None]) -> BarsMap:
    core = demo_circuit(circuit)
    line = racing_line(core, car_width_m=1.3)
    spans = corners(core, line)
    view = map_view(core, line, spans)
    return bars_map(view, [CornerValues(span.number, values, f"/{span.number}", span.name, 1) for span in spans])


@pytest.mark.parametrize("circuit", ["sallowmere_fen", "quernlow", "hollin_bowl"])
def test_bars_of_two_corners_do_not_overlap_and_stay_in_the_picture(circuit: str) -> None:
    found = drawn(circuit, [0.08, 0.42, 0.05, 0.22, None])
    boxes = [(block.x, block.y - max(bar.height for bar in block.bars), block.x + block.width, block.y) for block in found.blocks]
    assert len(boxes) == len(found.map.markers) > 1
    assert not any(meet(a, b) for a, b in itertools.combinations(boxes, 2))
    assert all(box[0] >= 0 and box[1] >= 0 and box[2] <= 760 and box[3] <= 400 for box in boxes)


@pytest.mark.parametrize("seed", range(6))
def test_sixteen_corners_anywhere_find_room(seed: int) -> None:
    draw = random.Random(seed)
    view = drawn("sallowmere_fen", [0.1]).map
    markers = []
    for n in range(1, 17):
        x, y = draw.uniform(30, 730), draw.uniform(30, 370)
        markers.append(Marker(n, str(n), x, y, x + 10.0, y))
    values = [0.08, 0.42, 0.05, 0.22, 0.1]
    found = bars_map(replace(view, markers=markers), [CornerValues(n, values, "", "") for n in range(1, 17)])
    boxes = [(block.x, block.y - max(bar.height for bar in block.bars), block.x + block.width, block.y) for block in found.blocks]
    assert len(boxes) == 16 and not any(meet(a, b) for a, b in itertools.combinations(boxes, 2))
    assert all(box[0] >= 0 and box[1] >= 0 and box[2] <= 760 and box[3] <= 400 for box in boxes)


def test_bars_are_as_tall_as_they_are_large_and_one_stands_out() -> None:
    found = drawn("sallowmere_fen", [0.1, 0.4, None, 0.2])
    for block in found.blocks:
        heights = [bar.height for bar in block.bars]
        assert heights[1] / heights[0] == pytest.approx(4.0) and heights[2] / heights[0] == pytest.approx(2.0)
        assert [bar.kind for bar in block.bars] == [1, 2, 4]  # what is not there leaves its place empty
        assert [bar.marked for bar in block.bars] == [False, True, False]
        assert found.scale_px / found.scale_value == pytest.approx(heights[0] / 0.1)
    assert [block.first for block in found.blocks].count(True) == 1


def test_nothing_lost_anywhere_is_a_row_of_flat_bars() -> None:
    found = drawn("sallowmere_fen", [0.0, 0.0])
    assert found.scale_px == 0.0 and all(bar.height < 2.0 for block in found.blocks for bar in block.bars)


def test_intervals_are_read_back_from_where_they_stand() -> None:
    rows = [
        WhiskerRow("a", (Estimate(-0.7, -0.38, -0.06), Estimate(-0.81, -0.67, -0.52)), "a"),
        WhiskerRow("b", (None, Estimate(-0.26, 0.04, 0.34)), "b"),
    ]
    plot = whisker_plot(rows, ("modelled", "measured"), "of two", "s", lambda value: f"{value:.2f}", least=0.05)
    assert plot is not None
    low, high, start, end = (float(part) for part in plot.x.ends.split())

    def value(at: float) -> float:
        return low + (at - start) / (end - start) * (high - low)

    for row, one in zip(plot.rows, rows, strict=True):
        there = [(kind, estimate) for kind, estimate in enumerate(one.estimates, start=1) if estimate is not None]
        assert [whisker.kind for whisker in row.whiskers] == [kind for kind, _ in there]
        for whisker, (_, estimate) in zip(row.whiskers, there, strict=True):
            read = (value(whisker.x1), value(whisker.x), value(whisker.x2))
            assert read == pytest.approx((estimate.low, estimate.middle, estimate.high), abs=1e-3)
            assert whisker.opens == (False, False)
    assert value(plot.zero) == pytest.approx(0.0, abs=1e-3)


def test_an_interval_that_says_nothing_does_not_hide_the_others() -> None:
    rows = [WhiskerRow(str(n), (Estimate(-0.1, 0.0, 0.1),), "") for n in range(4)] + [WhiskerRow("wide", (Estimate(-50.0, 1.0, 60.0),), "")]
    plot = whisker_plot(rows, ("measured",), "of one", "s", lambda value: f"{value:.1f}")
    assert plot is not None
    narrow, wide = plot.rows[0].whiskers[0], plot.rows[-1].whiskers[0]
    assert wide.opens == (True, True) and narrow.opens == (False, False)
    assert narrow.x2 - narrow.x1 > 20.0 and plot.plot.left <= wide.x1 and wide.x2 <= plot.plot.right
    assert whisker_plot([], (), "", "", str) is None
