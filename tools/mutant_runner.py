# SPDX-License-Identifier: Apache-2.0
"""Where mutants are tried: a copy of the project with its kernels compiled, and a process that runs its tests.

A place in the project, another source for it and the tests that should see it enter; the test that fails by it leaves.
The process has loaded what tests import from outside and forks a child for every run, which saves most of the time that
a run of few tests takes. What kernels may have frozen is compiled again: kernels of a changed source and of all sources
that import it, for that run alone.
"""

from __future__ import annotations

import ast
import hashlib
import importlib
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
# a mutant that takes this and so many times what its tests take hangs: it is seen
PATIENCE_S, PATIENCE = 90.0, 4.0
HANGS = "a hang or a crash"  # that no test tells of
PYTEST_WORDS = ("-x", "-q", "-p", "no:cacheprovider")
# what tests import from outside and takes seconds; astropy first, as in tests/conftest.py
LOADED_FIRST = (
    "astropy.coordinates",
    "colour",
    "hypothesis",
    "numba",
    "pvlib",
    "PySide6.QtWidgets",
    "scipy.optimize",
)


def importers(root: Path, source: Path) -> set[Path]:
    """The sources below a root that import one, itself too, by whatever way round."""
    every = {path.relative_to(root) for path in root.rglob("*.py")}
    importing: dict[Path, set[Path]] = {path: set() for path in every}
    for path in every:
        for node in ast.walk(ast.parse((root / path).read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                package = Path(*node.module.split("."))
                for found in (package.with_suffix(".py"), *(package / f"{n.name}.py" for n in node.names)):
                    if found in every:
                        importing[found].add(path)
    reached, new = {source}, {source}
    while new:
        new = set().union(*(importing[path] for path in new)) - reached
        reached |= new
    return reached


class _FirstFailure:
    """Writes the first test that fails, or the file that can't be loaded, for the process that waits."""

    def __init__(self, writer: int) -> None:
        self.writer = writer

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        if report.failed:
            os.write(self.writer, f"{report.nodeid}\n".encode())

    def pytest_collectreport(self, report: pytest.CollectReport) -> None:
        if report.failed:
            os.write(self.writer, f"{report.nodeid}\n".encode())


def _serve(loaded_first: list[str]) -> None:
    """Run tests for whoever writes lines of them: a child each, forked when what tests import from outside is loaded
    already, which is most of what a run of few tests takes. The answer is the status and what failed."""
    sys.path.insert(0, os.getcwd())  # as `python -m pytest` has it
    for name in loaded_first:
        importlib.import_module(name)
    numba = sys.modules["numba"]
    for line in sys.stdin:
        seconds, kernels, tests = json.loads(line)
        reader, writer = os.pipe()
        child = os.fork()
        if not child:
            os.setpgid(0, 0)
            os.environ["NUMBA_CACHE_DIR"] = numba.config.CACHE_DIR = kernels
            nothing = os.open(os.devnull, os.O_RDWR)
            for stream in (0, 1, 2):
                os.dup2(nothing, stream)
            os._exit(pytest.main([*PYTEST_WORDS, *tests], plugins=[_FirstFailure(writer)]))
        os.close(writer)
        end, done, status = time.monotonic() + seconds, 0, 1
        while not done and time.monotonic() < end:
            time.sleep(0.05)
            done, status = os.waitpid(child, os.WNOHANG)
        if not done:
            os.killpg(child, signal.SIGKILL)
            os.waitpid(child, 0)
            status = 1  # it hangs: that is seen
        os.set_blocking(reader, False)
        with open(reader) as failed:
            print(json.dumps([status, failed.readline().strip()]), flush=True)


def compiled_kernels() -> Path:
    """The folder of the project's kernels, all compiled."""
    subprocess.run([sys.executable, "-m", "gloamet", "prepare"], cwd=ROOT, check=True, capture_output=True)
    where = "import os, gloamet; print(os.environ['NUMBA_CACHE_DIR'])"
    told = subprocess.run([sys.executable, "-c", where], cwd=ROOT, check=True, capture_output=True, text=True)
    return Path(told.stdout.strip())


def _compiled_name(source: Path) -> str:
    """The folder in which Numba keeps the kernels of a folder of sources."""
    return f"{source.name}_{hashlib.sha1(str(source).encode()).hexdigest()}"


class Copy:
    """A copy of the project in which mutants are tried, and the process that runs its tests."""

    def __init__(self, folder: Path, kernels: Path) -> None:
        self.folder = folder
        shutil.copytree(
            ROOT, folder, ignore=shutil.ignore_patterns(".venv", ".git", ".mutants", "__pycache__")
        )
        self.environment = {
            **os.environ,
            "PYTHONPATH": str(folder / "src"),
            "QT_QPA_PLATFORM": "offscreen",
            "NUMBA_CACHE_DIR": str(folder / "kernels"),
        }
        self.server: subprocess.Popen[str] | None = None
        for source in [path for path in (ROOT / "src").rglob("*") if path.is_dir()]:
            compiled = kernels / _compiled_name(source)
            if compiled.exists():
                there = folder / "kernels" / _compiled_name(folder / source.relative_to(ROOT))
                shutil.copytree(compiled, there)

    def existing_tests(self) -> set[str]:
        """The tests there are: a map may be older."""
        words = [
            sys.executable,
            "-m",
            "pytest",
            "--collect-only",
            "-q",
            "-o",
            "addopts=",
            "-p",
            "no:cacheprovider",
        ]
        told = subprocess.run(
            words, cwd=self.folder, env=self.environment, capture_output=True, text=True, check=True
        )
        return {line for line in told.stdout.splitlines() if "::" in line}

    def _answer(self, tests: list[str], patience: float, kernels: Path) -> str:
        """The first of tests that fails with what is compiled in a folder; nothing where none does."""
        if self.server is None:
            self.server = subprocess.Popen(
                [sys.executable, __file__, *LOADED_FIRST],
                cwd=self.folder,
                env=self.environment,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                text=True,
            )
        assert self.server.stdin and self.server.stdout
        self.server.stdin.write(json.dumps([patience, str(kernels), tests]) + "\n")
        self.server.stdin.flush()
        status, failed = json.loads(self.server.stdout.readline())
        return (failed or HANGS) if status else ""

    def _answer_compiled_anew(self, position: Path, tests: list[str], patience: float) -> str:
        """The same when kernels that may hold something of a source are compiled for the tests alone."""
        with tempfile.TemporaryDirectory() as folder:
            kernels = Path(folder) / "kernels"
            shutil.copytree(self.folder / "kernels", kernels, copy_function=os.link)
            for module in importers(self.folder / "src", position.relative_to("src")):
                for compiled in kernels.glob(f"{module.parent.name}_*/{module.stem}.*"):
                    compiled.unlink()
            return self._answer(tests, patience, kernels)

    def failing(self, tests: set[str]) -> set[str]:
        """Those of tests that fail here as it is, without a fault."""
        words = [sys.executable, "-m", "pytest", "-q", "--tb=no", "-rfE", "-o", "addopts=", *sorted(tests)]
        told = subprocess.run(words, cwd=self.folder, env=self.environment, capture_output=True, text=True)
        return {
            test for test in tests if re.search(rf"^(FAILED|ERROR) {re.escape(test)}( |$)", told.stdout, re.M)
        }

    def killer(self, position: Path, source: str, tests: list[str], seconds: float, frozen: bool) -> str:
        """Which of the tests, which take so many seconds, sees another source at a place, nothing where none does;
        frozen where kernels may hold something of it."""
        target = self.folder / position
        before, stat = target.read_bytes(), target.stat()
        target.write_text(source)
        try:
            patience = PATIENCE_S + PATIENCE * seconds
            if frozen:
                return self._answer_compiled_anew(position, tests, 3.0 * patience)
            return self._answer(tests, patience, self.folder / "kernels")
        finally:
            target.write_bytes(before)
            os.utime(target, ns=(stat.st_atime_ns, stat.st_mtime_ns))  # compiled kernels are kept by it


if __name__ == "__main__":
    _serve(sys.argv[1:])
