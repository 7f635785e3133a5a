# SPDX-License-Identifier: Apache-2.0
"""`gloamet prepare`: compiles every kernel once, so that the first start is as fast as later ones."""

from __future__ import annotations

import argparse
import os
import signal
import subprocess
import sys
import threading
import time

from gloamet.commands.table import register
from gloamet.errors import GloametError
from gloamet.kernelcache import STAGE_SECONDS, mark_ready, remove_unused_folders

PARENT_LOOK_S = 0.5  # between two looks at whether the program that started it lives


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "prepare")
    parser.add_argument("--stage", choices=list(STAGE_SECONDS), help="only this stage")
    parser.add_argument(
        "--with-parent", action="store_true", help="end when the program that started it ends"
    )
    parser.set_defaults(run=run)


def _prepare(stage: str) -> None:
    from gloamet.commands.kernel_stages import STAGES

    STAGES[stage]()
    mark_ready(stage)


def _end_with_parent() -> None:
    """Stop this process and those it started when the program that started it is gone."""
    parent = os.getppid()

    def watch() -> None:
        """Look at the parent until it is another."""
        while os.getppid() == parent:
            time.sleep(PARENT_LOOK_S)
        os.killpg(os.getpgid(0), signal.SIGTERM)

    threading.Thread(target=watch, name="parent", daemon=True).start()


def run(options: argparse.Namespace) -> None:
    """Compile with progress; the two large phases in parallel processes."""
    if options.with_parent:
        _end_with_parent()
    if options.stage:
        _prepare(options.stage)
        return
    remove_unused_folders()
    start = time.perf_counter()
    print(f"  preparing: {', '.join(STAGE_SECONDS)} …", file=sys.stderr, flush=True)
    beside = subprocess.Popen([sys.executable, "-m", "gloamet", "prepare", "--stage", "relighting"])
    for name in STAGE_SECONDS:
        if name != "relighting":
            _prepare(name)
            print(f"  {name}: ready after {time.perf_counter() - start:.0f} s", file=sys.stderr, flush=True)
    if beside.wait() != 0:
        raise GloametError("The kernels could not be compiled: the lines above say why.")
    print(f"  relighting: ready after {time.perf_counter() - start:.0f} s", file=sys.stderr)
