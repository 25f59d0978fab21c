"""A session that ends while something is typed: after signing in the form comes back filled, and one press saves it."""

import re
from collections.abc import Iterator
from contextlib import suppress
from typing import Literal

import pytest
from playwright.sync_api import Browser, Page, expect
from playwright.sync_api import Error as PlaywrightError

from apextrim.settings import DEMO_PASSWORD, DEMO_USER

from .conftest import leave, new_context, watched_page
from .test_views import AXE, violations

BACK = "What you typed is back"


@pytest.fixture
def wrong() -> list[str]:
    """What the racer's console says is wrong."""
    return []


@pytest.fixture
def racer(browser: Browser, site: str, wrong: list[str]) -> Iterator[Page]:
    """A racer in a browser of its own, signed in by name."""
    context = new_context(browser, site)
    page = watched_page(context, site, wrong)
    page.goto("/sign-in/")
    sign_in(page)
    yield page
    leave(page)
    context.close()
    assert not wrong, wrong


def sign_in(page: Page, until: Literal["load", "networkidle"] = "networkidle") -> None:
    page.get_by_label("Username").fill(DEMO_USER)
    page.get_by_label("Password").fill(DEMO_PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_load_state(until)


def lost_and_saved(page: Page, button: str) -> None:
    """Ends the session, sends what was typed, signs in, and sends it once more."""
    page.context.clear_cookies(name="sessionid")
    page.get_by_role("button", name=button, exact=True).first.click()
    page.get_by_label("Username").wait_for()
    sign_in(page)
    expect(page.get_by_text(BACK)).to_be_visible()
    page.get_by_role("button", name=button, exact=True).first.click()
    page.wait_for_load_state("networkidle")
    expect(page.get_by_text(BACK)).to_have_count(0)


def test_a_run(racer: Page) -> None:
    racer.goto("/events/1/runs/")
    racer.get_by_label("Laps, one a line").fill("1:14.2\n1:14.5")
    racer.get_by_label("Note").first.fill("typed while the session ended")
    lost_and_saved(racer, "Add run")
    expect(racer).to_have_url(re.compile(r"/events/1/runs/\d+/"))
    expect(racer.get_by_text("typed while the session ended").first).to_be_visible()
    racer.goto("/events/1/runs/")
    expect(racer.get_by_label("Note").first).to_have_value("")


@pytest.mark.thorough_only
def test_a_sheet_and_its_reason(racer: Page) -> None:
    racer.goto("/events/4/sheet/")
    box = racer.get_by_label("Rear wing", exact=True)
    expect(racer.locator("[data-lap]")).to_be_visible()
    value = int(box.input_value())
    box.focus()
    racer.keyboard.press("ArrowUp")
    racer.get_by_label("Why this change").fill("a step of wing, as the session ended")
    racer.get_by_text("1 unsaved change").wait_for()
    racer.wait_for_load_state("networkidle")
    racer.context.clear_cookies(name="sessionid")
    racer.get_by_role("button", name="Save as a new sheet").click()
    racer.get_by_label("Username").wait_for()
    sign_in(racer)
    expect(box).to_have_value(str(value + 1))
    expect(racer.get_by_label("Why this change")).to_have_value("a step of wing, as the session ended")
    racer.get_by_role("button", name="Save as a new sheet").click()
    expect(racer.get_by_text("a step of wing, as the session ended").first).to_be_visible()
    assert racer.evaluate("() => Object.keys(localStorage).filter((key) => key.startsWith('apex-draft-4')).length") == 0


@pytest.mark.thorough_only
def test_an_event(racer: Page) -> None:
    racer.goto("/events/")
    racer.get_by_label("Event", exact=True).fill("Made as the session ended")
    lost_and_saved(racer, "Create event")
    expect(racer.get_by_role("heading", name="Made as the session ended")).to_be_visible()


@pytest.mark.thorough_only
def test_a_step_on_a_sheet_stays_where_it_is_and_its_saving_leads_to_the_sign_in_and_back(racer: Page) -> None:
    racer.goto("/events/1/sheet/")
    box = racer.get_by_label("Front anti-roll bar", exact=True)
    expect(racer.locator("[data-lap]")).to_be_visible()
    value = int(box.input_value())
    racer.get_by_label("Why this change").fill("stiffer in front")
    racer.wait_for_load_state("networkidle")
    racer.context.clear_cookies(name="sessionid")
    box.focus()
    racer.keyboard.press("ArrowUp")
    expect(racer.locator("#signed-out")).to_be_visible()
    racer.get_by_role("button", name="Save as a new sheet").click()
    racer.get_by_label("Username").wait_for()
    sign_in(racer)
    expect(racer.get_by_text("Your unsaved entries were restored.")).to_be_visible()
    expect(box).to_have_value(str(value + 1))
    expect(racer.get_by_label("Why this change")).to_have_value("stiffer in front")


@pytest.mark.thorough_only
def test_race_mode_stays_and_goes_on_after_signing_in_elsewhere(racer: Page, wrong: list[str]) -> None:
    """It reads itself anew every two seconds: nothing of that leads away from the keys."""
    racer.goto("/events/2/race/live/")
    racer.get_by_role("button", name="Start race").click()
    racer.get_by_text("lap 0").first.wait_for()
    racer.context.clear_cookies(name="sessionid")
    said = racer.locator("#signed-out")
    expect(said).to_be_visible()
    racer.keyboard.press("y")
    expect(racer.get_by_text("what you press is kept here meanwhile")).to_be_visible()
    with racer.context.expect_page() as opened:
        said.get_by_role("link").click()
    sign_in(opened.value)
    expect(said).to_be_hidden()
    racer.locator("#race-now[data-yellow='1']").wait_for()
    assert "/race/live/" in racer.url
    racer.get_by_role("button", name="End race").click()
    racer.get_by_text("laps driven").first.wait_for()
    wrong[:] = [one for one in wrong if "403" not in one]  # the key that nobody might press was refused


@pytest.mark.thorough_only
def test_a_sheet_goes_on_where_it_stands_after_signing_in_elsewhere(racer: Page) -> None:
    racer.goto("/events/4/sheet/")
    box = racer.get_by_label("Rear wing", exact=True)
    expect(racer.locator("[data-lap]")).to_be_visible()
    value, answers = int(box.input_value()), racer.locator("#answer")
    racer.context.clear_cookies()
    other = racer.context.new_page()
    other.goto("/sign-in/")
    sign_in(other)
    box.focus()
    racer.keyboard.press("ArrowDown")
    expect(racer.get_by_text("1 unsaved change")).to_be_visible()
    expect(answers.get_by_text(re.compile("quicker|slower|even")).first).to_be_visible()
    expect(box).to_have_value(str(value - 1))
    racer.get_by_label("Why this change").fill("less wing, signed in elsewhere")
    racer.get_by_role("button", name="Save as a new sheet").click()
    expect(racer.get_by_text("less wing, signed in elsewhere").first).to_be_visible()


#: Pages with something to type: of the demo's first event, of its garage and of its account.
PAGES = (
    "/events/", "/events/1/", "/events/1/items/", "/events/1/class/", "/events/1/lap/", "/events/1/lap/corner/2/", "/events/1/runs/",
    "/events/1/runs/1/", "/events/1/runs/live/", "/events/1/sheet/1/readings/", "/events/1/sheet/1/check/", "/events/1/next/",
    "/events/1/race/odds/", "/events/1/race/wet/", "/events/1/lap/trainer/?corner=2", "/events/1/lap/book/", "/events/1/verdicts/", "/account/units/",
    "/garage/cars/1/", "/garage/cars/1/drivers/", "/garage/circuits/1/", "/garage/cars/quick/", "/garage/circuits/new/", "/garage/circuits/quick/",
)  # fmt: skip

#: The forms of a page that are typed into: their address, with the name of the first box and something else for it.
_TYPED_INTO = """() => [...document.querySelectorAll("form[method=post]")].flatMap((form, at) => {
  const fits = (one) => one.name && !one.readOnly && !one.disabled && !one.closest(".item")
    && (one.tagName === "TEXTAREA" || one.tagName === "SELECT" && one.options.length > 1 || ["text", "number"].includes(one.type));
  const box = [...form.elements].find(fits);
  if (!box || !form.elements.namedItem("once")) return [];
  const other = box.tagName === "SELECT" ? [...box.options].find((one) => !one.selected).value : box.inputMode === "decimal" ? "7" : "typed late";
  return [[at, form.action, box.name, other]];
})"""
_SEND = """([at, name, text]) => {
  const form = document.querySelectorAll("form[method=post]")[at];
  form.elements.namedItem(name).value = text;
  form.noValidate = true;
  form.requestSubmit();
}"""
_FOUND = """([action, name]) => [...document.querySelectorAll("form[method=post]")]
  .filter((form) => form.action === action).map((form) => form.elements.namedItem(name)?.value ?? null)"""


@pytest.mark.thorough_only
def test_every_form_that_is_typed_into_comes_back(racer: Page) -> None:
    lost, sent = list[str](), 0
    for address in PAGES:
        racer.goto(address)
        for at, action, name, text in racer.evaluate(_TYPED_INTO):
            racer.goto(address)  # its scripts are there: they are deferred, and pages that ask for parts by themselves are never idle
            racer.context.clear_cookies(name="sessionid")
            racer.evaluate(_SEND, [at, name, text])
            try:
                racer.get_by_label("Username").wait_for(timeout=10_000)
            except PlaywrightError:
                lost.append(f"{address} {action} {name}: not led to the sign-in, but to {racer.url}")
                racer.goto("/sign-in/")
            sign_in(racer, "load")
            sent += 1
            with suppress(PlaywrightError):
                racer.get_by_text(BACK).wait_for(timeout=5_000)
            if text not in racer.evaluate(_FOUND, [action, name]) or not racer.get_by_text(BACK).count():
                lost.append(f"{address} {action} {name}: {racer.url} {racer.evaluate(_FOUND, [action, name])}")
            racer.evaluate("() => localStorage.clear()")
    assert sent > 25 and not lost, "\n".join(lost)


@pytest.mark.thorough_only
def test_two_windows_on_one_form(racer: Page, browser: Browser, site: str, wrong: list[str]) -> None:
    """Both boxes are kept; what both changed is told, and saving once more keeps what was typed."""
    context = new_context(browser, site)
    other = watched_page(context, site, wrong)
    other.goto("/sign-in/")
    sign_in(other)
    for page in (racer, other):
        page.goto("/events/3/")
    other.get_by_label("Time lost in the pit lane").fill("33")
    other.get_by_role("button", name="Save rules").click()
    other.get_by_text("Race rules saved").wait_for()
    racer.get_by_label("Stationary time for tyres").fill("11")
    racer.get_by_role("button", name="Save rules").click()
    racer.get_by_text("Race rules saved").wait_for()
    expect(racer.get_by_label("Time lost in the pit lane")).to_have_value("33.0")
    other.get_by_label("Time lost in the pit lane").fill("34")
    other.get_by_role("button", name="Save rules").click()
    other.get_by_text("Race rules saved").wait_for()
    racer.get_by_label("Time lost in the pit lane").fill("44")
    racer.get_by_role("button", name="Save rules").click()
    expect(racer.get_by_text("Changed meanwhile to “34.0”")).to_be_visible()
    expect(racer.get_by_text(BACK)).to_have_count(0)
    racer.get_by_role("button", name="Save rules").click()
    racer.get_by_text("Race rules saved").wait_for()
    other.reload()
    expect(other.get_by_label("Time lost in the pit lane")).to_have_value("44.0")
    expect(other.get_by_label("Stationary time for tyres")).to_have_value("11.0")
    leave(other)
    context.close()


def test_the_first_page_of_a_stranger_leads_into_the_weekend(browser: Browser, site: str) -> None:
    """Accessible by day and night, never wider than its window, and two clicks from the address to the bench."""
    context = new_context(browser, site)
    page = context.new_page()
    wrong = list[str]()
    page.on("console", lambda message: wrong.append(message.text) if message.type == "error" else None)
    page.goto("/")
    page.evaluate(AXE)
    assert violations(page, "['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']") == []
    page.locator("header").get_by_role("button", name="Night theme").click()
    assert violations(page, "{ type: 'rule', values: ['color-contrast', 'link-in-text-block'] }") == []
    for width in (1280, 820, 390):
        page.set_viewport_size({"width": width, "height": 800})
        assert page.evaluate("() => document.documentElement.scrollWidth") <= width
        shown = page.locator(".fronts img").evaluate_all("all => all.filter((one) => one.offsetWidth).map((one) => one.src)")
        assert len(shown) == 3 and all("-night" in one for one in shown)
    page.get_by_role("button", name="Open the demo").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="The Sallowmere Trophy, round 2", exact=True)).to_be_visible()
    expect(page.get_by_role("complementary", name="Tour, stop 1 of 6")).to_be_visible()
    assert wrong == []
    context.close()
