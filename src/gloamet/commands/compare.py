# SPDX-License-Identifier: Apache-2.0
"""`gloamet compare` and `gloamet looks`: the difference of two pictures, and named settings."""

from __future__ import annotations

import argparse
from pathlib import Path

from gloamet.commands.argument_types import add_json, show
from gloamet.commands.table import register
from gloamet.errors import GloametError


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register both subcommands."""
    parser = register(commands, "compare")
    parser.add_argument("first", type=Path)
    parser.add_argument("second", type=Path)
    add_json(parser)
    parser.set_defaults(run=run_compare)
    other = register(commands, "looks")
    other.add_argument("--apply", nargs=2, metavar=("NAME", "PROJECT"), help="apply a look to a project")
    other.add_argument("--strength", type=float, default=1.0, help="strength of --apply, 0 to 1")
    add_json(other)
    other.set_defaults(run=run_looks)


def run_compare(options: argparse.Namespace) -> None:
    """Both are developed alike, at the first one's exposure."""
    import numpy as np

    from gloamet.develop.exact import develop_exact
    from gloamet.develop.picture_difference import code_difference, stops_difference
    from gloamet.develop.settings import DevelopSettings
    from gloamet.meter.metering import MeteringSettings, metered_ev
    from gloamet.output.light_file import read_light_file

    first, second = read_light_file(options.first), read_light_file(options.second)
    if first.picture.shape != second.picture.shape:
        sizes = [f"{p.shape[1]} × {p.shape[0]}" for p in (first.picture, second.picture)]
        raise GloametError(f"The pictures are {sizes[0]} and {sizes[1]} px: compare two of one size.")
    ev = metered_ev(MeteringSettings(), first.picture, first.seen, lambda: float("nan"))
    settings = DevelopSettings(ev, balanced=False)
    codes = [develop_exact(file.picture, settings) for file in (first, second)]
    apart = code_difference(codes[0], codes[1])
    stops = stops_difference(second.picture, first.picture)
    known = stops[np.isfinite(stops)]
    found = {
        "delta_e_mean": float(apart.mean()),
        "delta_e_95": float(np.quantile(apart, 0.95)),
        "stops_mean": float(known.mean()) if known.size else 0.0,
        "ev": ev,
    }
    show(found, options.json)


def run_looks(options: argparse.Namespace) -> None:
    """List looks, or change a project."""
    from gloamet.document.file import load_document, save_document
    from gloamet.document.looks import LOOKS, apply_look, own_looks

    mine, messages = own_looks()
    looks = {look.name: look for look in (*LOOKS, *mine)}
    if options.apply is None:
        show({name: look.description or "your own look" for name, look in looks.items()}, options.json)
        for sentence in messages:
            print(f"note: {sentence}")
        return
    name, project = options.apply
    if name not in looks:
        raise GloametError(f"There is no look “{name}”: there are {', '.join(looks)}.")
    if not 0.0 <= options.strength <= 1.0:
        raise GloametError(f"Strength {options.strength:g} is out of range: give a value from 0 to 1.")
    path = Path(project)
    document = apply_look(load_document(path), looks[name], options.strength)
    save_document(document, path)
    show({"file": str(path), "look": name, "time": f"{document.sun.wall_time:%Y-%m-%d %H:%M}"}, options.json)
