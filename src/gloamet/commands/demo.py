"""`gloamet demo`: the window with the shipped scene."""

from __future__ import annotations

import argparse

from gloamet.document.demo import TITLE, demo_document


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = commands.add_parser("demo", help="open the window with the demo scene")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Open the demo."""
    from gloamet.desk.start import run_desk

    return run_desk(document=demo_document(), title=TITLE)
