"""One current picture of each main view from the demo data, into docs/screenshots. `make screenshots` calls it."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from .servers import running

ROOT = Path(__file__).parents[1]
TARGET = ROOT / "docs" / "screenshots"
VIEWS = {
    "brief": "/events/1/", "lap": "/events/1/lap/?line=quickest", "odds": "/events/1/race/odds/",
    "run-corners": "/events/1/traces/run/13/", "effects": "/events/1/sheet/1/effects/", "costs": "/events/1/lap/costs/",
    "verdicts": "/events/1/verdicts/?a=1&b=2&margin=0.10", "race": "/events/1/race/",
    "sheet-oval": "/events/2/sheet/",
    "advice": "/events/1/sheet/4/advice/?slides=front&phase=mid&where=slow&how=clearly&tyres=warm",
    "trainer": "/events/1/lap/trainer/",
    "corner": "/events/1/lap/corner/3/?try=b80-c20&d4=0.4",
}  # fmt: skip

#: Parts of benches on the front page: address, and the words that they begin with.
FRONT = ROOT / "apextrim" / "ui" / "static" / "ui" / "front"
FRONT_VIEWS = {
    "sheet": ("/events/1/sheet/", "Balance"), "verdict": ("/events/1/verdicts/?a=1&b=2&margin=0.10", "S2 against S1, seconds a lap"),
    "race": ("/events/1/race/", "The best plan of each number"),
}  # fmt: skip

#: What a newcomer says of a car.
_HATCH = {
    "name": "My hatch", "mass": "1050", "front": "62", "power": "140", "power_rpm": "7000", "limit_rpm": "7500", "gears": "5", "top": "225",
    "tyre_front": "205/50 R15",
}  # fmt: skip


def begin(page: Page) -> None:
    """The first page of an account without an event."""
    page.goto("/sign-in/")
    page.evaluate("() => localStorage.setItem('apex-theme', 'day')")
    page.reload()
    page.get_by_label("Username").fill("newcomer")
    page.get_by_label("Password").fill("withy-bend-4")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_text("Your car in two minutes").wait_for()
    page.screenshot(path=TARGET / "start.png")
    page.context.clear_cookies()


def enter(page: Page) -> None:
    """Into the demo, past the tour."""
    page.goto("/")
    page.get_by_role("button", name="Open the demo").click()
    page.get_by_role("button", name="Skip the tour").click()
    page.get_by_role("button", name="Skip the tour").wait_for(state="detached")


def front(page: Page) -> None:
    """The pictures of the front page: parts of benches on a narrow screen, by day and night."""
    FRONT.mkdir(parents=True, exist_ok=True)
    enter(page)
    for theme in ("day", "night"):
        page.evaluate("theme => localStorage.setItem('apex-theme', theme)", theme)
        for name, (address, first) in FRONT_VIEWS.items():
            page.goto(address)
            page.wait_for_timeout(1500)
            box = page.get_by_text(first).first.bounding_box()
            assert box is not None, first
            top = page.evaluate("() => window.scrollY") + box["y"] - 14
            page.screenshot(path=FRONT / f"{name}-{theme}.png", full_page=True, clip={"x": 4, "y": top, "width": 412, "height": 330})
    page.evaluate("() => localStorage.setItem('apex-theme', 'day')")
    page.context.clear_cookies()


def take(page: Page) -> None:
    """All pictures, at 1280 × 800."""
    TARGET.mkdir(parents=True, exist_ok=True)
    page.goto("/")
    page.evaluate("() => localStorage.setItem('apex-theme', 'day')")
    page.reload()
    page.screenshot(path=TARGET / "front.png")
    enter(page)
    page.goto("/garage/cars/quick/")
    for name, text in _HATCH.items():
        page.locator(f"[name={name}]").fill(text)
    page.get_by_role("button", name="Show the car").click()
    page.get_by_text("As the model has it").wait_for()
    page.screenshot(path=TARGET / "quick-car.png")
    page.goto("/events/1/lap/")
    page.get_by_text("than the line of least curvature").first.wait_for()
    for name, address in VIEWS.items():
        page.goto(address)
        page.get_by_text("Working out what would turn these plans").wait_for(state="hidden")
        page.wait_for_timeout(300)
        page.screenshot(path=TARGET / f"{name}.png")
    page.goto("/events/1/runs/12/")
    page.get_by_role("link", name="3", exact=True).click()
    page.locator("[data-drawn]").wait_for()
    page.wait_for_timeout(300)
    page.screenshot(path=TARGET / "traces.png")
    page.goto("/events/1/race/live/")
    page.get_by_role("button", name="Start race").click()
    page.get_by_text("lap 0").first.wait_for()
    page.screenshot(path=TARGET / "race-mode.png")
    sheet(page, "sheet")
    page.evaluate("() => localStorage.setItem('apex-theme', 'night')")
    sheet(page, "sheet-night")


def sheet(page: Page, name: str) -> None:
    """The sheet bench with a step taken and one item in focus."""
    page.goto("/events/1/sheet/")
    page.evaluate("() => localStorage.removeItem('apex-draft-1-4')")
    page.reload()
    page.get_by_label("Front anti-roll bar", exact=True).focus()
    page.locator("[data-effect]").first.wait_for()
    page.keyboard.press("ArrowDown")
    page.get_by_text("1 unsaved change").wait_for()
    page.wait_for_timeout(500)
    page.screenshot(path=TARGET / f"{name}.png")
    page.evaluate("() => localStorage.removeItem('apex-draft-1-4')")


def main() -> None:
    with tempfile.TemporaryDirectory() as var:
        env = {**os.environ, "APEX_VAR": var, "APEX_DEMO": "1"}
        newcomer = ["new_owner", "newcomer", "--password", "withy-bend-4"]
        for command in (["migrate", "-v0"], ["load_demo"], newcomer):
            subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=env, check=True)
        with running(Path(var)) as (address, _), sync_playwright() as playwright:
            flags = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
            narrow = browser.new_page(viewport={"width": 420, "height": 900}, device_scale_factor=2, base_url=address)
            front(narrow)
            begin(page)
            take(page)
            browser.close()


if __name__ == "__main__":
    main()
