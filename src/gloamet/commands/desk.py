# SPDX-License-Identifier: Apache-2.0
"""`gloamet desk`: the window."""

from __future__ import annotations

import argparse
from pathlib import Path

from gloamet.commands.table import register
from gloamet.document.file import ENDING


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "desk")
    parser.add_argument("file", type=Path, nargs="?", help="project or model to open")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Open the window, with a file when one is named."""
    from gloamet.desk.start import run_desk

    if options.file is None:
        return run_desk()
    if options.file.suffix.lower() == ENDING:
        return run_desk(project=options.file)
    return run_desk(model=options.file)
