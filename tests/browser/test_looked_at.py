"""Pictures that answer first: they are walked by keys, their numbers lie behind one, two laps drive together, and the head folds."""

import re
from typing import Literal

import pytest
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.xdist_group("views")

#: Benches that open with a picture whose numbers lie behind `t`, and a word of the table.
_FOLDED = {
    "/events/1/sheet/4/effects/": "One step", "/events/1/lap/costs/": "Corner", "/events/1/race/odds/": "Worst twentieth",
    "/events/1/race/spend/": "Gained on them, s", "/events/1/traces/run/13/": "Left in", "/events/1/traces/run/13/car/": "at the limit",
    "/events/1/verdicts/record/": "Do they agree?",
}  # fmt: skip


def test_the_map_of_steps_is_walked_and_a_step_put_on_the_sheet(page: Page) -> None:
    page.goto("/events/1/sheet/4/effects/")
    told, here = page.locator(".told"), "() => document.activeElement.dataset.words"
    page.locator("svg a[tabindex='0']").focus()
    first = page.evaluate(here)
    expect(told).to_have_text(first)
    for key in ("ArrowRight", "ArrowDown", "ArrowLeft"):
        page.keyboard.press(key)
        expect(told).to_have_text(page.evaluate(here))
    assert page.evaluate(here) != first
    name = page.evaluate(here).split(" to ")[0]
    page.keyboard.press("Enter")
    expect(page.get_by_text("1 unsaved change")).to_be_visible()
    assert name.split()[0] in page.locator(".item.changed").first.inner_text() or page.locator(".item.changed").count() == 1


@pytest.mark.parametrize(("address", "word"), _FOLDED.items())
@pytest.mark.thorough_only
def test_the_picture_is_first_and_one_key_opens_its_numbers(page: Page, address: str, word: str) -> None:
    page.goto(address)
    head = page.get_by_role("columnheader", name=word).first
    picture = page.locator("main svg.pic").first
    expect(picture).to_be_visible()
    box = picture.bounding_box()
    assert box is not None and box["y"] < 420  # within the first screen
    table = page.locator("details.part", has=page.locator("[data-bench-key='t']"))
    expect(table).not_to_have_attribute("open", "")
    page.locator("body").press("t")
    expect(head).to_be_visible()


def test_two_laps_open_at_the_largest_loss_and_drive_together(page: Page) -> None:
    page.goto("/events/1/traces/")
    expect(page.locator("[data-drawn]")).to_be_visible()
    data = page.evaluate(
        "async () => { const at = document.querySelector('[data-url]').dataset;"
        " return (await fetch(`${at.url}?lap=${at.lap}&reference=${at.reference}&channels=-`)).json() }"
    )
    worst = max(data["corners"], key=lambda one: one["lost"])
    rows = page.locator("#cursor-values")
    expect(rows).to_contain_text(worst["name"])
    assert data["time"][0] == pytest.approx(0.0, abs=0.01) and data["time"] == sorted(data["time"])
    mine, theirs = page.locator(".cursor-dot"), page.locator(".ghost-dot")
    expect(theirs).to_have_attribute("visibility", "hidden")
    before = mine.get_attribute("cx")
    page.get_by_label("How quickly").select_option("8")
    page.get_by_role("button", name="Drive both laps").click()
    expect(theirs).to_have_attribute("visibility", "visible")
    expect(mine).not_to_have_attribute("cx", str(before))
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(theirs).to_have_attribute("visibility", "hidden")


def test_the_head_takes_little_and_folds(page: Page) -> None:
    page.goto("/events/1/sheet/4/effects/")
    top = "() => document.querySelector('.bench-row').getBoundingClientRect().bottom"
    assert page.evaluate(top) <= 134
    page.mouse.wheel(0, 400)
    expect(page.get_by_role("link", name="Sheet", exact=True)).to_be_in_viewport()
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto("/events/1/runs/")
    begins = page.evaluate("() => document.getElementById('main').getBoundingClientRect().top")
    assert begins <= 170
    garage, key = page.get_by_role("link", name="Garage", exact=True), page.get_by_role("button", name="Menu")
    expect(garage).to_be_hidden()
    key.click()
    expect(garage).to_be_visible()
    expect(key).to_have_attribute("aria-expanded", "true")
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
    page.set_viewport_size({"width": 1280, "height": 800})
    expect(garage).to_be_visible()


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.thorough_only
def test_pictures_are_seen_in_the_colours_of_the_system(page: Page, scheme: Literal["light", "dark"]) -> None:
    """Ink of a picture keeps its distance from the paper where the system takes over the colours."""
    page.emulate_media(forced_colors="active", color_scheme=scheme)
    page.goto("/events/1/race/odds/")
    ink, paper = page.evaluate(
        "() => [getComputedStyle(document.querySelector('.odds .curve-1 .line')).stroke, getComputedStyle(document.documentElement).backgroundColor]"
    )

    def light(colour: str) -> float:
        return sum(float(part) for part in re.findall(r"[\d.]+", colour)[:3]) / 3.0

    assert abs(light(ink) - light(paper)) > 120.0
    page.emulate_media(forced_colors="none", color_scheme="light")


@pytest.mark.thorough_only
@pytest.mark.parametrize("address", _FOLDED)
def test_twice_the_size_needs_no_second_way_to_scroll(page: Page, address: str) -> None:
    """200 % of 1280 × 800 is what 640 × 400 shows."""
    page.set_viewport_size({"width": 640, "height": 400})
    page.goto(address)
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 640
    page.set_viewport_size({"width": 1280, "height": 800})


def test_the_head_of_a_table_that_scrolls_by_itself_covers_no_row(page: Page) -> None:
    """Its head stays at the top of the window on a wide screen, and in its own place where it has a scroller."""
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto("/events/1/race/qualifying/?beat=1:13.2")
    page.locator(".scroll:not(.fits) table").first.wait_for()
    head, row = page.evaluate(
        "() => { const table = document.querySelector('.scroll:not(.fits) table'); const rows = [...table.rows];"
        " return [rows[0].getBoundingClientRect().bottom, rows[1].getBoundingClientRect().top] }"
    )
    assert head <= row + 1.0
    page.set_viewport_size({"width": 1280, "height": 800})


def test_a_bench_is_fetched_as_its_link_is_pressed_down_and_shown_as_it_is_let_go(page: Page) -> None:
    page.goto("/events/1/runs/")
    page.wait_for_load_state("networkidle")
    link = page.locator(".benches").get_by_role("link", name="Brief", exact=True)
    link.hover()  # pointed at is not asked for: what is fetched then may be old by the time it is shown
    with page.expect_request(lambda request: request.headers.get("sec-purpose") == "prefetch") as asked:
        page.mouse.down()
    assert asked.value.url.endswith("/events/1/")
    page.mouse.up()
    page.wait_for_url("**/events/1/")
    kind = page.evaluate("() => performance.getEntriesByType('navigation')[0].deliveryType")
    assert kind == "navigational-prefetch"
