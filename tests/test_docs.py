"""The pages that are written from the code are current, and what the README shows is there."""

import dataclasses
import importlib
import inspect
import pkgutil
import re
from pathlib import Path

import apexcore
from apexcore.quantities import TERMS
from scripts.docs import glossary

ROOT = Path(__file__).parents[1]


def test_the_glossary_is_current() -> None:
    assert (ROOT / "docs" / "glossary.md").read_text() == glossary()


def _fields() -> set[str]:
    """Every field of every class of the core, as `Class.field`."""
    names = set()
    for module in pkgutil.walk_packages(apexcore.__path__, "apexcore."):
        for name, kind in inspect.getmembers(importlib.import_module(module.name), inspect.isclass):
            held = (
                [field.name for field in dataclasses.fields(kind)] if dataclasses.is_dataclass(kind) else getattr(kind, "model_fields", ())
            )
            names |= {f"{name}.{field}" for field in held}
    return names


def test_every_name_of_the_glossary_exists_in_the_code() -> None:
    fields = _fields()
    unknown = [(term.name, field) for term in TERMS for field in term.fields if field not in fields]
    assert len(fields) > 300 and not unknown
    assert len({term.name for term in TERMS}) == len(TERMS) and all(
        term.meaning.endswith(".") and term.more.endswith(".") for term in TERMS
    )


def test_every_field_of_the_glossary_says_what_it_is() -> None:
    rows = re.findall(r"^\| `(\w+)` \| ([^|]*) \| ([^|]*) \| [^|]* \|$", glossary(), re.MULTILINE)
    silent = [name for name, _, words in rows if words.strip().lower() == name.replace("_", " ")]
    assert len(rows) > 120 and not silent


def test_every_case_of_the_proof_page_holds() -> None:
    page = (ROOT / "docs" / "proof.md").read_text()
    assert page.count("| holds |") >= 17
    assert "fails" not in page


def test_every_link_of_the_pages_leads_somewhere() -> None:
    for page in [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+)", page.read_text()):
            assert (page.parent / target).exists(), (page.name, target)


def _defined() -> set[str]:
    """Every function, class and module of both packages, as `module.name` and `module`."""
    names = set()
    for package in ("apexcore", "apextrim"):
        for path in (ROOT / package).rglob("*.py"):
            found = re.findall(r"^(?:def|class) (\w+)|^(\w+) = ", path.read_text(), re.MULTILINE)
            room = f"{path.parent.name}.{path.stem}"
            names |= {room, path.stem} | {f"{where}.{a or b}" for a, b in found for where in (room, path.stem)} | {a or b for a, b in found}
    return names


def test_every_hop_of_the_four_walks_is_there() -> None:
    walks = (ROOT / "docs" / "architecture.md").read_text().split("## Four walks")[1].split("## Habits")[0]
    names = _defined()
    hops = [hop for hop in re.findall(r"`([a-zA-Z_]\w+(?:\.\w+)*)`", walks) if hop not in {"ArrowUp", "item.js", "sheetBench.js"}]
    assert len(hops) > 30
    assert not [hop for hop in hops if hop not in names and hop != "Item.read"]


def test_every_room_of_the_house_is_shown() -> None:
    page = (ROOT / "docs" / "architecture.md").read_text()
    rooms = [
        path.name
        for package in ("apexcore", "apextrim")
        for path in (ROOT / package).iterdir()
        if path.is_dir() and path.name != "__pycache__"
    ]
    assert len(rooms) > 15 and not [room for room in rooms if f"`{room}`" not in page]
