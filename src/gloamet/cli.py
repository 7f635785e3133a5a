# SPDX-License-Identifier: Apache-2.0
"""The `gloamet` command: the window, and every computation without a screen.

Each subcommand prints text for people or, with --json, one JSON object; bad input ends with one sentence
and exit code 2.
"""

from __future__ import annotations

import argparse
import re
import sys
from collections.abc import Sequence
from importlib import import_module

from gloamet import __version__
from gloamet.commands.table import COMMANDS, register
from gloamet.errors import GloametError


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise GloametError(f"{message[:1].upper()}{message[1:]}. Try: {self.prog} --help")


def _empty_parser() -> tuple[_Parser, argparse._SubParsersAction]:
    parser = _Parser(prog="gloamet", description="Physical daylight for architectural and product renders.")
    parser.add_argument("--version", action="version", version=f"gloamet {__version__}")
    return parser, parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)


def build_parser(only: str | None = None) -> argparse.ArgumentParser:
    """The whole command line, or the part of one command: the others are not even imported."""
    parser, commands = _empty_parser()
    parser.set_defaults(build_parser=build_parser)
    names = COMMANDS if only is None else (only,)
    for module in dict.fromkeys(COMMANDS[name].module for name in names):
        import_module(f"gloamet.commands.{module}").add_parser(commands)
    return parser


def help_parser() -> argparse.ArgumentParser:
    """The command line with the names of its commands alone: enough for the help and the version."""
    parser, commands = _empty_parser()
    for name in COMMANDS:
        register(commands, name)
    return parser


def joined(tokens: Sequence[str]) -> list[str]:
    """Options with a value that begins with a minus written as one word, or argparse takes it for an option.

    >>> joined(["--to", "-2.8,0.6,0", "--json"])
    ['--to=-2.8,0.6,0', '--json']
    """
    out: list[str] = []
    for word in tokens:
        if re.match(r"-[\d.]", word) and out and out[-1].startswith("--") and "=" not in out[-1]:
            out[-1] += f"={word}"
        else:
            out.append(word)
    return out


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    argv = list(sys.argv[1:] if arguments is None else arguments)
    try:
        tokens = joined(argv) or ["desk"]
        known = tokens[0] in COMMANDS
        options = (build_parser(tokens[0]) if known else help_parser()).parse_args(tokens)
        if options.command is None:
            raise GloametError("Name a command: gloamet --help lists them.")
        return int(options.run(options) or 0)
    except GloametError as error:
        print(f"gloamet: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0
    except KeyboardInterrupt:
        print("gloamet: stopped.", file=sys.stderr)
        return 130


if __name__ == "__main__":
    sys.exit(main())
