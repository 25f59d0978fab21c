"""The house as docs/architecture.md has it: what the import contracts cannot see."""

import ast
import re
from pathlib import Path

import pytest
from django.core.management import call_command

SITE = Path(__file__).parents[1] / "apextrim"
APPS = sorted(path.name for path in SITE.iterdir() if (path / "__init__.py").exists() and path.name != "management")


def imports(file: Path) -> list[str]:
    """Every module and name that a file of the site imports, absolute."""
    found = []
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            found += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and node.level == 0:
            found += [f"{node.module}.{alias.name}" for alias in node.names] + [str(node.module)]
    return found


@pytest.mark.parametrize("app", APPS)
def test_no_app_reaches_into_anothers_views_or_templates(app: str) -> None:
    for file in (SITE / app).rglob("*.py"):
        for name in imports(file):
            parts = name.split(".")
            if parts[0] == "apextrim" and len(parts) > 2 and parts[1] != app:
                assert not re.search(r"views$|^urls$", parts[2]), (file, name)
        for template in re.findall(r'"(\w+)/[\w/]+\.html"', file.read_text()):
            assert template in (app, "ui"), (file, template)
    for page in (SITE / app / "templates").rglob("*.html") if (SITE / app / "templates").exists() else []:
        for template in re.findall(r'{% (?:include|extends) "(\w+)/', page.read_text()):
            assert template in (app, "ui"), (page, template)


def test_the_core_knows_no_django_and_opens_no_file() -> None:
    for file in (SITE.parent / "apexcore").rglob("*.py"):
        assert not [name for name in imports(file) if name.split(".")[0] in ("django", "apextrim", "demo")], file
        if file.name != "warm.py":  # the store of compiled code is its business
            assert not re.search(r"\bopen\(|\.read_text\(|\.write_text\(", file.read_text()), file


def test_every_app_is_installed() -> None:
    settings = (SITE / "settings.py").read_text()
    assert [app for app in APPS if f'"apextrim.{app}"' not in settings] == []


TEMPLATES = sorted(SITE.rglob("*.html"))


@pytest.mark.parametrize("page", TEMPLATES, ids=lambda page: page.name)
def test_a_template_can_be_read_by_a_person(page: Path) -> None:
    lines = page.read_text().splitlines()
    assert [line for line in lines if len(line) > 120] == []
    for cell in re.findall(r"<th\b[^>]*>", page.read_text()):
        assert re.search(r'scope="(col|row|colgroup|rowgroup)"', cell), cell


@pytest.mark.django_db
def test_every_change_of_a_model_has_its_migration() -> None:
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)  # ends the process where one lacks
