"""The map of steps: where each stands, how large, hollow or filled, and what is said of them all."""

import random
import re
from collections.abc import Sequence
from itertools import pairwise

import pytest

from apexcore.trim.moves.effects import StepEffect
from apexcore.vehicle.car import Car
from apextrim.workshop.search_stairs import search_stairs
from apextrim.workshop.step_map import StepMap, balance_pct, sentence_of, step_map


def effect(car: Car, key: str, steps: int, lap_s: float, balance: float, work: float = 0.0) -> StepEffect:
    item = car.item(key)
    cells = {("slow", "mid"): balance, ("fast", "mid"): balance, ("fast", "exit"): None}
    still = (0.0, 0.0, 0.0, 0.0)
    return StepEffect(item, steps, float(steps), lap_s, 0.0, cells, still, (work, 0.0, 0.0, -0.2 * work), 0.0, (), 0.0, 0.0)


def keys(car: Car) -> list[str]:
    return [item.key for item in car.items if not item.damper_only]


def drawn(effects: Sequence[StepEffect]) -> StepMap:
    found = step_map(effects, lambda one: f"/{one.item.key}/{one.steps}")
    assert found is not None
    return found


def spot(found: StepMap, one: StepEffect) -> tuple[float, float, float, str]:
    (there,) = [spot for spot in found.spots if spot.href == f"/{one.item.key}/{one.steps}"]
    return there.x, there.y, there.r, there.kind


def test_quicker_is_above_understeer_is_right_and_work_is_large(car: Car) -> None:
    a, b, *_ = keys(car)
    quick, slow = effect(car, a, 1, -0.1, 0.5, 0.02), effect(car, b, -1, 0.1, -0.5, -0.002)
    even = effect(car, a, -1, 0.001, 0.0)
    found = drawn([quick, slow, even])
    (qx, qy, qr, qk), (sx, sy, sr, sk), (ex, ey, er, ek) = spot(found, quick), spot(found, slow), spot(found, even)
    assert qy < ey < sy and sx < ex < qx and qr > sr > er
    assert (qk, sk, ek) == ("gain", "loss", "even")
    assert found.zero[0] == pytest.approx(0.5 * (qx + sx)) and sy > found.zero[1] > qy
    assert [one.href for one in found.spots if one.first] == [f"/{a}/1"]


@pytest.mark.parametrize("seed", range(8))
def test_every_step_stands_where_its_numbers_say_and_counts_add_up(car: Car, seed: int) -> None:
    draw = random.Random(seed)
    effects = [
        effect(car, key, steps, draw.gauss(0.0, 0.03), draw.gauss(0.0, 0.4), draw.gauss(0.0, 0.01))
        for key in keys(car)
        for steps in (-1, 1)
    ]
    found = drawn(effects)
    (x_low, x_high, x_start, x_end), (y_low, y_high, y_start, y_end) = (map(float, axis.ends.split()) for axis in (found.x, found.y))
    for one in effects:
        x, y, _, kind = spot(found, one)
        assert x_low + (x - x_start) / (x_end - x_start) * (x_high - x_low) == pytest.approx(balance_pct(one), abs=1e-3)
        read = y_low + (y - y_start) / (y_end - y_start) * (y_high - y_low)
        assert read == pytest.approx(one.lap_s, abs=1e-4) or abs(one.lap_s) > abs(read) > 0.0  # one that stands alone is held at the edge
        assert kind == ("even" if abs(one.lap_s) <= one.spread_s else "gain" if one.lap_s < 0 else "loss")
    quick = [one for one in effects if one.is_clear and one.lap_s < 0]
    slow = [one for one in effects if one.is_clear and one.lap_s > 0]
    counts = [
        int(number)
        for number in re.findall(r"(?<![\d.])(\d+) (?:steps are|are|is)|of (\d+) no", found.sentence)
        for number in number
        if number
    ]
    said = [count for count in (len(quick) if len(quick) > 1 else 0, len(slow)) if count]
    assert counts == [*said, len(effects) - len(quick) - len(slow)]


def test_a_step_far_from_all_others_is_held_at_the_edge_and_says_its_seconds(car: Car) -> None:
    names = keys(car)
    effects = [effect(car, key, 1, 0.004 * n, 0.1 * n) for n, key in enumerate(names[:8])] + [effect(car, names[8], 1, 2.5, 0.3)]
    found = drawn(effects)
    far, near = spot(found, effects[-1]), spot(found, effects[7])
    assert far[1] > near[1] and any("+2.50 s" in label.text for label in found.labels)
    heights = {round(spot(found, one)[1]) for one in effects}
    assert len(heights) >= 8  # the others are not pressed together


def test_what_is_not_to_be_taken_is_crossed_and_never_the_best(car: Car) -> None:
    a, b, c, *_ = keys(car)
    effects = [effect(car, a, 1, -0.5, 0.1), effect(car, b, 1, -0.2, 0.1), effect(car, c, 1, 0.001, 0.1)]
    found = step_map(effects, lambda one: one.item.key, lambda one: "outside the class limits" if one.item.key == a else "")
    assert found is not None and {one.href: one.kind for one in found.spots} == {a: "barred", b: "gain", c: "even"}
    assert car.item(b).name in found.sentence and car.item(a).name not in found.sentence
    assert car.item(b).name in found.first_words
    (crossed,) = [one for one in found.spots if one.kind == "barred"]
    assert crossed.words.endswith("; outside the class limits.")
    none = step_map(effects, lambda one: one.item.key, lambda one: "outside the class limits")
    assert none is not None and none.sentence.startswith("No single step that the car and its class allow is clearly quicker: none are")


def test_nothing_to_draw_is_none_and_dampers_stay_away(car: Car) -> None:
    assert step_map([], lambda one: "") is None
    dampers = [item for item in car.items if item.damper_only]
    assert dampers and step_map([effect(car, dampers[0].key, 1, 0.0, 0.0)], lambda one: "") is None


def test_a_sign_a_word_and_a_spread_never_contradict(car: Car) -> None:
    key = keys(car)[0]
    assert "no difference seen" in sentence_of(effect(car, key, 1, -0.002, 0.0)) and "quicker" not in sentence_of(
        effect(car, key, 1, -0.002, 0.0)
    )
    told = sentence_of(effect(car, key, 1, -0.2, -0.6, 0.03))
    assert "s quicker ±" in told and "0.6 % more oversteer" in told and "3.0 % harder" in told
    assert "balance as it was" in sentence_of(effect(car, key, 1, 0.2, 0.0)) and "tyres work as before" in sentence_of(
        effect(car, key, 1, 0.2, 0.0)
    )


def test_the_stairs_of_a_search_add_up_and_say_which_way_is_better() -> None:
    changes = [("Rear wing", -2, -0.10, "/1"), ("Front anti-roll bar", 1, 0.02, "/2"), ("Toe", 1, -0.05, "/3")]
    found = search_stairs(changes, "s", better_up=False)
    assert found is not None and [one.better for one in found.stairs] == [True, False, True]
    low, high, start, end = (float(part) for part in found.y.ends.split())

    def value(at: float) -> float:
        return low + (at - start) / (end - start) * (high - low)

    edges = [(value(one.y), value(one.y + one.height)) for one in found.stairs]
    assert edges == [pytest.approx((0.0, -0.1), abs=1e-4), pytest.approx((-0.08, -0.1), abs=1e-4), pytest.approx((-0.08, -0.13), abs=1e-4)]
    assert value(found.zero) == pytest.approx(0.0, abs=1e-4)
    assert found.stairs[2].words == "Toe, +1 step: −0.050 s, −0.130 s with all before it." and found.stairs[2].href == "/3"
    faster = search_stairs(changes[:1], "km/h", better_up=True)
    assert faster is not None and not faster.stairs[0].better and search_stairs([], "s", better_up=False) is None


def test_forty_changes_find_room_side_by_side() -> None:
    found = search_stairs([(f"Item number {n}", 1, -0.001 * n, "") for n in range(40)], "s", better_up=False)
    assert found is not None
    for before, after in pairwise(found.stairs):
        assert before.x + before.width <= after.x + 1e-6
    assert all(one.width > 0.0 and one.x >= found.plot.left - 1e-6 for one in found.stairs)
