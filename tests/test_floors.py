"""The plan of the house: imports go down the floors, and nothing below the desk knows of Qt."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "gloamet"
FLOORS = {
    "errors": 0, "kernelcache": 0, "jit": 0,
    "colour": 1, "sun": 1, "team": 1,
    "document": 2,
    "sky": 3, "stage": 3,
    "trace": 4,
    "meter": 5, "develop": 5, "aim": 5,
    "output": 6, "desk": 6,
    "bench": 7, "commands": 8, "cli": 9, "__main__": 10, "__init__": 10,
}  # fmt: skip
FILES = sorted(SOURCE.rglob("*.py"))


def floor_of(path: Path) -> tuple[str, int]:
    name = path.relative_to(SOURCE).parts[0].removesuffix(".py")
    return name, FLOORS[name]


def imports(path: Path) -> list[str]:
    names: list[str] = []
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module:
            names += [f"{node.module}.{alias.name}" for alias in node.names]
    return names


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_imports_only_go_down(path: Path) -> None:
    package, floor = floor_of(path)
    for name in imports(path):
        parts = name.split(".")
        if parts[0] != "gloamet" or len(parts) < 2 or parts[1] == "__version__":
            continue
        other = FLOORS[parts[1]]
        assert other < floor or parts[1] == package or (package == "desk" and parts[1] == "output"), name


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_only_the_desk_knows_qt(path: Path) -> None:
    if floor_of(path)[0] not in ("desk", "bench"):
        assert not [name for name in imports(path) if name.startswith("PySide6")]


def test_every_file_stays_readable() -> None:
    assert not [str(p) for p in FILES if len(p.read_text().splitlines()) > 450]
