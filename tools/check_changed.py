# SPDX-License-Identifier: Apache-2.0
"""Run the tests of what changed against a commit, for at most a minute and a half: `./run check [commit]`.

Changed files of git enter. A test file is run when it changed, or when it imports a changed module by name; files that
import more of the changed modules run first. Tests that did not begin within the budget are skipped and counted.
"""

from __future__ import annotations

import ast
import subprocess
import sys
import time
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
BUDGET_S = 90.0
ALWAYS = ("tests/test_structure.py", "tests/test_docstrings.py")


def changed_files(base: str) -> list[str]:
    """Paths that differ from a commit, and those git does not know yet, relative to the repository."""
    listed = []
    for command in (["diff", "--name-only", base], ["ls-files", "--others", "--exclude-standard"]):
        answer = subprocess.run(["git", *command], cwd=ROOT, check=True, capture_output=True, text=True)
        listed += answer.stdout.split()
    return sorted(set(listed))


def module_name(path: str) -> str:
    """Dotted name of a source file, or nothing for another file.

    >>> module_name("src/gloamet/sky/dome.py"), module_name("src/gloamet/sky/__init__.py"), module_name("README.md")
    ('gloamet.sky.dome', 'gloamet.sky', '')
    """
    if not (path.startswith("src/gloamet/") and path.endswith(".py")):
        return ""
    return path.removeprefix("src/").removesuffix(".py").removesuffix("/__init__").replace("/", ".")


def imports_of(text: str) -> set[str]:
    """Modules of the program that a Python text imports, with the parents' names joined.

    >>> sorted(imports_of("from gloamet.sky import dome"))
    ['gloamet.sky', 'gloamet.sky.dome']
    """
    found: set[str] = set()
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("gloamet"):
            found |= {node.module} | {f"{node.module}.{name.name}" for name in node.names}
        elif isinstance(node, ast.Import):
            found |= {name.name for name in node.names if name.name.startswith("gloamet")}
    return found


def selected_tests(changed: list[str]) -> list[str]:
    """Test files to run for changed files, those with the most to do with them first."""
    modules = {module_name(path) for path in changed} - {""}
    found: dict[str, int] = {}
    for path in sorted((ROOT / "tests").rglob("test_*.py")):
        name = str(path.relative_to(ROOT))
        count = len(modules & imports_of(path.read_text()))
        if name in changed or count:
            found[name] = count + 1000 * (name in changed)
    ranked = sorted(found, key=lambda name: -found[name])
    return [name for name in ALWAYS if name not in ranked] + ranked


class Budget:
    """Skips what has not begun when the time is spent."""

    def __init__(self, seconds: float) -> None:
        self.end, self.left_out = time.monotonic() + seconds, 0

    def pytest_runtest_setup(self) -> None:
        """Called by pytest before each test."""
        if time.monotonic() > self.end:
            self.left_out += 1
            pytest.skip("the time of the quick check is spent; ./run test runs all")


def main() -> int:
    """Run the tests and say how many the budget left out."""
    chosen = selected_tests(changed_files(sys.argv[1] if len(sys.argv) > 1 else "HEAD"))
    print("Tests:", *chosen, sep="\n  ", flush=True)
    budget = Budget(BUDGET_S)
    failed = pytest.main(["-q", "-x", *chosen], plugins=[budget])
    if budget.left_out:
        print(f"{budget.left_out} tests were not run: {BUDGET_S:.0f} s were spent. ./run test runs all.")
    return int(failed)


if __name__ == "__main__":
    sys.exit(main())
