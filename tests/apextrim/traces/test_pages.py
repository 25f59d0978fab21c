"""Two laps on a page, their charts' data, and a run corner by corner."""

import json
import re
from collections.abc import Callable

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from apexcore.formats.packed import pack
from apexcore.virtual.world import true_car
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.runs import logger
from apextrim.runs.models import Chunk, LapTrace, Run
from apextrim.runs.recorded import build, put_samples, recorded_lap
from apextrim.sheets.models import Sheet
from apextrim.traces import compare
from apextrim.traces.car_reading import known_of

from .test_bring import words


def traces(event: Event) -> str:
    return reverse("traces", args=[event.pk])


@pytest.fixture
def run(event: Event, first: Sheet, drive: Callable[..., Run]) -> Run:
    return drive(first, 1)


def keys(run: Run) -> dict[int, str]:
    """Key of each lap's trace by the lap's number."""
    return {number: str(pk) for number, pk in LapTrace.objects.filter(lap__run=run).values_list("lap__number", "pk")}


def test_two_laps_of_a_run_are_compared_and_add_up(client_in: Client, event: Event, run: Run) -> None:
    there = keys(run)
    page = client_in.get(traces(event), {"lap": there[2], "reference": there[3]})
    pair = page.context["pair"]
    one, two = (run.laps.get(number=number).time_s for number in (2, 3))
    assert page.status_code == 200 and pair.comparison.gap_s == pytest.approx(one - two, abs=1e-3)
    assert sum(row.total_s for row in pair.comparison.rows) == pytest.approx(pair.comparison.gap_s, abs=1e-9)
    text = words(page)
    side = "slower" if one > two else "quicker"
    assert f"R1 lap 2: {abs(one - two):.2f} s {side} than R1 lap 3" in text or f"{abs(one - two):.3f} s {side}" in text
    assert len(page.context["readings"]) == len(pair.comparison.rows) - 1 and "Every corner of both laps" in text
    table = page.context["table"]
    assert table[0].gap_s == 0.0 and table[-1].gap_s == pytest.approx(pair.comparison.gap_s)


def test_what_the_charts_draw_is_what_the_page_says(client_in: Client, event: Event, run: Run) -> None:
    there = keys(run)
    asked = {"lap": there[2], "reference": "model", "channels": "rpm|speed_kmh|nonsense|x_m"}
    data = client_in.get(reverse("traces_data", args=[event.pk]), asked).json()
    page = client_in.get(traces(event), {"lap": there[2], "reference": "model"})
    assert data["gap"][-1] == pytest.approx(page.context["pair"].comparison.gap_s, abs=1e-3) and data["reference"] == "the model"
    assert [one["key"] for one in data["channels"]] == ["rpm", "speed_kmh"]
    assert all(len(one["lap"]) == len(one["reference"]) == len(data["place"]) for one in data["channels"])
    lap = recorded_lap(LapTrace.objects.get(pk=there[2]))
    assert max(data["channels"][1]["lap"]) == pytest.approx(float(lap.columns["speed_kmh"].max()), abs=1.0)
    assert [one["number"] for one in data["corners"]] == list(range(1, 10)) and len(data["map"]["x"]) == len(data["place"])
    bare = client_in.get(reverse("traces_data", args=[event.pk]), {"lap": there[2], "reference": there[3], "channels": "-"}).json()
    assert bare["channels"] == []


def test_the_usual_pair_is_the_newest_beside_the_best(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    empty = words(client_in.get(traces(event)))
    assert "No lap is recorded yet" in empty
    runs = [drive(first, seed) for seed in (1, 2)]
    page = client_in.get(traces(event))
    timed = [lap for run in runs for lap in run.laps.filter(kind="timed")]
    best = min(timed, key=lambda lap: lap.time_s)
    last = min((lap for lap in timed if lap.run_id == runs[1].pk), key=lambda lap: lap.time_s)
    pair = page.context["pair"]
    assert pair.lap.trace.lap_id == last.pk
    assert pair.reference.key == ("model" if last.pk == best.pk else str(best.trace.pk))


def test_laps_that_are_not_there_or_not_ones_own(client_in: Client, event: Event, run: Run, stranger: Client) -> None:
    there = keys(run)
    for lap in ("9999999", "x", "1" * 30):
        assert client_in.get(traces(event), {"lap": lap, "reference": there[2]}).status_code == 404
    strange = Event.objects.exclude(owner=event.owner).get()
    assert stranger.get(traces(strange), {"lap": there[2], "reference": "model"}).status_code == 404
    assert stranger.get(reverse("traces_data", args=[strange.pk]), {"lap": there[2], "reference": "model"}).status_code == 404
    run.deleted_at = event.made_at
    run.save()
    assert client_in.get(traces(event), {"lap": there[2], "reference": there[3]}).status_code == 404


def spoilt(trace_pk: str, **changes: Callable[[np.ndarray], np.ndarray]) -> None:
    """Changes channels of a trace."""
    trace = LapTrace.objects.select_related("lap").get(pk=trace_pk)
    lap = recorded_lap(trace)
    columns = {key: changes[key](column) if key in changes else column for key, column in lap.columns.items()}
    LapTrace.objects.filter(pk=trace_pk).update(data=pack(lap.t, columns))


def test_laps_that_cannot_be_compared_say_why(client_in: Client, event: Event, run: Run) -> None:
    there = keys(run)
    asked = {"lap": there[2], "reference": there[3]}
    spoilt(there[2], distance_m=lambda way: way / 1.609344)
    page = client_in.get(traces(event), asked)
    assert page.status_code == 422 and "its speed looks like mph" in words(page) and "Compare laps" in words(page)
    assert client_in.get(reverse("traces_data", args=[event.pk]), asked).status_code == 422
    spoilt(there[2], distance_m=lambda way: way * 1.609344, x_m=lambda x: x[::-1], y_m=lambda y: y[::-1])
    assert "driven the other way round" in words(client_in.get(traces(event), asked))
    spoilt(there[2], x_m=lambda x: x * 0.3 + 40.0 * np.sin(np.arange(len(x))))
    lost = client_in.get(traces(event), asked)
    assert lost.status_code == 200 and "Its places go by the way driven" in words(lost)
    LapTrace.objects.filter(pk=there[2]).update(data=b"apexlap1nonsense")
    broken = client_in.get(traces(event), asked)
    assert broken.status_code == 422


def test_a_run_corner_by_corner_knows_where_its_driver_scatters(client_in: Client, event: Event, run: Run) -> None:
    address = reverse("run_corners", args=[event.pk, run.pk])
    page = client_in.get(address)
    reading = page.context["reading"]
    timed = list(run.laps.filter(kind="timed"))
    assert reading.laps == len(timed) and reading.best_s == min(lap.time_s for lap in timed) >= reading.ideal_s
    assert sum(one.best_s for one in reading.corners) == pytest.approx(reading.ideal_s)
    braked = [one.brake_m.sd for one in reading.corners if one.brake_m is not None]
    assert len(braked) >= 5 and 0.4 < np.median(braked) < 5.0  # the stand-in's driver scatters by two metres
    assert "best corners make a lap" in words(page)
    LapTrace.objects.filter(lap__in=timed[2:]).delete()
    assert "Fewer than 3 timed laps of R1 were recorded" in words(client_in.get(address))


def test_the_runs_page_leads_to_its_laps(client_in: Client, event: Event, run: Run) -> None:
    text = client_in.get(reverse("run", args=[event.pk, run.pk])).content.decode()
    there = keys(run)
    assert f'{traces(event)}?lap={there[2]}"' in text and "Corner by corner" in text and "Channels as CSV" in text
    LapTrace.objects.all().delete()
    assert "Corner by corner" not in client_in.get(reverse("run", args=[event.pk, run.pk])).content.decode()


def samples(run: Run, number: int, first_s: float, name: str = "k1", size: int = 50) -> list[str]:
    """A recorded lap as lines for the logger's door, a second of fifty samples each, and the lap's own."""
    lap = recorded_lap(LapTrace.objects.get(lap__run=run, lap__number=number))
    t, columns = lap.t[1:-1], {key: column[1:-1] for key, column in lap.columns.items()}
    lines = []
    for k in range(0, len(t), size):
        part = slice(k, k + size)
        channels = {key: np.round(column[part], 4).tolist() for key, column in columns.items() if key not in ("fuel_l",)}
        lines.append(json.dumps({"type": "samples", "run": name, "t_s": np.round(first_s + t[part], 4).tolist(), "channels": channels}))
    lines.append(json.dumps({"type": "lap", "run": name, "lap": 1, "time_s": round(lap.time_s, 3), "at_s": round(first_s + lap.time_s, 4)}))
    return lines


@pytest.mark.thorough_only
def test_a_lap_at_fifty_a_second_through_the_door_with_cuts_and_repeats(event: Event, run: Run) -> None:
    event.refresh_from_db()
    key, token = logger.make_key(event, "box")
    rng = np.random.default_rng(3)
    door, headers = Client(), {"authorization": f"Bearer {token}"}
    lines = samples(run, 2, 40.0)
    taken = 0
    for k in range(0, len(lines), 3):
        text = "\n".join(lines[k : k + 3]) + "\n"
        cut = text[: int(len(text) * rng.uniform(0.3, 0.95))]
        for sent in (cut, text, text):  # the link breaks off in the middle, and what was sent is sent again, twice
            answer = door.post("/logger/", sent, content_type="application/x-ndjson", headers=headers)
            assert answer.status_code == 200, answer.content
            taken += answer.json()["samples"]
    door.post("/logger/", '{"type":"pit","run":"k1"}\n', content_type="application/x-ndjson", headers=headers)
    new = event.runs.get(logger=key)
    was, came = recorded_lap(LapTrace.objects.get(lap__run=run, lap__number=2)), recorded_lap(LapTrace.objects.get(lap__run=new))
    assert taken == len(was.t) - 2 == len(came.t) - 2 and not Chunk.objects.exists() and new.closed
    assert came.time_s == pytest.approx(was.time_s, abs=1e-3)
    for channel in ("speed_kmh", "brake_pct", "x_m", "tyre_c_fl"):
        assert np.allclose(came.columns[channel][1:-1], was.columns[channel][1:-1], atol=2e-3), channel
    again = door.post("/logger/", "\n".join(lines) + "\n", content_type="application/x-ndjson", headers=headers).json()
    assert again["samples"] == 0 and again["laps"] == 0 and again["passed_over"] == 1


def test_samples_stay_where_the_racer_chose_so(event: Event, run: Run) -> None:
    event.refresh_from_db()
    key, token = logger.make_key(event, "box", keep_samples=True)
    text = "\n".join([*samples(run, 2, 40.0), '{"type":"pit","run":"k1"}']) + "\n"
    for _ in range(2):
        Client().post("/logger/", text, content_type="application/x-ndjson", headers={"authorization": f"Bearer {token}"})
    new = event.runs.get(logger=key)
    assert sum(new.chunks.values_list("rows", flat=True)) == LapTrace.objects.get(lap__run=new).rows - 2


def test_samples_as_csv_come_through_the_door(event: Event, run: Run) -> None:
    event.refresh_from_db()
    key, token = logger.make_key(event, "box")
    text = "time_s;Speed [m/s];throttle_pct\n" + "".join(f"{k / 10:.1f};{50 + k / 10:.1f};{k}\n".replace(".", ",") for k in range(60))
    answer = Client().post("/logger/?run=k2", text, content_type="text/csv", headers={"authorization": f"Bearer {token}"})
    assert answer.status_code == 200 and answer.json()["samples"] == 60
    wrong = Client().post("/logger/?run=k2", text + "6,1;abc;1\n", content_type="text/csv", headers={"authorization": f"Bearer {token}"})
    assert wrong.status_code == 422 and "Line 62, column Speed [m/s]: “abc”" in wrong.json()["problems"][0]
    new = event.runs.get(logger=key)
    chunk = new.chunks.get()
    assert chunk.rows == 60 and chunk.last_s == pytest.approx(5.9)


def test_old_samples_without_lap_marks_find_their_laps_by_the_distance(event: Event, run: Run) -> None:
    laps = [recorded_lap(trace) for trace in LapTrace.objects.filter(lap__run=run).select_related("lap").order_by("lap__number")]
    began = np.concatenate([[0.0], np.cumsum([lap.time_s for lap in laps])]) + 12.5  # a clock that ran before
    t = np.concatenate([start + lap.t[1:-1] for start, lap in zip(began, laps, strict=False)])
    columns = {key: np.concatenate([lap.columns[key][1:-1] for lap in laps]) for key in ("speed_kmh", "distance_m", "brake_pct")}
    LapTrace.objects.all().delete()
    assert put_samples(run, t, columns) == len(t) and put_samples(run, t, columns) == 0
    made = build(run)
    assert made >= len(laps) - 1
    for trace in LapTrace.objects.filter(lap__run=run).select_related("lap"):
        lap = recorded_lap(trace)
        was = next(one for one in laps if one.number == trace.lap.number)
        assert np.median(np.abs(np.interp(was.t, lap.t, lap.columns["speed_kmh"]) - was.columns["speed_kmh"])) < 1.5


def test_a_comparison_is_the_same_for_the_page_and_by_hand(event: Event, run: Run) -> None:
    event.refresh_from_db()
    ground = compare.ground_of(event)
    sides = [compare.side_of(event.owner, event, key, ground) for key in list(keys(run).values())[1:3]]
    pair = compare.pair_of(ground, *sides)
    assert pair.comparison.rows[-1].scatter_s > 0.0 and re.fullmatch(r"R1 lap \d", pair.lap.short)


@pytest.mark.thorough_only
def test_the_gap_grows_corner_by_corner_while_a_lap_is_driven(client_in: Client, event: Event, run: Run) -> None:
    event.refresh_from_db()
    _, token = logger.make_key(event, "box")
    address, there = reverse("live_gap_part", args=[event.pk]), keys(run)
    asked = {"reference": there[3]}
    assert "No run is out" in words(client_in.get(address, asked))
    lines = samples(run, 2, 0.0)
    headers = {"authorization": f"Bearer {token}"}
    true = client_in.get(traces(event), {"lap": there[2], "reference": there[3]}).context["pair"].comparison
    seen: list[int] = []
    for k, line in enumerate(lines[:-1]):
        Client().post("/logger/", line + "\n", content_type="application/x-ndjson", headers=headers)
        if k % 9 == 8:
            now = client_in.get(address, asked).context["now"]
            seen.append(len(now.passed))
            assert now.gap_s == pytest.approx(float(true.gap(np.array([now.place_m]))[0]), abs=0.12)
            assert sum(one.here_s for one in now.passed) == pytest.approx(now.passed[-1].gap_s if now.passed else 0.0)
    assert (
        seen == sorted(seen) and seen[-1] >= 8 and "Gap behind it, s" in words(client_in.get(reverse("live_gap", args=[event.pk]), asked))
    )
    Client().post("/logger/", lines[-1] + "\n", content_type="application/x-ndjson", headers=headers)
    assert "do not say where it is yet" in words(client_in.get(address, asked))


def test_what_a_run_says_of_its_car_goes_into_the_calibration(client_in: Client, event: Event, run: Run) -> None:
    address = reverse("run_car", args=[event.pk, run.pk])
    page = client_in.get(address)
    reading = page.context["reading"]
    true = true_car(cases.car_of(event, calibrated=False), 7)
    book = cases.car_of(event, calibrated=False)
    power = true.powertrain.torque_nm[3][1] / book.powertrain.torque_nm[3][1]
    drag = true.aero.drag_area_m2 / book.aero.drag_area_m2
    scales = {one.name: one for one in reading.scales}
    assert abs(scales["power"].value - power) < 3 * scales["power"].sd and abs(scales["drag"].value - drag) < 3 * scales["drag"].sd
    assert "on its straights: power" in words(page) and reading.shifts and reading.burnt_l
    assert [name for name, _, _ in known_of(event, [run]).scales] == ["power", "drag"]
    LapTrace.objects.all().delete()
    assert "Fewer than three timed laps" in words(client_in.get(address)) and known_of(event, [run]).scales == []


def test_the_best_and_the_middle_lap_of_a_run_are_marked_in_the_lists(client_in: Client, event: Event, run: Run) -> None:
    (_, options), *_ = client_in.get(traces(event)).context["options"]
    timed = sorted(run.laps.filter(kind="timed"), key=lambda lap: lap.time_s)
    there = keys(run)
    marked = {key: words.rsplit(", ", 1)[-1] for key, words in options if words.endswith("of the run")}
    assert marked == {there[timed[0].number]: "best of the run", there[timed[(len(timed) - 1) // 2].number]: "middle of the run"}
    LapTrace.objects.exclude(pk__in=list(LapTrace.objects.values_list("pk", flat=True)[:2])).delete()
    assert "of the run" not in str(client_in.get(traces(event)).context["options"])
