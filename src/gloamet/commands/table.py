# SPDX-License-Identifier: Apache-2.0
"""The table of subcommands: the module of each, which has `add_parser`, and its line in the help.

It imports none of them, so that the help and one command alone start at once.
"""

from __future__ import annotations

import argparse
from typing import NamedTuple


class Command(NamedTuple):
    """Module of `gloamet.commands`, and what the command does."""

    module: str
    help: str


COMMANDS = {
    "desk": Command("desk", "open the window"),
    "demo": Command("demo", "open the window with a demo scene"),
    "inspect": Command("inspect", "contents of a model file"),
    "sun": Command("sun", "the sun at a site and time"),
    "sky": Command("sky", "horizontal illuminance of sun and sky"),
    "panorama": Command("panorama", "light and sun of a lat-long panorama"),
    "aim": Command("aim", "compute the sun from a shadow, a frame position or a glint"),
    "meter": Command("meter", "light meter of a scene, source by source, and plausibility checks"),
    "render": Command("render", "render a model or project to .png, .jpg or .exr"),
    "develop": Command("develop", "develop an HDR picture (.exr, .hdr) to .png or .jpg"),
    "measure": Command("measure", "spot readings in an HDR picture"),
    "sweep": Command("sweep", "contact sheet of one or two settings through a range"),
    "suggest": Command("sweep", "suggest plausible, clearly different lights for a view"),
    "compare": Command("compare", "colour difference and stops between two HDR pictures"),
    "looks": Command("compare", "looks (named settings): list them, or apply one to a project"),
    "bench": Command("bench", "measure performance"),
    "prepare": Command("prepare", "compile the kernels once"),
    "install-desktop": Command("install_desktop", "add the program to the desktop's menu and file types"),
}


def register(commands: argparse._SubParsersAction, name: str) -> argparse.ArgumentParser:
    """A parser for a command of the table."""
    parser: argparse.ArgumentParser = commands.add_parser(name, help=COMMANDS[name].help)
    return parser
