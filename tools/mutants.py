"""Mutation testing: break one thing in the source, run the tests that should see it, and list what nobody saw.

    ./run mutants [PACKAGE] [--sample N] [--seed S] [--kernels]

A package of the core enters (all of them when none is named); mutants are drawn from its syntax trees: a number ten
per cent larger or its sign turned, a comparison or an operator turned round, two arguments swapped, a call's result
replaced by its argument. Each is tried in a copy of the project, with the tests of its room (`TESTS`), those named
after the mutated module first. What survives is printed with its place, to be killed by a new check or explained in
docs/proof.md. Kernels of a mutated file are compiled anew; a number that kernels of other files have frozen stays what
it was there, so such mutants may survive unjustly.
"""

from __future__ import annotations

import argparse
import ast
import copy
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
CORE = ("aim", "colour", "develop", "document", "meter", "output", "sky", "stage", "sun", "trace")
TESTS = {
    "aim": ("tests/aim", "tests/commands/test_aim.py"),
    "colour": ("tests/develop", "tests/sky/test_air.py"),
    "develop": ("tests/develop",),
    "document": ("tests/document", "tests/output/test_document_to_light.py"),
    "meter": ("tests/meter", "tests/output/test_document_to_picture.py"),
    "output": ("tests/output", "tests/test_cli.py"),
    "sky": ("tests/sky", "tests/output/test_document_to_light.py"),
    "stage": ("tests/stage",),
    "sun": ("tests/sun", "tests/aim"),
    "trace": ("tests/trace",),
}
TURNED = {
    ast.Lt: ast.GtE,
    ast.LtE: ast.Gt,
    ast.Gt: ast.LtE,
    ast.GtE: ast.Lt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.And: ast.Or,
    ast.Or: ast.And,
}
LONGEST_S = 600.0  # a mutant that runs longer than this hangs, which is seen


class Mutant(NamedTuple):
    """A file, the line, what was done there, and the source that results."""

    path: Path
    line: int
    what: str
    source: str


def _changes(node: ast.AST) -> Iterator[tuple[str, ast.AST]]:
    """What can be done to a node: words and the new node."""
    if isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.value:
        if isinstance(node.value, float):
            yield f"{node.value} * 1.1", ast.Constant(node.value * 1.1)
            yield f"{node.value} turned", ast.UnaryOp(ast.USub(), ast.Constant(node.value))
        else:
            yield f"{node.value} + 1", ast.Constant(node.value + 1)
    if isinstance(node, ast.BinOp) and type(node.op) in TURNED:
        yield "operator turned", ast.BinOp(node.left, TURNED[type(node.op)](), node.right)
    if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in TURNED:
        yield "comparison turned", ast.Compare(node.left, [TURNED[type(node.ops[0])]()], node.comparators)
    if isinstance(node, ast.BoolOp):
        yield "and for or", ast.BoolOp(TURNED[type(node.op)](), node.values)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        yield "sign dropped", node.operand
    if (
        isinstance(node, ast.Call)
        and len(node.args) >= 2
        and not any(isinstance(a, ast.Starred) for a in node.args)
    ):
        yield (
            "arguments swapped",
            ast.Call(node.func, [node.args[1], node.args[0], *node.args[2:]], node.keywords),
        )
    if (
        isinstance(node, ast.Call)
        and len(node.args) == 1
        and not isinstance(node.args[0], ast.Starred | ast.GeneratorExp)
    ):
        yield "call dropped", node.args[0]


class _Replace(ast.NodeTransformer):
    def __init__(self, index: int, new: ast.AST) -> None:
        self.index, self.new, self.count = index, new, -1

    def visit(self, node: ast.AST) -> ast.AST:
        self.count += 1
        return self.new if self.count == self.index else self.generic_visit(node)


def _walk(node: ast.AST) -> Iterator[ast.AST]:
    """Nodes in the order in which `_Replace` counts them."""
    yield node
    for child in ast.iter_child_nodes(node):
        yield from _walk(child)


def _inside(part: object) -> set[int]:
    """The nodes of a part of a tree, one node or a list of them."""
    parts = part if isinstance(part, list) else [part]
    return {id(child) for node in parts if isinstance(node, ast.AST) for child in ast.walk(node)}


def _run_nodes(tree: ast.Module) -> set[int]:
    """Nodes that are run: not annotations, defaults, decorators or texts of errors."""
    out = _inside(tree)
    for node in ast.walk(tree):
        if isinstance(node, ast.Raise | ast.arguments | ast.Import | ast.ImportFrom):
            out -= _inside(node)
        for name in ("annotation", "returns", "decorator_list"):
            out -= _inside(getattr(node, name, None))
    return out


def mutants_of(path: Path) -> list[Mutant]:
    """Every mutant of a file."""
    tree = ast.parse(path.read_text())
    run, out = _run_nodes(tree), []
    for index, node in enumerate(_walk(tree)):
        if id(node) not in run:
            continue
        for what, new in _changes(node):
            changed = _Replace(index, copy.deepcopy(new)).visit(copy.deepcopy(tree))
            source = ast.unparse(ast.fix_missing_locations(changed))
            out.append(Mutant(path, getattr(node, "lineno", 0), what, source))
    return out


def _tests_of(inside: Path, copied: Path) -> list[str]:
    """The tests of a module's room, those named after the module first."""
    room, stem = inside.parts[2], inside.stem
    named = sorted((copied / "tests").rglob(f"test_{stem}*.py"))
    return [*(str(path.relative_to(copied)) for path in named if room in path.parts), *TESTS[room]]


def _killed(mutant: Mutant, copied: Path) -> bool:
    """Whether the tests of its room see a mutant, tried in a copy of the project."""
    inside = mutant.path.relative_to(ROOT)
    target = copied / inside
    before = target.read_bytes()
    kernels = copied / "kernels"
    environment = {**os.environ, "PYTHONPATH": str(copied / "src"), "NUMBA_CACHE_DIR": str(kernels)}
    environment["QT_QPA_PLATFORM"] = "offscreen"
    fresh = None
    if inside.parts[2] in ("trace", "sky", "develop") and b"njit" in before:  # callers froze what it was
        fresh = environment["NUMBA_CACHE_DIR"] = tempfile.mkdtemp()
    target.write_text(mutant.source)
    words = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *_tests_of(inside, copied)]
    try:
        ran = subprocess.run(words, cwd=copied, env=environment, capture_output=True, timeout=LONGEST_S)
        return ran.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        target.write_bytes(before)
        if fresh is not None:
            shutil.rmtree(fresh, ignore_errors=True)


def _try_all(drawn: list[Mutant], workers: int) -> list[str]:
    """The places of the survivors; each worker has a copy of the project to itself."""
    copies: SimpleQueue[Path] = SimpleQueue()
    survivors: list[str] = []
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(workers) as pool:
        for number in range(workers):
            copied = Path(folder) / str(number)
            shutil.copytree(ROOT, copied, ignore=shutil.ignore_patterns(".venv", ".git", "__pycache__"))
            copies.put(copied)

        def tried(mutant: Mutant) -> None:
            copied = copies.get()
            dead = _killed(mutant, copied)
            copies.put(copied)
            place = f"{mutant.path.relative_to(ROOT)}:{mutant.line}: {mutant.what}"
            print("killed  " if dead else "SURVIVED", place, flush=True)
            survivors.extend([] if dead else [place])

        list(pool.map(tried, drawn))
    return survivors


def main() -> None:
    """Draw, try, tell."""
    parser = argparse.ArgumentParser(
        prog="./run mutants", description="Break the core and see whether a test notices."
    )
    parser.add_argument("package", nargs="?", choices=CORE, help="only this package")
    parser.add_argument("--sample", type=int, default=20, help="so many mutants (20)")
    parser.add_argument("--seed", type=int, default=1, help="other mutants")
    parser.add_argument("--workers", type=int, default=2, help="so many at a time (2)")
    parser.add_argument(
        "--kernels", action="store_true", help="those of files with kernels, else those without"
    )
    options = parser.parse_args()
    rooms = (options.package,) if options.package else CORE
    files = [p for room in rooms for p in sorted((ROOT / "src/gloamet" / room).rglob("*.py"))]
    files = [p for p in files if ("@njit" in p.read_text()) == options.kernels]
    every = [mutant for path in files for mutant in mutants_of(path)]
    drawn = random.Random(options.seed).sample(every, min(options.sample, len(every)))
    print(f"{len(drawn)} of {len(every)} mutants", flush=True)
    begin = time.monotonic()
    survivors = _try_all(drawn, options.workers)
    share = 100.0 * (1.0 - len(survivors) / max(1, len(drawn)))
    print(f"killed {share:.0f} % in {time.monotonic() - begin:.0f} s; survivors:", *survivors, sep="\n  ")


if __name__ == "__main__":
    main()
