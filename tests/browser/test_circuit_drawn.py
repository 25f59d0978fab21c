"""A circuit drawn with the mouse, then by keyboard alone; corners named on the map; the map growing while it is typed."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import BrowserContext, Page, expect

from .conftest import leave, watched_page

pytestmark = pytest.mark.xdist_group("drawn")

#: Bends on the drawing board, in its own units.
_SPOTS = [(120, 80), (600, 60), (680, 200), (520, 330), (160, 340)]


@pytest.fixture
def board(site: str, signed_in: BrowserContext) -> Iterator[Page]:
    wrong: list[str] = []
    page = watched_page(signed_in, site, wrong)
    page.goto("/garage/circuits/quick/")
    yield page
    leave(page)
    assert not wrong, wrong


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """A spot of the board in the window."""
    box = page.locator("svg.board").bounding_box()
    assert box is not None
    return box["x"] + x * box["width"] / 760, box["y"] + y * box["height"] / 400


@pytest.mark.thorough_only
def test_a_lap_is_drawn_changed_and_kept_with_the_mouse(board: Page) -> None:
    page = board
    page.get_by_label("Circuit").fill("Mousefield")
    for spot in _SPOTS:
        page.mouse.click(*at(page, *spot))
    said = page.locator("figcaption")
    expect(said).to_contain_text("1800 m, 5 corners; the lap closes")
    page.mouse.click(*at(page, 360, 71))  # on the way between the first two: a bend between them
    page.mouse.move(*at(page, 360, 71))
    page.mouse.down()
    page.mouse.move(*at(page, 360, 140), steps=4)
    page.mouse.up()
    expect(said).to_contain_text("6 corners")
    page.get_by_label("Name", exact=True).fill("Hollow")
    expect(page.locator("svg.board text", has_text="Hollow")).to_be_visible()
    page.get_by_role("button", name="Take back").click()
    page.get_by_role("button", name="Add to the garage").click()
    expect(page.get_by_role("status").first).to_contain_text("Mousefield, full is in your garage")
    # its corners are named on the map
    page.locator('[data-corner="2"]').click()
    page.get_by_label("Corner 2 is called").fill("Ferry")
    assert page.locator('[name$=".name"]').evaluate_all("boxes => boxes.map((box) => box.value)").count("Ferry") == 1
    expect(page.locator('[data-called="2"]')).to_have_text("Ferry")
    page.get_by_role("button", name="Save circuit").click()
    expect(page.get_by_role("status").first).to_contain_text("is saved")
    expect(page.locator('[data-called="2"]')).to_have_text("Ferry")


@pytest.mark.thorough_only
def test_a_lap_is_drawn_by_keyboard_alone(board: Page) -> None:
    page = board
    page.get_by_label("Circuit").fill("Keyfield")
    add = page.get_by_role("button", name="Add a bend")
    for _ in range(4):
        add.focus()
        page.keyboard.press("Enter")
    expect(page.locator("figcaption")).to_contain_text("4 corners; the lap closes")
    expect(page.locator('[data-bend="3"]')).to_be_focused()
    before = page.locator('[data-bend="3"]').get_attribute("cx")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    assert float(page.locator('[data-bend="3"]').get_attribute("cx") or 0) == float(before or 0) + 7
    page.keyboard.press("Enter")
    page.keyboard.type("Brickpit")
    expect(page.locator("svg.board text", has_text="Brickpit")).to_be_visible()
    add.focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Delete")
    expect(page.locator("[data-bend]")).to_have_count(4)
    page.keyboard.press("Control+z")
    expect(page.locator("[data-bend]")).to_have_count(5)


@pytest.mark.thorough_only
def test_the_road_grows_while_it_is_typed_here_and_in_the_tables(board: Page) -> None:
    page = board
    page.get_by_role("button", name="Type it").click()
    lines = page.get_by_label("Straights and corners in driving order, one a line")
    said = page.locator("figcaption")
    lines.fill("420\nright 90 r 45 Tower")
    expect(said).to_contain_text("270° to the right are missing")
    lines.press_sequentially("\n200\nright")
    expect(said).to_contain_text("Line 4")
    lines.fill("420\nright 180 r 45 Tower\n420\nright 180 r 45")
    expect(said).to_contain_text("2 corners; the lap closes")
    page.goto("/garage/circuits/new/")
    page.locator('[name="segments.3.angle_deg"]').fill("-90")
    expect(page.locator("#growing")).to_contain_text("90° to the right are missing")
    page.locator('[name="segments.3.angle_deg"]').fill("-180")
    expect(page.locator("#growing")).to_contain_text("The lap closes as it is written")
