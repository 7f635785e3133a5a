# SPDX-License-Identifier: Apache-2.0
"""`gloamet demo`: the window with one of the shipped scenes."""

from __future__ import annotations

import argparse

from gloamet.commands.table import register
from gloamet.document.demo import TITLES, demo_document


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "demo")
    parser.add_argument("scene", nargs="?", choices=list(TITLES), default="house", help="which demo")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Open the demo."""
    from gloamet.desk.start import run_desk

    return run_desk(document=demo_document(options.scene), title=TITLES[options.scene])
