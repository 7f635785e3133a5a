# SPDX-License-Identifier: Apache-2.0
"""Compiling the kernels while the window is already open: once per machine and version.

`gloamet prepare` runs as a process of its own; how far it is leaves as a share and seconds left. Where nothing has to
be compiled, everything is ready from the beginning.
"""

from __future__ import annotations

import contextlib
import math
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import NamedTuple

from gloamet.kernelcache import STAGE_SECONDS, is_ready, mark_used

BESIDE = "relighting"  # the stage that runs in parallel to the others
NICENESS = "10"  # preliminary pictures come first; with 19 a busy machine would hardly compile at all
MOST_SHARE = 0.97  # shown while it is not done


class PreparationState(NamedTuple):
    """How far it is, 0..1, and about how many seconds are left."""

    fraction: float
    seconds_left: float


class KernelPreparation:
    """One run of `gloamet prepare`, if it is needed."""

    def __init__(self) -> None:
        mark_used()
        self._process: subprocess.Popen[bytes] | None = None
        self._begin = math.inf
        self._done: dict[str, float] = {}  # seconds after the begin when a stage was seen to be ready

    def start(self) -> None:
        """Start compiling missing kernels, once."""
        if self._process is None and not self.ready():
            self._begin = time.monotonic()
            command = ["nice", "-n", NICENESS, sys.executable, "-m", "gloamet", "prepare", "--with-parent"]
            # a session of its own: what it starts beside it is stopped with it
            self._process = subprocess.Popen(command, stderr=subprocess.DEVNULL, start_new_session=True)
            with contextlib.suppress(
                OSError
            ):  # Linux shares processors between sessions, and by nice within one
                Path(f"/proc/{self._process.pid}/autogroup").write_text(NICENESS)

    def ready(self, *stages: str) -> bool:
        """Whether the kernels of these stages, or of all, are compiled; also when the process has ended, for what it
        could not compile is compiled where it is used."""
        if self._process is not None and self._process.poll() is not None:
            return True
        for stage in STAGE_SECONDS:
            if stage not in self._done and is_ready(stage):
                self._done[stage] = time.monotonic() - self._begin
        return self._done.keys() >= set(stages or STAGE_SECONDS)

    def state(self) -> PreparationState:
        """How far it is, by the stages that are done and what they take here."""
        if self.ready():
            return PreparationState(1.0, 0.0)
        queue = [stage for stage in STAGE_SECONDS if stage != BESIDE]
        done = [stage for stage in queue if stage in self._done]
        slowness = 1.0
        if done:
            slowness = max(self._done[stage] for stage in done) / sum(STAGE_SECONDS[stage] for stage in done)
        whole = slowness * max(sum(STAGE_SECONDS[stage] for stage in queue), STAGE_SECONDS[BESIDE])
        passed = max(0.0, time.monotonic() - self._begin)
        left = max(whole - passed, (1.0 - MOST_SHARE) * passed)
        return PreparationState(passed / (passed + left), left)

    def close(self) -> None:
        """Stop compiling; compiled kernels are kept."""
        if self._process is not None and self._process.poll() is None:
            os.killpg(self._process.pid, signal.SIGTERM)
            self._process.wait(5.0)
