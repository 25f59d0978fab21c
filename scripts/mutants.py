"""Do the tests bite? Changes one formula of the core, or one line of the site, at a time and runs the tests that are nearest to it.

The changes stand in `scripts/mutants.json`: file, the line before and after, why it matters, and the tests that should notice.
What `make test` does not notice is tried on what is run in `make thorough` alone. A change that no test notices survives. Ends with the
figures on one line, and with an error if fewer than nine in ten were caught.
"""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

from apexcore.compiled import store

ROOT = Path(__file__).parents[1]
LIST = Path(__file__).with_name("mutants.json")

#: Share of the changes that the tests must notice, and the time that one change may take [s].
WANTED, _PATIENCE_S = 0.9, 600.0
#: What pytest ends with where it is left with no test.
_NONE = 5


_SAID = {"test": "caught  ", "thorough": "thorough", "": "SURVIVED"}


@dataclass(frozen=True)
class Mutant:
    """One change.

    :param file: of the core, from the root
    :param before: text that stands there exactly once
    :param after: what it becomes
    :param why: what the change would break
    :param tests: paths or node ids, from the root
    """

    file: str
    before: str
    after: str
    why: str
    tests: tuple[str, ...]

    def apply(self, tree: Path) -> str:
        """Changes the tree; returns the text as it was.

        :raises ValueError: if the line does not stand there once
        """
        path = tree / self.file
        text = path.read_text()
        if text.count(self.before) != 1:
            raise ValueError(f"{self.file}: “{self.before}” stands there {text.count(self.before)} times; expected once")
        path.write_text(text.replace(self.before, self.after))
        return text


def read_mutants() -> list[Mutant]:
    """The list, in its order."""
    return [Mutant(tests=tuple(line.pop("tests")), **line) for line in json.loads(LIST.read_text())]


def _tree(folder: Path) -> Path:
    """A copy of what the tests need."""
    for name in ("apexcore", "apextrim", "demo", "docs", "tests", "scripts", "requirements"):
        shutil.copytree(ROOT / name, folder / name)
    for name in ("pyproject.toml", "manage.py", "README.md", "Makefile"):
        shutil.copy(ROOT / name, folder / name)
    if store().is_dir():  # compiled kernels of the sources as they are; those of a change stay in here
        shutil.copytree(store(), folder / "kernels")
    return folder


def caught(mutant: Mutant, tree: Path) -> str:
    """The command whose tests fail, or run nothing at all, with this change in the tree; empty where none does."""
    text = mutant.apply(tree)
    try:
        env = {**os.environ, "APEX_VAR": str(tree / "var"), "PYTHONDONTWRITEBYTECODE": "1", "APEX_KERNELS": str(tree / "kernels")}
        warm = subprocess.run([sys.executable, "-m", "apexcore.warm"], cwd=tree, env=env, capture_output=True, timeout=_PATIENCE_S)
        if warm.returncode:  # what does not even compile is noticed
            return "test"
        command = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", "-p", "no:xdist", *mutant.tests]
        try:
            done = subprocess.run(command, cwd=tree, env=env, capture_output=True, timeout=_PATIENCE_S)
        except subprocess.TimeoutExpired:
            return "test"
        if done.returncode in (1, 2):
            return "test"
        if done.returncode not in (0, _NONE):
            raise RuntimeError(f"{mutant.file}: pytest ended with {done.returncode}: {done.stdout.decode()[-400:]}")
        more = [*command, "-m", "thorough_only", "--ignore", "tests/browser"]
        try:
            done = subprocess.run(more, cwd=tree, env={**env, "APEX_THOROUGH": "1"}, capture_output=True, timeout=_PATIENCE_S)
        except subprocess.TimeoutExpired:  # as slow without the change
            return ""
        return "thorough" if done.returncode in (1, 2) else ""
    except subprocess.TimeoutExpired:
        return "test"
    finally:
        (tree / mutant.file).write_text(text)


def main(chosen: list[str]) -> int:
    """Runs every mutant, or those whose file holds one of the words."""
    mutants = [mutant for mutant in read_mutants() if not chosen or any(word in mutant.file for word in chosen)]
    with tempfile.TemporaryDirectory() as temporary:
        trees: Queue[Path] = Queue()
        for number in range(2):
            trees.put(_tree(Path(temporary) / str(number)))

        def run(mutant: Mutant) -> str:
            tree = trees.get()
            try:
                found = caught(mutant, tree)
            finally:
                trees.put(tree)
            print(f"{_SAID[found]} {mutant.file}: {mutant.after.strip()[:90]}  ({mutant.why})", flush=True)
            return found

        with ThreadPoolExecutor(2) as pool:
            found = list(pool.map(run, mutants))
    noticed = sum(map(bool, found))
    late = f", {found.count('thorough')} of them in make thorough alone" if "thorough" in found else ""
    print(f"mutants: {noticed} of {len(found)} caught ({100 * noticed / max(len(found), 1):.0f} %){late}")
    return 0 if noticed >= WANTED * len(found) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
