"""The Lap bench as a racer uses it on an evening: a book for three corners by keyboard alone, a card, two runs, and a mark that moves."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_story import begin_at, sent

pytestmark = pytest.mark.xdist_group("book")


def typed(page: Page, label: str, text: str) -> None:
    """Types into a field that is reached by its label's focus, without a pointer."""
    field = page.get_by_label(label, exact=True)
    field.focus()
    page.keyboard.press("Control+a")
    page.keyboard.type(text)


@pytest.mark.thorough_only
def test_a_book_for_three_corners_by_keyboard_then_printed_driven_and_trained(page: Page) -> None:
    begin_at(page, "Book evening")
    address = re.sub(r"sheet/$", "", page.url)
    page.get_by_label("Why this change").fill("to begin with")
    page.get_by_role("button", name="Save as a new sheet").click()
    expect(page.get_by_role("status")).to_contain_text("is saved")
    page.goto(f"{address}lap/corner/1/")
    typed(page, "Brake or lift at", "2nd board -8")
    typed(page, "Gear", "3")
    page.get_by_label("Apex", exact=True).focus()
    page.keyboard.type("late")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Save this page").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").first).to_contain_text("3 fields saved")
    expect(page.get_by_label("Brake or lift at", exact=True)).to_have_value("2nd board −8 m")
    page.locator("body").press("]")  # to the next corner
    expect(page.get_by_role("heading", level=2)).to_contain_text("Corner 2")
    typed(page, "Hazards", "crest: light over the top")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").first).to_contain_text("1 field saved")
    page.locator("body").press("]")
    typed(page, "Gear", "22")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("1 to 6")
    typed(page, "Gear", "2")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").first).to_contain_text("1 field saved")
    # what if, by keyboard, and into the book for the race
    typed(page, "Coast before the brakes m", "30")
    page.keyboard.press("Enter")
    row = page.get_by_role("row", name=re.compile("coast 30 m before the brakes"))
    expect(row.first).to_contain_text("±")
    page.get_by_role("link", name="Race", exact=True).nth(1).focus()
    page.goto(f"{page.url.split('#')[0]}&for=race")
    page.get_by_role("button", name=re.compile("Put in the book for race: coast 30 m")).focus()
    page.keyboard.press("Enter")
    expect(page.get_by_label("Coast before the brakes", exact=True)).to_have_value("30 m")
    # the card, as printed
    page.goto(f"{address}lap/card/?for=race")
    page.emulate_media(media="print")
    card = page.get_by_role("article")
    expect(card).to_contain_text("Mark 2nd board −8 m, gear 3, late apex")
    expect(card).to_contain_text("Crest: light over the top")
    expect(card).to_contain_text("oast 30 m")
    expect(page.get_by_role("navigation", name="Benches")).to_be_hidden()
    printed = page.pdf(format="A4")
    assert len(re.findall(rb"/Type\s*/Page\b", printed)) == 1  # the whole lap on one page
    page.emulate_media(media="screen")
    # two turns with the virtual driver, and the trainer moves a mark
    page.goto(f"{address}lap/trainer/")
    first = page.locator("[data-lesson]").first.locator("b").nth(1).inner_text()
    for turn in (1, 2):
        page.get_by_role("button", name="Send the virtual driver").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("status").first).to_contain_text(f"Turn {turn}:")
    assert page.locator("[data-lesson]").first.locator("b").nth(1).inner_text() != first
    rows = page.locator("[data-lesson]")
    rows.first.locator("input[type=radio]").first.focus()
    page.keyboard.press("e")
    page.keyboard.press("l")
    expect(rows.nth(0).locator("[data-feeling=e]")).to_be_checked()
    expect(rows.nth(1).locator("[data-feeling=l]")).to_be_checked()
    before = rows.nth(1).locator("b").nth(1).inner_text()
    page.get_by_role("button", name="Save how it felt").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").first).to_contain_text("Turn 3: 2 corners told")
    assert page.locator("[data-lesson]").nth(1).locator("b").nth(1).inner_text() != before


@pytest.mark.thorough_only
def test_the_map_zooms_by_key_and_click_and_a_line_is_drawn_with_the_pointer(page: Page) -> None:
    page.goto("/events/1/lap/")
    picture = page.locator(".map-box svg")
    whole = picture.get_attribute("viewBox")
    page.locator("body").press("z")
    expect(picture).not_to_have_attribute("viewBox", whole or "")
    page.locator(".map-box").press("0")
    expect(picture).to_have_attribute("viewBox", re.compile(r"^0(\.00)? 0(\.00)? 760(\.00)? 400(\.00)?$"))
    page.locator(".map-box [data-corner='5']").click()
    expect(picture).not_to_have_attribute("viewBox", re.compile(r"^0(\.00)? 0(\.00)? 760"))
    page.goto("/events/1/lap/corner/5/")
    place = page.locator("[data-handle='4']")
    place.scroll_into_view_if_needed()
    box = place.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 3, y - 3, steps=3)
    page.mouse.up()
    moved = page.locator("#d4").input_value()
    assert float(moved) != 0.0
    expect(page.locator("#drawn-answer")).to_contain_text("to the next corner")
    expect(page.locator("#drawn-path")).to_have_attribute("d", re.compile("^M"))
    page.get_by_role("button", name="Drive this line").click()
    expect(page.get_by_role("row", name=re.compile("your line"))).to_be_visible()
    page.goto("/events/1/lap/corner/1/")
    page.get_by_label("Turn in at", exact=True).focus()
    page.locator("[data-mark='1st board']").click()
    expect(page.get_by_label("Turn in at", exact=True)).to_have_value("1st board")


@pytest.mark.thorough_only
def test_a_map_of_two_thousand_points_is_moved_without_a_dropped_frame_to_speak_of(page: Page) -> None:
    """Not timed against the clock: what one move costs is one attribute, whatever the map holds."""
    page.goto("/events/1/lap/")
    changed = page.evaluate(
        """async () => {
          const svg = document.querySelector('.map-box svg'), box = document.querySelector('.map-box');
          const path = svg.querySelector('path'), points = [...Array(2000).keys()].map((k) => `${k / 3},${200 + 90 * Math.sin(k / 50)}`);
          path.setAttribute('d', 'M' + points.join(' '));
          const seen = [];
          new MutationObserver((all) => all.forEach((one) => seen.push(one.attributeName))).observe(svg, { attributes: true, subtree: true });
          const key = (name) => box.dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true }));
          key('+');
          for (let k = 0; k < 20; k++) key('ArrowRight');
          await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
          return seen;
        }"""
    )
    assert set(changed) == {"viewBox", "style"} and len(changed) <= 4  # twenty keys, one or two paints


@pytest.mark.thorough_only
def test_the_old_bench_leads_on(page: Page) -> None:
    event = sent(
        page, "/events/", "/events/", {"car": "Brackendale Gannet", "circuit": "Sallowmere, Fen circuit"}, {"name": "Old", "real_car": "no"}
    )
    page.goto(f"{event}circuit/")
    assert page.url.endswith("/lap/")
