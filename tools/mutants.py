# SPDX-License-Identifier: Apache-2.0
"""Mutation testing: break one thing in the source, run the tests that should see it, and list what nobody saw.

    ./run mutants [PACKAGE] [--sample N] [--seed S] [--kernels] [--new-map]

A package of the core enters (all of them when none is named); mutants are drawn from its syntax trees: a number ten per
cent larger or its sign turned, a comparison or an operator turned round, two arguments swapped, a call's result
replaced by its argument; not where that says the same, as `max(b, a)` or a number without its `float`. Each is tried in
a copy of the project with the tests that run its line, those that run little else first; which these are, and how long
they take, is a map that one run of the whole suite under `coverage` makes (a quarter of an hour; kept in `.mutants`).
Lines of kernels are not seen there: their tests are those of the module's name, those whose file names the module, and
those of its room. What survives is
printed with its place, to be killed by a new check or explained in docs/proof.md. What kernels may have frozen of a
mutated file, all of a file with kernels and whatever stands outside functions, is compiled again. At the end the tests
that killed run without a fault: who fails then has killed nothing.
"""

from __future__ import annotations

import argparse
import ast
import copy
import json
import os
import random
import re
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import NamedTuple

from coverage import CoverageData

from mutant_runner import HANGS, Copy, compiled_kernels

ROOT = Path(__file__).resolve().parents[1]
CORE = ("aim", "colour", "develop", "document", "meter", "output", "sky", "stage", "sun", "trace")
MAP = ROOT / ".mutants" / "tests_by_line.json"
MOST_TESTS = 1000  # that a mutant is tried with
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
LARGE = 10  # whole numbers from here are made a tenth larger, as one more is often nothing
EITHER_WAY = {"max", "min", "maximum", "minimum", "hypot"}  # whose arguments say the same when swapped
SAME_VALUE = {
    "float",
    "bool",
    "asarray",
    "tuple",
    "list",
    "float32",
    "F",
    "uint64",
    "int64",
    "array",
    "Path",
}  # which leave a value what it is
UNKNOWN_S = 0.2  # of a test younger than the map


class Mutant(NamedTuple):
    """A file, the number of a node of its tree and of what can be done to it, the line, words for what is done, whether
    kernels come from the file, and whether kernels may hold it as it was when they were compiled."""

    path: Path
    node: int
    change: int
    line: int
    what: str
    kernel: bool
    frozen: bool

    def position(self) -> str:
        """Where it is and what is done, in words."""
        return f"{self.path.relative_to(ROOT)}:{self.line}: {self.what}"

    def source(self) -> str:
        """The file with the change made."""
        tree = ast.parse(self.path.read_text())
        node = list(_walk(tree))[self.node]
        new = list(_changes(node))[self.change][1]
        return ast.unparse(ast.fix_missing_locations(_Replace(self.node, copy.deepcopy(new)).visit(tree)))


def _name(node: ast.AST) -> str:
    """The last word of what is called."""
    return node.attr if isinstance(node, ast.Attribute) else getattr(node, "id", "")


def _changes(node: ast.AST) -> Iterator[tuple[str, ast.AST]]:
    """What can be done to a node: words and the new node."""
    if isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.value:
        if isinstance(node.value, float):
            yield f"{node.value} * 1.1", ast.Constant(node.value * 1.1)
            yield f"{node.value} turned", ast.UnaryOp(ast.USub(), ast.Constant(node.value))
        elif node.value < LARGE:
            yield f"{node.value} + 1", ast.Constant(node.value + 1)
        else:
            yield f"{node.value} * 1.1", ast.Constant(round(node.value * 1.1))
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
        and _name(node.func) not in EITHER_WAY
    ):
        yield (
            "arguments swapped",
            ast.Call(node.func, [node.args[1], node.args[0], *node.args[2:]], node.keywords),
        )
    if (
        isinstance(node, ast.Call)
        and len(node.args) == 1
        and not isinstance(node.args[0], ast.Starred | ast.GeneratorExp)
        and _name(node.func) not in SAME_VALUE
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
    text = path.read_text()
    tree, kernel = ast.parse(text), "@njit" in text
    run, out = _run_nodes(tree), []
    called = _inside([node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef | ast.Lambda)])
    for index, node in enumerate(_walk(tree)):
        if id(node) in run:
            line, frozen = getattr(node, "lineno", 0), kernel or id(node) not in called
            changes = enumerate(_changes(node))
            out += [Mutant(path, index, k, line, what, kernel, frozen) for k, (what, _) in changes]
    return out


class TestMap(NamedTuple):
    """Which tests run a line of a file ("src/…": {line: [test]}), and the seconds each takes."""

    tests: dict[str, dict[str, list[str]]]
    seconds: dict[str, float]

    def reach(self) -> Counter[str]:
        """How many lines each test runs: one that runs few is about them."""
        return Counter(test for lines in self.tests.values() for tests in lines.values() for test in tests)


def _make_map() -> TestMap:
    """Run the whole suite under coverage, each line with the tests that reach it."""
    print("making the map of tests by line …", flush=True)
    MAP.parent.mkdir(exist_ok=True)
    data = MAP.with_name("coverage")
    environment = {**os.environ, "COVERAGE_FILE": str(data), "QT_QPA_PLATFORM": "offscreen"}
    words = ["-n", "2", "--dist", "loadfile", "--cov=gloamet", "--cov-context=test", "--cov-report="]
    words += ["--durations=0", "-vv", "-p", "no:cacheprovider"]
    ran = subprocess.run(
        [sys.executable, "-m", "pytest", *words], cwd=ROOT, env=environment, capture_output=True, text=True
    )
    seconds: dict[str, float] = {}
    for took, test in re.findall(r"^([\d.]+)s (?:call|setup)\s+(tests/.+)$", ran.stdout, re.MULTILINE):
        seconds[test] = seconds.get(test, 0.0) + float(took)
    covered, tests = CoverageData(str(data)), {}
    covered.read()
    for path in covered.measured_files():
        lines = {
            str(line): sorted({context.partition("|")[0] for context in contexts if context})
            for line, contexts in covered.contexts_by_lineno(path).items()
        }
        tests[str(Path(path).relative_to(ROOT))] = lines
    MAP.write_text(json.dumps([tests, seconds]))
    return TestMap(tests, seconds)


def _tests_of(
    mutant: Mutant, found: TestMap, reach: Counter[str], there: set[str], most_s: float
) -> tuple[list[str], float]:
    """The tests a mutant is tried with, of those that are there, and the seconds they take: those named after its file
    first, then those that run its line, then those that run the file, as its line may have run for whoever came first
    and been remembered; of a kind those first that run little else."""
    inside = mutant.path.relative_to(ROOT)
    lines = found.tests.get(str(inside), {})
    here = set(lines.get(str(mutant.line), ()))
    in_file = Counter(test for tests in lines.values() for test in tests)
    room = f"tests/{inside.parts[2]}/"

    def named(test: str) -> bool:
        # test_usd is of usd_worker too, test_path_tracer_rooms of path_tracer, test_portals of sun_portals
        name, stem = Path(test.partition("::")[0]).stem.removeprefix("test_"), inside.stem
        return (
            f"{name}_".startswith(f"{stem}_")
            or f"{stem}_".startswith(f"{name}_")
            or stem.endswith(f"_{name}")
        )

    files = {test.partition("::")[0] for test in in_file}
    if mutant.kernel:
        module = ".".join(inside.with_suffix("").parts[1:])
        every = {test.partition("::")[0] for test in there}
        files |= {file for file in every if f"from {module} import" in (ROOT / file).read_text()}

    def young(test: str) -> bool:
        """Younger than the map, and where it may well run the file."""
        return test not in found.seconds and (test.startswith(room) or test.partition("::")[0] in files)

    def order(test: str) -> tuple[int, float, float]:
        line = test in here or (mutant.kernel and test.partition("::")[0] in files)
        rank = 0 if young(test) else (0 if line else 1) if named(test) else 2 if line else 3
        return rank, -in_file[test] / max(1, reach[test]), found.seconds.get(test, UNKNOWN_S)

    anywhere = not in_file or mutant.kernel  # lines of kernels are not seen
    wanted = [
        test
        for test in there
        if test in in_file
        or named(test)
        or young(test)
        or (anywhere and (test.startswith(room) or test.partition("::")[0] in files))
    ]
    kept, total = [], 0.0
    for test in sorted(wanted, key=order):
        seconds = found.seconds.get(test, UNKNOWN_S)
        if len(kept) < MOST_TESTS and (not kept or total + seconds <= most_s):
            kept.append(test)
            total += seconds
    return kept, total


def _try_all(drawn: list[Mutant], found: TestMap, workers: int, most_s: float) -> list[str]:
    """The places of the survivors; each worker has a copy of the project to itself. Who is killed by a test that fails
    without a fault survives."""
    free: SimpleQueue[Copy] = SimpleQueue()
    killers: dict[Mutant, str] = {}
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(workers) as pool:
        kernels = compiled_kernels()
        copies = [Copy(Path(folder) / str(number), kernels) for number in range(workers)]
        there = copies[0].existing_tests()
        reach = found.reach()
        for one in copies:
            free.put(one)

        def tried(mutant: Mutant) -> None:
            tests, seconds = _tests_of(mutant, found, reach, there, most_s)
            one = free.get()
            inside = mutant.path.relative_to(ROOT)
            by = one.killer(inside, mutant.source(), tests, seconds, mutant.frozen) if tests else ""
            free.put(one)
            killers[mutant] = by
            print(
                f"killed   {mutant.position()} by {by}" if by else f"SURVIVED {mutant.position()}", flush=True
            )

        list(pool.map(tried, drawn))
        for one in copies:
            if one.server:
                one.server.kill()
        for test in copies[0].failing(set(killers.values()) - {"", HANGS}):
            print(f"fails without a fault: {test}")
            for mutant in [mutant for mutant, by in killers.items() if by == test]:
                killers[mutant] = ""
                print(f"SURVIVED {mutant.position()}", flush=True)
    return [mutant.position() for mutant in drawn if not killers[mutant]]


def main() -> None:
    """Draw, try, tell."""
    parser = argparse.ArgumentParser(
        prog="./run mutants", description="Break the core and see whether a test notices."
    )
    parser.add_argument("package", nargs="?", choices=CORE, help="only this package")
    parser.add_argument("--sample", type=int, default=20, help="so many mutants (20)")
    parser.add_argument("--seed", type=int, default=1, help="other mutants")
    parser.add_argument(
        "--new-map", action="store_true", help="run the suite for the map of tests by line again"
    )
    parser.add_argument("--workers", type=int, default=2, help="so many at a time (2)")
    parser.add_argument(
        "--kernels", action="store_true", help="those of files with kernels, else those without"
    )
    parser.add_argument("--seconds", type=float, default=60.0, help="of tests that each is tried with (60)")
    parser.add_argument(
        "--again", type=Path, help="of those drawn only the survivors in what an earlier run printed"
    )
    options = parser.parse_args()
    rooms = (options.package,) if options.package else CORE
    files = [p for room in rooms for p in sorted((ROOT / "src/gloamet" / room).rglob("*.py"))]
    files = [p for p in files if ("@njit" in p.read_text()) == options.kernels]
    every = [mutant for path in files for mutant in mutants_of(path)]
    drawn = random.Random(options.seed).sample(every, min(options.sample, len(every)))
    if options.again:
        survived = options.again.read_text()
        drawn = [mutant for mutant in drawn if f"SURVIVED {mutant.position()}\n" in survived]
    print(f"{len(drawn)} of {len(every)} mutants", flush=True)
    found = TestMap(*json.loads(MAP.read_text())) if MAP.exists() and not options.new_map else _make_map()
    begin = time.monotonic()
    survivors = _try_all(drawn, found, options.workers, options.seconds)
    fraction = 100.0 * (1.0 - len(survivors) / max(1, len(drawn)))
    print(f"killed {fraction:.0f} % in {time.monotonic() - begin:.0f} s; survivors:", *survivors, sep="\n  ")


if __name__ == "__main__":
    main()
