"""`gloamet demo`."""

from __future__ import annotations

import argparse


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = commands.add_parser("demo")
    parser.set_defaults(run=lambda o: None)
