# SPDX-License-Identifier: Apache-2.0
"""The plan of the house: floors, import circles, the size of functions and files, and what kernels freeze."""

from __future__ import annotations

import ast
from functools import cache
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "gloamet"
FLOORS = {
    "errors": 0,
    "kernelcache": -1,
    "jit": 0,
    "quick_math": 1,
    "colour": 1,
    "sun": 1,
    "thread_barrier": 1,
    "shipped_data": 0,
    "files": 1,
    "memo": 1,
    "thread_pool": 0,
    "light_layers": 1,
    "document": 2,
    "sky": 3,
    "stage": 3,
    "trace": 4,
    "meter": 5,
    "develop": 5,
    "aim": 5,
    "output": 6,
    "translation": 7,
    "preview": 8,
    "desk": 9,
    "bench": 10,
    "commands": 11,
    "cli": 12,
    "__main__": 13,
    "__init__": 13,
}
# within a package, low to high: a subpackage imports those before it; modules of the package itself come at the dot
SUBPACKAGES = {
    "stage": ("readers",),
    "trace": ("geometry", "surfaces", "lights", ".", "relight"),
    "desk": (
        "widgets",
        "state",
        "files",
        "actions",
        "aim",
        "instruments",
        "picture",
        "compare",
        "steps",
        ".",
    ),
}
MOST_FILES = 20
FILES = sorted(SOURCE.rglob("*.py"))
MOST_LINES, MOST_FUNCTION_LINES, MOST_INTEGRATOR_LINES, MOST_PARAMETERS = 410, 60, 90, 10
# ray queries: Embree's own arguments, which the kernels' helpers pack and unpack
INTRINSICS = {"rays.py:intersect", "rays.py:occluded"}


@cache
def tree(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


def module_of(path: Path) -> str:
    parts = path.relative_to(SOURCE.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def floor_of(path: Path) -> tuple[str, int]:
    name = path.relative_to(SOURCE).parts[0].removesuffix(".py")
    return name, FLOORS[name]


def imports(path: Path) -> list[str]:
    names: list[str] = []
    for node in ast.walk(tree(path)):
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
        assert FLOORS[parts[1]] < floor or parts[1] == package, name


def test_developing_and_metering_know_no_document() -> None:
    for path in FILES:
        if floor_of(path)[0] in ("develop", "meter"):
            assert not [name for name in imports(path) if name.startswith("gloamet.document")], path


def test_output_only_writes_and_reads_files() -> None:
    for path in FILES:
        if floor_of(path)[0] == "output":
            assert not [name for name in imports(path) if name.startswith("gloamet.translation")], path


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_only_the_desk_knows_qt(path: Path) -> None:
    if floor_of(path)[0] not in ("desk", "bench"):
        assert not [name for name in imports(path) if name.startswith("PySide6")]


def test_threads_for_computing_are_started_in_one_place() -> None:
    makers = [str(p.relative_to(SOURCE)) for p in FILES if "ThreadPoolExecutor(" in p.read_text()]
    assert makers == ["thread_pool.py"]


def subpackage_of(module: str, package: str) -> str:
    """The subpackage a module lies in, "." for the package itself."""
    parts = module.split(".")
    return parts[2] if len(parts) > 3 or (SOURCE / package / parts[-1]).is_dir() else "."


@pytest.mark.parametrize("package", ["trace", "desk"])
def test_subpackages_import_one_way_only(package: str) -> None:
    order = SUBPACKAGES[package]
    for module, edges in graph().items():
        if module.startswith(f"gloamet.{package}.") and module.count("."):
            here = order.index(subpackage_of(module, package))
            for other in edges:
                if other.startswith(f"gloamet.{package}."):
                    assert order.index(subpackage_of(other, package)) <= here, f"{module} imports {other}"


def test_no_folder_holds_more_than_twenty_modules() -> None:
    counts: dict[Path, int] = {}
    for path in FILES:
        if floor_of(path)[0] in SUBPACKAGES:
            counts[path.parent] = counts.get(path.parent, 0) + (path.name != "__init__.py")
    assert not {str(folder): n for folder, n in counts.items() if n > MOST_FILES}


def graph() -> dict[str, set[str]]:
    """Modules and what each imports, inside functions and for type checking too."""
    known = {module_of(path) for path in FILES}
    found = {}
    for path in FILES:
        edges = set()
        for name in imports(path):
            edges.add(name if name in known else name.rpartition(".")[0])
        found[module_of(path)] = (edges & known) - {module_of(path), "gloamet"}
    return found


def test_no_imports_run_in_a_circle() -> None:
    edges, done, path = graph(), set(), []

    def visit(name: str) -> None:
        assert name not in path, " → ".join([*path[path.index(name) :], name])
        if name in done:
            return
        path.append(name)
        for other in sorted(edges[name]):
            visit(other)
        path.pop()
        done.add(name)

    for name in sorted(edges):
        visit(name)


def functions() -> list[tuple[str, ast.FunctionDef]]:
    return [
        (f"{path.name}:{node.name}", node)
        for path in FILES
        for node in ast.walk(tree(path))
        if isinstance(node, ast.FunctionDef)
    ]


def docstring_lines(node: ast.AST) -> int:
    """Lines that docstrings take: a documented function is not a long one."""
    total = 0
    for inner in ast.walk(node):
        if isinstance(inner, ast.Module | ast.ClassDef | ast.FunctionDef) and ast.get_docstring(inner):
            text = inner.body[0]
            total += (text.end_lineno or text.lineno) - text.lineno + 1
    return total


def test_every_file_stays_readable() -> None:
    lines = {str(p): len(p.read_text().splitlines()) - docstring_lines(tree(p)) for p in FILES}
    assert not {name: n for name, n in lines.items() if n > MOST_LINES}


def test_every_function_stays_readable() -> None:
    limits = {"path_tracer.py:trace_path": MOST_INTEGRATOR_LINES}
    lines = {
        name: node.end_lineno - node.lineno + 1 - docstring_lines(node)
        for name, node in functions()
        if node.end_lineno
    }
    assert not {name: n for name, n in lines.items() if n > limits.get(name, MOST_FUNCTION_LINES)}


def test_no_function_takes_more_than_ten_parameters() -> None:
    counts = {name: len(node.args.args) + len(node.args.kwonlyargs) for name, node in functions()}
    methods = {name for name, node in functions() if node.args.args[:1] and node.args.args[0].arg == "self"}
    over = {name: n for name, n in counts.items() if n - (name in methods) > MOST_PARAMETERS}
    assert set(over) <= INTRINSICS, over


def test_tests_stand_where_what_they_test_stands() -> None:
    """tests/<room>/.../test_<module>.py, with the topic after the module where one file would be too long."""
    modules: dict[str, set[str]] = {}
    for path in FILES:
        module = module_of(path).split(".")
        if len(module) > 2:
            modules.setdefault(module[1], set()).update((module[1], module[-1], module[-2]))
    root = Path(__file__).parent
    for path in root.rglob("test_*.py"):
        room, *rest = path.relative_to(root).parts
        if rest:
            name = path.stem.removeprefix("test_")
            assert [m for m in modules[room] if name == m or name.startswith(f"{m}_")], path


def test_no_panel_writes_style_sheets() -> None:
    """Measures, colours and states are in `desk/widgets` alone."""
    desk = SOURCE / "desk"
    written = [
        str(path.relative_to(desk))
        for path in desk.rglob("*.py")
        if "setStyleSheet" in path.read_text() and path.parent.name != "widgets"
    ]
    assert written == []
