"""The product as a racer starts it: its own server on its own data, driven by Debian's Chromium."""

import fcntl
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, StorageState, expect, sync_playwright

from scripts.servers import running
from tests.database import migrated

ROOT = Path(__file__).parents[2]
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


expect.set_options(timeout=90_000)  # for a busy machine; nothing waits longer than it must

#: `make demo` without its server, in one process, on a database that has its tables.
_LOADED = """
import os, django
from django.core.management import call_command
os.environ["DJANGO_SETTINGS_MODULE"] = "apextrim.settings"
django.setup()
call_command("load_demo")
"""


def demo_folder(shared: Path) -> Path:
    """A folder with the demo's database, loaded once for all workers of a test run."""
    folder = shared / "demo"
    with (shared / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            part = shared / "demo.part"
            part.mkdir()
            shutil.copyfile(migrated(), part / "apextrim.sqlite3")
            env = {**os.environ, "APEX_VAR": str(part), "APEX_DEMO": "1"}
            subprocess.run([sys.executable, "-c", _LOADED], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL)
            part.rename(folder)
    return folder


@pytest.fixture(scope="session")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """Address of a running product with the demo scenario, a worker's own."""
    base = tmp_path_factory.getbasetemp()
    folder = base / "site"
    shutil.copytree(demo_folder(base.parent if "PYTEST_XDIST_WORKER" in os.environ else base), folder)
    # what a test compares with the core must not move to another line while it looks: the search for lines has tests of its own
    os.environ["APEX_FIND_LINES"] = "0"
    os.environ["APEX_SERVERS"] = "1"  # two have tests of their own
    with running(folder) as (address, _):
        del os.environ["APEX_FIND_LINES"], os.environ["APEX_SERVERS"]
        yield address


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


def new_context(browser: Browser, site: str, state: StorageState | None = None) -> BrowserContext:
    """A browser of its own, nobody signed in or with the cookies of another."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=site, accept_downloads=True, storage_state=state)
    context.set_default_timeout(45_000)  # how long a wait may last on a busy machine; nothing waits longer than it must
    return context


@pytest.fixture(scope="session")
def signed_in(browser: Browser, site: str) -> Iterator[BrowserContext]:
    """A browser of a racer who opened the demo; a context takes Chromium a second, so that a worker has one."""
    context = new_context(browser, site)
    page = context.new_page()
    page.goto("/")
    page.get_by_role("button", name="Open the demo").click()
    page.get_by_role("heading", name="The Sallowmere Trophy, round 2", exact=True).wait_for()
    page.get_by_role("button", name="Skip the tour").click()  # it stands above every bench until then
    page.get_by_role("button", name="Skip the tour").wait_for(state="detached")
    page.close()
    yield context
    context.close()


def watched_page(context: BrowserContext, site: str, wrong: list[str]) -> Page:
    """A page that writes down any console error, failed script or request to elsewhere."""
    page = context.new_page()
    expected = "the server responded with a status of 422"  # a form that was sent back, on purpose
    page.on("console", lambda m: wrong.append(m.text) if m.type in ("error", "warning") and expected not in m.text else None)
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on("request", lambda request: wrong.append(request.url) if not request.url.startswith((site, "blob:")) else None)
    return page


def leave(page: Page) -> None:
    """Closes a page; the next one finds nothing that the browser kept for it."""
    if not page.is_closed():
        page.evaluate("() => { if (location.origin !== 'null') { localStorage.clear(); sessionStorage.clear(); } }")
        page.close()


@pytest.fixture
def page(site: str, signed_in: BrowserContext) -> Iterator[Page]:
    """A signed-in page; anything wrong on it fails the test."""
    wrong: list[str] = []
    page = watched_page(signed_in, site, wrong)
    yield page
    leave(page)
    assert not wrong, wrong
