"""Effects, advice and searches as a racer asks for them."""

import csv
import io
import re
from typing import Any

import numpy as np
import pytest
from django.test import Client
from django.utils import timezone

from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.runs.actions import add_run
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from apextrim.work.models import Job
from apextrim.workshop.figure_presenters import thrust_picture
from apextrim.workshop.models import Search


def text_of(response: object) -> str:
    return re.sub(r"\s+", " ", response.content.decode())  # type: ignore[attr-defined]


def test_the_effects_table_has_every_step_in_the_order_asked_for(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/effects/"
    whole = text_of(client_in.get(url))
    page = whole.partition('<table class="said effects">')[2].partition("</table>")[0]
    effects = [effect for effect in answers.effects_of(event, core_sheet(event, first)) if effect.value is not None]
    assert len(re.findall(r"<tr[^>]*> <td> <a", page)) == len(effects)
    clear = [effect for effect in effects if effect.is_clear]
    worst = max(clear, key=lambda effect: effect.lap_s)
    rows = re.findall(rf"sheet={first.pk}&amp;set=(\w+):([\d.-]+)\"", page)
    tuned = [row for row in rows if not cases.car_of(event).item(row[0]).damper_only]
    assert tuned[-1] == (worst.item.key, f"{worst.value:g}") and worst.lap_s > 0.0
    first_clear = min(effects, key=lambda effect: effect.lap_s)
    assert tuned[0] == (first_clear.item.key, f"{first_clear.value:g}") or not first_clear.is_clear
    assert len(re.findall(r'<circle cx="[^"]+" cy="[^"]+" r="[^"]+"/>', whole)) == len(tuned)  # each on the map
    wing = text_of(client_in.get(url, {"by": "calm-mid"})).partition('<table class="said effects">')[2]
    assert re.findall(r"&amp;set=([\w]+):", wing)[0] == "wing"
    assert "ride only: no effect on the modelled lap" in page and client_in.get(url, {"by": "nonsense"}).status_code == 200


def test_the_effects_go_out_as_csv(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.get(f"/events/{event.pk}/sheet/{first.pk}/effects.csv")
    assert response["Content-Type"] == "text/csv" and "brackendale_gt-S1-effects.csv" in response["Content-Disposition"]
    lines = list(csv.DictReader(io.StringIO(response.content.decode())))
    bar = next(line for line in lines if line["item"] == "Front anti-roll bar" and line["step"] == "+1")
    known = next(
        effect for effect in answers.effects_of(event, core_sheet(event, first)) if effect.item.key == "bar_front" and effect.steps == 1
    )
    assert float(bar["lap_s"]) == pytest.approx(known.lap_s, abs=1e-4)
    assert float(bar["balance_fast_mid_pct"]) == pytest.approx(known.balance["fast", "mid"] or 0.0, abs=1e-3)


def test_advice_opens_with_what_the_last_run_complained_of(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/advice/"
    values = {"sheet": first, "session": event.session, "front": "marl", "rear": "marl", "tyre_age": 0.0, "fuel_l": 20.0}
    run = add_run(event, values | {"words": {"entry": "understeer", "exit": "oversteer"}})
    answer = client_in.get(url)
    page = text_of(answer)
    assert f'As told of <a href="/events/{event.pk}/runs/{run.pk}/">{run.name}</a>' in page
    told = answer.context["form"].data
    assert (told["phase"], told["slides"]) == ("entry", "front") and answer.context["cards"]
    # who says more closely what it does is asked nothing of the run
    assert "As told of" not in text_of(
        client_in.get(url, {"slides": "rear", "phase": "exit", "where": "", "how": "clearly", "tyres": "warm"})
    )
    # the newest run counts, also where nothing was wrong with it; one of another sheet does not
    add_run(event, values | {"words": {"mid": "neutral"}})
    assert "As told of" not in text_of(client_in.get(url))


def test_advice_names_changes_with_their_price_and_puts_them_on_the_sheet(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/advice/"
    assert "Say what the car does" in text_of(client_in.get(url))
    page = text_of(client_in.get(url, {"slides": "front", "phase": "mid", "where": "", "how": "clearly", "tyres": "warm"}))
    assert page.count('data-bench-key="') == 7 + 6 and "adds grip at the sliding end" in page
    link = re.search(r'data-bench-key="a" href="([^"]+)"', page)
    assert link is not None
    bench = text_of(client_in.get(link.group(1).replace("&amp;", "&")))
    assert 'data-fresh="1"' not in bench and "data-change" in bench
    changed = re.findall(r'data-saved="([^"]+)"[^>]*>.*?value="([^"]+)"', bench)
    assert any(saved != value for saved, value in changed)
    corner = text_of(client_in.get(url, {"slides": "rear", "phase": "braking", "where": "9", "how": "a little", "tyres": "worn"}))
    assert "Brake bias" in corner


@pytest.mark.parametrize("asked", [{"phase": "flight"}, {"where": "77"}, {"how": "very"}, {"slides": "wings"}, {"where": "' OR 1"}])
def test_a_feeling_that_is_none_is_refused(client_in: Client, event: Event, first: Sheet, asked: dict[str, str]) -> None:
    usual = {"slides": "front", "phase": "mid", "where": "", "how": "clearly", "tyres": "warm"}
    assert client_in.get(f"/events/{event.pk}/sheet/{first.pk}/advice/", {**usual, **asked}).status_code == 422


def test_a_proposal_off_the_list_is_told_and_keeps_the_rest(client_in: Client, event: Event, first: Sheet) -> None:
    page = client_in.get(f"/events/{event.pk}/sheet/?sheet={first.pk}&set=bar_front:99&set=wing:7&set=sails:3")
    assert page.status_code == 200 and 'aria-invalid="true"' in text_of(page) and 'name="wing" value="7"' in text_of(page)


def ask(client: Client, event: Event, sheet: Sheet, **changes: Any) -> Any:
    data = {"aim": "lap", "laps": "6", "top": "", "entry": "", "work": "", "items": ["wing", "bar_front", "bar_rear"], **changes}
    return client.post(f"/events/{event.pk}/sheet/{sheet.pk}/search/", data, follow=True)


@pytest.mark.usefixtures("at_once")
def test_a_search_ends_with_changes_in_order_of_worth(client_in: Client, event: Event, first: Sheet) -> None:
    page = text_of(ask(client_in, event, first))
    row = Search.objects.get()
    assert row.job.state == "done" and "s a lap quicker" in page and "sheets solved" in page and row.result is not None
    gains = [gain for _, _, _, gain in row.result["changes"]]
    assert gains[0] == min(gains) and sum(gains) == pytest.approx(row.result["after"][0] - row.result["before"][0], abs=1e-6)
    last = re.findall(r'href="([^"]+set=[^"]+)"', page)[len(gains) - 1]
    bench = text_of(client_in.get(last.replace("&amp;", "&")))
    for key, _, value, _ in row.result["changes"]:
        assert f'name="{key}" value="{value:g}"' in bench
    assert "Search from S1" in text_of(client_in.get(f"/events/{event.pk}/sheet/{first.pk}/search/"))


@pytest.mark.usefixtures("at_once")
@pytest.mark.parametrize(
    ("aim", "words"), [("top", "km/h at the top"), ("stint", "better for its aim"), ("forgiving", "better for its aim")]
)
@pytest.mark.thorough_only
def test_every_aim_is_told_in_its_own_words(client_in: Client, event: Event, first: Sheet, aim: str, words: str) -> None:
    page = text_of(ask(client_in, event, first, aim=aim, items=["wing", "brake_bias"], top="3"))
    assert words in page


@pytest.mark.usefixtures("at_once")
def test_a_search_that_cannot_be_says_why(client_in: Client, event: Event, first: Sheet) -> None:
    thirsty = Sheet.objects.create(
        event=event, number=9, reason="Almost empty", values={**first.values, "fuel": 5.0}, made_at=timezone.now()
    )
    page = text_of(ask(client_in, event, thirsty, aim="stint", laps="30"))
    assert Search.objects.get().job.state == "failed" and "fuel at start" in page


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"items": []}, "none is chosen"),
        ({"laps": "2"}, "“2” is not valid"),
        ({"top": "fast"}, "“fast” is not valid"),
        ({"aim": "glory"}, "glory"),
    ],
)
def test_a_wrong_question_is_told_and_stays_as_typed(
    client_in: Client, event: Event, first: Sheet, changes: dict[str, Any], words: str
) -> None:
    page = ask(client_in, event, first, **changes)
    assert page.status_code == 422 and words in text_of(page) and not Search.objects.exists()
    if "top" in changes:
        assert 'value="fast"' in text_of(page) and text_of(page).count("checked") == 3


def test_a_search_under_way_is_told_and_stopped(client_in: Client, event: Event, first: Sheet) -> None:
    ask(client_in, event, first)
    row = Search.objects.get()
    Job.objects.filter(pk=row.job_id).update(state="running", progress=0.4)
    url = f"/events/{event.pk}/sheet/search/{row.pk}/"
    assert "every 500ms" in text_of(client_in.get(url)) and "40 %" in text_of(client_in.get(f"{url}part/"))
    client_in.post(f"{url}stop/")
    row.job.refresh_from_db()
    assert row.job.stop and "Stopping" in text_of(client_in.get(url))
    Job.objects.filter(pk=row.job_id).update(state="stopped", told=["Stopped; nothing was changed."])
    page = text_of(client_in.get(url))
    assert "The sheet is unchanged" in page and "every 500ms" not in page


def test_a_sixth_search_is_refused_and_what_was_asked_stays(client_in: Client, event: Event, first: Sheet) -> None:
    for _ in range(5):
        ask(client_in, event, first)
    page = ask(client_in, event, first, laps="17")
    assert page.status_code == 422 and "four are waiting" in text_of(page) and 'value="17"' in text_of(page)
    assert Search.objects.count() == Job.objects.count() == 5


def test_gears_brakes_and_weights_of_a_sheet(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/figures/"
    page = text_of(client_in.get(url))
    for words in (
        "Shift up at",
        "quickest",
        "in a tow",
        "soaked track",
        "As fuel burns off",
        "A driver 10 kg heavier",
        "Adjust this perch only",
    ):
        assert words in page
    asked = {"fl": "330", "fr": "345", "rl": "352", "rr": "340", "target": "50", "pitch": "1,5"}
    scales = text_of(client_in.get(url, asked))
    assert "1367.0 kg" in scales and "51.0 %" in scales
    wrong = client_in.get(url, {**asked, "rl": "-4"})
    assert wrong.status_code == 422 and 'value="-4"' in text_of(wrong)


def test_a_kart_has_no_perches_and_no_front_brake(client_in: Client, event: Event) -> None:
    from apextrim.events.actions import create_event
    from apextrim.sheets.actions import save_sheet

    kart = create_event(event.owner, "Kart day", event.owner.cars.get(key="wisp_125"), event.owner.circuits.get(key="quernlow"), True)
    row = save_sheet(kart, core_sheet(kart, None), None, "first")
    page = text_of(client_in.get(f"/events/{kart.pk}/sheet/{row.pk}/figures/"))
    assert "no springs to wind up" in page and "One gear" in page and "rated stands" in page


def test_a_sheet_is_carried_over_to_todays_weather(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/carry/"
    assert "Enter the weather" in text_of(client_in.get(url))
    cold = {"air_c": "8", "track_c": "9", "humidity_pct": "70", "pressure_hpa": "1010", "rubber_pct": "20", "wet_pct": "0"}
    page = text_of(client_in.get(url, cold))
    assert "the same hot pressure as then" in page and "against the weather it was made for" in page
    link = re.search(r'class="press main" href="([^"]+set=[^"]+)"', page)
    assert link is not None
    bench = text_of(client_in.get(link.group(1).replace("&amp;", "&")))
    assert f'name="pressure_fl" value="{first.values["pressure_fl"]:g}"' not in bench
    wrong = client_in.get(url, {**cold, "track_c": "lava"})
    assert wrong.status_code == 422 and 'value="lava"' in text_of(wrong)
    same = {name: str(getattr(facts.conditions_of(event), name)) for name in cold}
    assert "No change needed for today" in text_of(client_in.get(url, same))


def test_what_is_unsaved_counts_in_effects_and_advice(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/effects/"
    page = text_of(client_in.get(f"{url}?set=bar_front:7&set=sails:3&set=wing:many&by=lap"))
    assert "Includes unsaved changes: <b>Front anti-roll bar</b> +2 steps" in page and "&amp;set=bar_front:7&amp;set=" in page
    assert 'Front anti-roll bar</a> <span class="soft">to 8' in page
    advice = text_of(
        client_in.get(f"/events/{event.pk}/sheet/{first.pk}/advice/?set=bar_front:9&slides=front&phase=mid&where=&how=clearly&tyres=warm")
    )
    assert "Front anti-roll bar 9 to" in advice and 'name="set" value="bar_front:9"' in advice
    assert client_in.get(f"{url}?set=gear_2:9&set=bar_front:").status_code == 200


def test_thrust_stands_over_the_speed_in_kilometres_an_hour() -> None:
    speeds = np.linspace(1.0, 50.0, 99)
    picture = thrust_picture(speeds, np.array([np.linspace(6000.0, 2000.0, 99)]), 1.2 * speeds**2)
    last = float(picture.gears[0][1].rsplit(" ", 1)[-1].split(",")[0])  # every fourth speed is drawn
    assert last == pytest.approx(picture.x.at(3.6 * float(speeds[96])), abs=0.06)
    assert picture.x.high == pytest.approx(1.04 * 180.0)
