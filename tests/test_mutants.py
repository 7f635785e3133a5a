# SPDX-License-Identifier: Apache-2.0
"""The tool that breaks the core: what it changes, what it leaves, and what it compiles again for it."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import pytest

TOOLS = Path(__file__).parents[1] / "tools"
SOURCE = '''"""A module."""
LIMIT = 0.5

def far(a: int, b: int = 3) -> float:
    """How far."""
    if a < b and not b:
        raise ValueError("no 7")
    return max(a, 2) + float(abs(-b)) * pair(a, b)
'''
CHANGES = [
    ("0.5 * 1.1", "LIMIT = 0.55"),
    ("0.5 turned", "LIMIT = -0.5"),
    ("and for or", "a < b or not b"),
    ("comparison turned", "a >= b and"),
    ("operator turned", "max(a, 2) - float(abs(-b)) * pair(a, b)"),
    ("2 + 1", "max(a, 3)"),
    ("operator turned", "float(abs(-b)) / pair(a, b)"),
    ("call dropped", "float(-b)"),
    ("sign dropped", "float(abs(b))"),
    ("arguments swapped", "pair(b, a)"),
]


@pytest.fixture
def tools(monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[ModuleType, ModuleType]]:
    monkeypatch.syspath_prepend(str(TOOLS))
    import mutant_runner
    import mutants

    yield mutants, mutant_runner
    for name in ("mutants", "mutant_runner"):
        sys.modules.pop(name)


def test_a_mutant_is_the_file_with_one_thing_that_is_run_changed(
    tools: tuple[ModuleType, ModuleType], tmp_path: Path
) -> None:
    path = tmp_path / "far.py"
    path.write_text(SOURCE)
    plain = ast.unparse(ast.parse(SOURCE)).splitlines()
    drawn = tools[0].mutants_of(path)
    # neither defaults, types, texts of errors nor what says the same: max swapped, a number without its float
    assert [mutant.what for mutant in drawn] == [what for what, _ in CHANGES]
    for mutant, (_, there) in zip(drawn, CHANGES, strict=True):
        changed = mutant.source().splitlines()
        (line,) = (new for old, new in zip(plain, changed, strict=True) if old != new)
        assert there in line
        assert SOURCE.splitlines()[mutant.line - 1].strip()[:5] == line.strip()[:5]
    assert [mutant.frozen for mutant in drawn] == [True, True] + [False] * 8  # what stands outside functions


def test_what_kernels_hold_of_a_source_is_compiled_anew_with_all_that_import_it(
    tools: tuple[ModuleType, ModuleType], tmp_path: Path
) -> None:
    for name, text in (
        ("a", ""),
        ("b", "from pack import a"),
        ("c", "def f():\n    from pack.b import x"),
        ("d", "import numpy"),
        ("e", "from pack.c import f\nfrom pack.d import g"),
    ):
        (tmp_path / "pack").mkdir(exist_ok=True)
        (tmp_path / "pack" / f"{name}.py").write_text(text)
    found = tools[1].importers(tmp_path, Path("pack/a.py"))
    assert sorted(path.stem for path in found) == ["a", "b", "c", "e"]
    assert sorted(path.stem for path in tools[1].importers(tmp_path, Path("pack/d.py"))) == ["d", "e"]


def test_a_fault_is_seen_by_the_test_that_fails_by_it_alone(
    tools: tuple[ModuleType, ModuleType], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    runner = tools[1]
    project = tmp_path / "project"
    for name, text in (
        ("src/one.py", "VALUE = 1\n"),
        (
            "tests/test_one.py",
            "import one\n"
            "def test_there():\n    assert one\n"
            "def test_right():\n    assert one.VALUE == 1\n"
            "def test_wrong():\n    assert one.VALUE == 2\n",
        ),
    ):
        (project / name).parent.mkdir(parents=True)
        (project / name).write_text(text)
    monkeypatch.setattr(runner, "ROOT", project)
    monkeypatch.setattr(runner, "LOADED_FIRST", ("numba",))
    monkeypatch.setenv("PYTEST_DISABLE_PLUGIN_AUTOLOAD", "1")  # they take seconds
    there, right, wrong = (f"tests/test_one.py::test_{name}" for name in ("there", "right", "wrong"))
    one = runner.Copy(tmp_path / "copy", tmp_path / "kernels")
    position, tests = Path("src/one.py"), [there, right]
    assert one.killer(position, "VALUE = 1.0\n", tests, 1.0, False) == ""
    assert one.killer(position, "VALUE = 3\n", tests, 1.0, False) == right
    assert one.killer(position, "VALUE = (", tests, 1.0, False) == "tests/test_one.py"
    assert one.killer(position, "import os; os._exit(3)", tests, 1.0, False) == runner.HANGS
    assert (one.folder / position).read_text() == "VALUE = 1\n"  # as it was
    one.server.kill()
    assert one.failing({there, right, wrong}) == {wrong}
