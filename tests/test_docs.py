"""The pages that are written from the code are current, and what the README shows is there."""

import re
from pathlib import Path

from scripts.docs import glossary

ROOT = Path(__file__).parents[1]


def test_the_glossary_is_current() -> None:
    assert (ROOT / "docs" / "glossary.md").read_text() == glossary()


def test_every_case_of_the_proof_page_holds() -> None:
    page = (ROOT / "docs" / "proof.md").read_text()
    assert page.count("| holds |") >= 17
    assert "fails" not in page


def test_every_link_of_the_pages_leads_somewhere() -> None:
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+)", page.read_text()):
            assert (page.parent / target).exists(), (page.name, target)
