"""Four newcomers, each from an account without an event to a first useful answer, by keyboard alone and in a stated number of steps.

A step is a control reached with Tab and operated: typed into, chosen or pressed. Whatever has no name for a screen reader is not found.
"""

import os
import subprocess
import sys
from collections.abc import Callable, Iterator

import pytest
from playwright.sync_api import Browser, Error, Page, expect

from .conftest import ROOT, new_context, watched_page

pytestmark = pytest.mark.xdist_group("newcomers")

_NAME_OF_FOCUS = """() => {
  const box = document.activeElement;
  const label = box.getAttribute("aria-label") || (box.labels && box.labels.length ? box.labels[0].innerText : "") || box.innerText || "";
  return label.replace(/\\s+/g, " ").trim();
}"""


class Keys:
    """A racer who uses the keyboard alone."""

    def __init__(self, page: Page) -> None:
        self.page, self.steps = page, 0

    def reach(self, name: str) -> None:
        """Tabs on to the control whose name begins so."""
        self.steps += 1
        for _ in range(400):
            self.page.keyboard.press("Tab")
            there = self._named()
            if there.startswith(name) and not there[len(name) : len(name) + 1].isalnum():
                return
        raise AssertionError(f"no control named {name} can be reached on {self.page.url}")

    def _named(self) -> str:
        """What has the focus is called; empty while a page is on its way."""
        try:
            return str(self.page.evaluate(_NAME_OF_FOCUS))
        except Error:
            self.page.wait_for_timeout(250)
            return ""

    def write(self, name: str, text: str) -> None:
        self.reach(name)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.insert_text(text)

    def choose(self, name: str, words: str) -> None:
        self.reach(name)
        self.page.keyboard.type(words)

    def tick(self, name: str) -> None:
        self.reach(name)
        self.page.keyboard.press("Space")

    def press(self, name: str) -> None:
        self.reach(name)
        with self.page.expect_navigation():
            self.page.keyboard.press("Enter")
        self.page.wait_for_load_state("networkidle")

    def find(self, words: str) -> None:
        """Opens something by the palette."""
        self.steps += 1
        box = self.page.get_by_role("combobox", name="A sheet, run, corner, item, word or page")
        for _ in range(60):  # a page that is still on its way takes no key
            self.page.keyboard.press("Control+k")
            self.page.wait_for_timeout(250)
            if box.is_visible():
                break
        expect(box).to_be_focused()
        expect(self.page.locator("#found a").first).to_be_visible()
        self.page.keyboard.type(words)
        expect(self.page.locator("#found a").first).to_contain_text(words[:12])
        before = self.page.url
        self.page.keyboard.press("Enter")
        if "#" not in before:
            self.page.wait_for_url(lambda url: url != before)
        self.page.wait_for_load_state("networkidle")

    def car(self, told: dict[str, str], ticks: tuple[str, ...]) -> None:
        """Describes a car and adds it to the garage."""
        self.find("Your car in two minutes")
        for name, text in told.items():
            (self.choose if name in ("Kind", "Driven wheels", "Tyres") else self.write)(name, text)
        for name in ticks:
            self.tick(name)
        self.press("Show the car")
        expect(self.page.get_by_text("As the model has it")).to_be_visible()
        self.press("Add to the garage")

    def event(self, name: str, car: str, circuit: str) -> None:
        """Makes an event, and skips the tour."""
        self.find("Events")
        self.write("Event", name)
        self.choose("Car", car)
        self.choose("Circuit", circuit)
        self.press("Create event")
        self.press("Skip the tour")

    def sheet(self, reason: str) -> None:
        """Saves the first sheet."""
        self.find("Sheet bench")
        self.write("Why this change", reason)
        self.press("Save as a new sheet")


@pytest.fixture
def newcomer(browser: Browser, site: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Callable[[str], Keys]]:
    """A racer with an account of his own, signed in, on its first page."""
    folder, pages = tmp_path_factory.getbasetemp() / "site", list[tuple[Page, list[str]]]()

    def arrives(name: str) -> Keys:
        env = {**os.environ, "APEX_VAR": str(folder)}
        subprocess.run([sys.executable, "manage.py", "new_owner", name, "--password", "withy-bend-4"], cwd=ROOT, env=env, check=True)
        wrong: list[str] = []
        page = watched_page(new_context(browser, site), site, wrong)
        pages.append((page, wrong))
        page.goto("/sign-in/")
        keys = Keys(page)
        keys.write("Username", name)
        keys.write("Password", "withy-bend-4")
        keys.press("Sign in")
        expect(page.get_by_role("heading", level=1)).to_have_text("Your race engineer begins here")
        keys.steps = 0
        return keys

    yield arrives
    for page, wrong in pages:
        page.context.close()
        assert not wrong, wrong


@pytest.mark.thorough_only
def test_a_kart_driver_gets_a_pressure_in_psi(newcomer: Callable[[str], Keys]) -> None:
    keys = newcomer("karter")
    keys.find("Units")
    keys.press("US")
    told = {
        "Name": "Club kart", "Kind": "kart", "Mass with driver": "355", "Driver in race wear": "165", "Front weight": "43", "Peak power": "29 hp",
        "at": "11500", "Rev limit": "15500", "Gears": "1", "Last gear at the rev limit": "73",
        "Sprockets, teeth on engine/axle (one gear)": "11/80", "Tyres": "kart",
    }  # fmt: skip
    keys.car(told, ("Final drive or sprockets",))
    keys.event("Club day", "Club kart", "Quernlow")
    keys.sheet("as it stands")
    keys.press("Readings")
    for wheel in ("front left", "front right", "rear left", "rear right"):
        keys.write(f"Hot pressure, {wheel}, psi", "14.5")
    keys.press("Save reading")
    expect(keys.page.get_by_text("Reading saved.")).to_be_visible()
    keys.press("Put these pressures")
    value = keys.page.get_by_label("Cold pressure front left, psi").input_value()
    assert 5.0 < float(value) < 16.0 and keys.steps <= 36, (value, keys.steps)
    keys.find("Axle sprocket")
    keys.page.keyboard.press("ArrowUp")
    expect(keys.page.get_by_role("textbox", name="Axle sprocket", exact=True)).to_have_value("81")
    expect(keys.page.locator("[data-change]")).to_contain_text("s")


@pytest.mark.thorough_only
def test_a_club_racer_gets_a_verdict_from_pasted_laps(newcomer: Callable[[str], Keys]) -> None:
    keys = newcomer("clubman")
    told = {
        "Name": "My hatch", "Mass with driver": "1050", "Front weight": "62", "Peak power": "140", "at": "7000", "Rev limit": "7500",
        "Driven wheels": "the front", "Gears": "5", "Last gear at the rev limit": "225", "Tyre size, front": "205/50 R15",
    }  # fmt: skip
    keys.car(told, ("Anti-roll bars",))
    keys.event("Track day", "My hatch", "Sallowmere")
    keys.sheet("as it stands")
    keys.find("Rear anti-roll bar")
    keys.page.keyboard.press("ArrowUp")
    keys.write("Why this change", "stiffer rear bar: it pushes")
    keys.press("Save as a new sheet")
    paste = {"S1": "1'29.9 Marit\n1.30.1\n1:30.0", "S2": "1:29.1\n1:29.3\n1:29.2"}
    for sheet in ("S1", "S2", "S1", "S2"):
        keys.find("Runs bench")
        keys.choose("Sheet", sheet)
        keys.write("Laps, one a line", paste[sheet])
        keys.press("Add run")
    keys.find("Verdicts bench")
    sentence = keys.page.locator("[data-verdict]").inner_text()
    assert "S2" in sentence and "S1" in sentence and "s a lap" in sentence and keys.steps <= 48, (sentence, keys.steps)


@pytest.mark.thorough_only
def test_an_oval_racer_gets_a_fuel_load(newcomer: Callable[[str], Keys]) -> None:
    keys = newcomer("ovaller")
    told = {
        "Name": "Late saloon", "Kind": "oval car", "Mass with driver": "1275", "Front weight": "50", "Peak power": "300", "at": "6000", "Rev limit": "7100",
        "Gears": "4", "Last gear at the rev limit": "215", "Tyres": "slicks",
    }  # fmt: skip
    keys.car(told, ("Cross weight (wedge)", "Stagger (rear tyres)"))
    keys.event("Lantern race", "Late saloon", "Hollin")
    keys.sheet("as it stands")
    for item, value in (("Stagger", "5"), ("Cross weight offset (wedge)", "0.2")):
        keys.find(item)
        keys.page.keyboard.press("ArrowUp")
        expect(keys.page.get_by_role("textbox", name=item).first).to_have_value(value)
        expect(keys.page.locator("[data-change]")).to_contain_text("s")
    keys.write("Why this change", "a step of stagger and of wedge: it pushes off the second corner")
    keys.press("Save as a new sheet")
    keys.find("Race bench")
    sentence = keys.page.locator(".verdict-line").first.inner_text()
    assert "Start with" in sentence and " l" in sentence and keys.steps <= 29, (sentence, keys.steps)


@pytest.mark.thorough_only
def test_a_league_driver_with_a_fixed_setup_gets_a_braking_point(newcomer: Callable[[str], Keys]) -> None:
    keys = newcomer("leaguer")
    told = {
        "Name": "Spec coupe", "Kind": "coupé or GT", "Mass with driver": "1315", "Front weight": "49.5", "Peak power": "325", "at": "6400", "Rev limit": "7400",
        "Gears": "6", "Last gear at the rev limit": "275", "Tyres": "slicks",
    }  # fmt: skip
    keys.car(told, ("Rear wing", "Fixed setup"))
    keys.event("League round", "Spec coupe", "Sallowmere")
    keys.sheet("as the league sets it")
    keys.find("Corner 3")
    page = keys.page
    expect(page.get_by_text("Braking point").first).to_be_visible()
    assert keys.steps <= 26, keys.steps
