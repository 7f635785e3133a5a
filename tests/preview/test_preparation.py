# SPDX-License-Identifier: Apache-2.0
"""Kernels compiled beside an open desk: what is said while it goes on, and when rays may be traced."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any, ClassVar

import pytest

from gloamet import kernelcache
from gloamet.preview import preparation as preparation_module
from gloamet.preview.preparation import KernelPreparation


class Process:
    """A compiler that never ends by itself."""

    def __init__(self, *_words: Any, **_options: Any) -> None:
        self.code: int | None = None
        self.pid = id(self)
        Process.running[self.pid] = self

    running: ClassVar[dict[int, Process]] = {}

    def poll(self) -> int | None:
        return self.code

    def wait(self, _seconds: float) -> None:
        assert self.code is not None


@pytest.fixture
def empty_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path))
    monkeypatch.setattr(preparation_module.subprocess, "Popen", Process)
    monkeypatch.setattr(
        preparation_module.os, "killpg", lambda pid, _signal: setattr(Process.running[pid], "code", -15)
    )


def test_stages_that_are_marked_are_ready(empty_cache: None) -> None:
    preparation = KernelPreparation()
    preparation.start()
    assert not preparation.ready() and not preparation.ready("sky")
    kernelcache.mark_ready("sky")
    assert preparation.ready("sky") and not preparation.ready()
    for stage in kernelcache.STAGE_SECONDS:
        kernelcache.mark_ready(stage)
    assert preparation.ready()
    assert preparation.state() == (1.0, 0.0)


def test_nothing_is_started_where_all_is_compiled(empty_cache: None) -> None:
    for stage in kernelcache.STAGE_SECONDS:
        kernelcache.mark_ready(stage)
    preparation = KernelPreparation()
    preparation.start()
    assert preparation._process is None and preparation.ready()


def test_marks_of_other_sources_do_not_count(empty_cache: None, monkeypatch: pytest.MonkeyPatch) -> None:
    for stage in kernelcache.STAGE_SECONDS:
        kernelcache.mark_ready(stage)
    monkeypatch.setattr(kernelcache, "state", lambda: "another")
    assert not KernelPreparation().ready("sky")


def test_the_time_left_follows_the_machine(empty_cache: None, monkeypatch: pytest.MonkeyPatch) -> None:
    now = [100.0]
    monkeypatch.setattr(time, "monotonic", lambda: now[0])
    preparation = KernelPreparation()
    preparation.start()
    longest = max(kernelcache.STAGE_SECONDS.values())
    assert preparation.state().seconds_left == pytest.approx(longest)
    now[0] += 2.0 * kernelcache.STAGE_SECONDS["sky"]
    kernelcache.mark_ready("sky")  # at half the speed
    slow = preparation.state()
    assert slow.seconds_left == pytest.approx(2.0 * longest - 2.0 * kernelcache.STAGE_SECONDS["sky"])
    fractions = []
    for _ in range(300):
        now[0] += 3.0
        fractions.append(round(preparation.state().fraction, 9))
    assert fractions == sorted(fractions) and fractions[-1] < 1.0  # never done before it is


def test_a_compiler_that_ended_early_leaves_the_rest_to_use(empty_cache: None) -> None:
    preparation = KernelPreparation()
    preparation.start()
    process: Any = preparation._process
    process.code = 1
    assert preparation.ready()
    preparation = KernelPreparation()
    preparation.start()
    preparation.close()
    process = preparation._process
    assert process.code == -15


def test_compiling_ends_when_the_program_is_killed(tmp_path: Path) -> None:
    script = """
import os, sys, time
from gloamet.preview.preparation import KernelPreparation
preparation = KernelPreparation()
preparation.start()
print(preparation._process.pid, flush=True)
time.sleep(60)
"""
    environment = {k: v for k, v in os.environ.items() if k != "NUMBA_CACHE_DIR"}
    environment["XDG_CACHE_HOME"] = str(tmp_path)
    program = subprocess.Popen(
        [sys.executable, "-c", script], stdout=subprocess.PIPE, text=True, env=environment
    )
    assert program.stdout is not None
    group = int(program.stdout.readline())
    time.sleep(3.0)  # the compiler watches by now
    program.kill()
    program.wait()
    deadline = time.monotonic() + 30.0
    while time.monotonic() < deadline and _members(group):
        time.sleep(0.2)
    left = _members(group)
    if left:
        os.killpg(group, signal.SIGKILL)
    assert not left


def _members(group: int) -> list[str]:
    """Living processes of a process group."""
    found = []
    for path in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            fields = path.read_text().rpartition(")")[2].split()
            if int(fields[2]) == group and fields[0] != "Z":
                found.append(path.parent.name)
    return found
