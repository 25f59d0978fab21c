"""Writes docs/glossary.md and docs/proof.md from the live code. `make docs` calls it."""

from pathlib import Path

from apexcore.quantities import GLOSSARY

from .proof import all_cases

DOCS = Path(__file__).parents[1] / "docs"


_GLOSSARY_HEAD = """# Glossary

Every quantity: its name in code, its unit, its words in the interface. Written by `make docs` from `apexcore/quantities/glossary.py`.

| in code | unit | in the interface | meaning |
|---|---|---|---|
"""


def glossary() -> str:
    """The glossary page."""
    lines = [f"| `{one.name}` | {one.unit} | {one.words} | {one.meaning} |" for one in GLOSSARY.values()]
    return _GLOSSARY_HEAD + "\n".join(lines) + "\n"


_PROOF_HEAD = """# Proof

Each figure as the code computes it, beside an answer known from elsewhere. Written by `make docs`; the same cases are tests.

| case | reference | computed | known | distance | allowed | |
|---|---|---|---|---|---|---|
"""


def proof() -> str:
    """The proof page."""
    lines = []
    for case in all_cases():
        mark = "holds" if case.error <= case.bound else "**fails**"
        distance = f"{case.error:.2g} {case.measure}"
        lines.append(f"| {case.name} | {case.reference} | {case.ours} | {case.known} | {distance} | {case.bound:g} | {mark} |")
    return _PROOF_HEAD + "\n".join(lines) + "\n"


def main() -> None:
    (DOCS / "glossary.md").write_text(glossary(), encoding="utf-8")
    (DOCS / "proof.md").write_text(proof(), encoding="utf-8")
    print("docs/glossary.md and docs/proof.md are written.")


if __name__ == "__main__":
    main()
