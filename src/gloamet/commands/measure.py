# SPDX-License-Identifier: Apache-2.0
"""`gloamet measure`: spot readings of an HDR picture in cd/m², stops from grey and screen colour."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from gloamet.commands.argument_types import add_json, clean, number, show
from gloamet.commands.table import register
from gloamet.errors import GloametError


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "measure")
    parser.add_argument("source", type=Path, help="HDR picture: .exr, .hdr or float .tif")
    parser.add_argument(
        "--spot",
        type=_place,
        action="append",
        required=True,
        metavar="X,Y",
        help="fractions of width and height",
    )
    parser.add_argument(
        "--ev", type=number(-8, 22, "EV"), help="exposure value for the stops; default: the scene meter"
    )
    add_json(parser)
    parser.set_defaults(run=run)


def _place(text: str) -> tuple[float, float]:
    """An argparse type: X,Y."""
    try:
        x, y = (float(word) for word in text.split(","))
    except ValueError:
        raise GloametError(f"“{text}” is not a position like 0.5,0.5.") from None
    if not (0.0 <= x <= 1.0 and 0.0 <= y <= 1.0):
        raise GloametError(f"The position {text} is outside the picture: give fractions from 0 to 1.")
    return x, y


def run(options: argparse.Namespace) -> None:
    """Read every spot; with two or more, also their contrast."""
    from gloamet.develop.exact import develop_exact
    from gloamet.develop.settings import DevelopSettings
    from gloamet.meter.metering import MeteringSettings, metered_ev
    from gloamet.meter.spot import read_spot, stops_apart
    from gloamet.output.light_file import read_light_file

    file = read_light_file(options.source)
    ev = options.ev
    if ev is None:
        ev = metered_ev(MeteringSettings(), file.picture, file.seen, lambda: float("nan"))
    codes = develop_exact(file.picture, DevelopSettings(ev, balanced=False))
    spots: list[dict[str, Any]] = []
    for x, y in options.spot:
        spot = read_spot(file.picture, x, y, ev)
        j, i = int(y * (codes.shape[0] - 1)), int(x * (codes.shape[1] - 1))
        spots.append(
            {
                "x": x,
                "y": y,
                "cd_m2": spot.cd_m2,
                "stops_from_grey": spot.stops,
                "cct_k": spot.cct_k,
                "duv": spot.duv,
                "screen_rgb": [round(255.0 * float(v)) for v in codes[j, i]],
            }
        )
    out: dict[str, Any] = {"ev": ev, "absolute": file.absolute, "spots": spots}
    if len(spots) > 1:
        out["stops_apart"] = stops_apart(spots[0]["cd_m2"], spots[1]["cd_m2"])
    if not options.json:
        rows = {f"spot {k}": _words(spot) for k, spot in enumerate(out.pop("spots"), 1)}
        out |= rows
    show(out, options.json)


def _words(spot: dict[str, Any]) -> str:
    """A spot's readings in one line."""
    found = clean(spot)
    stops, kelvin = found["stops_from_grey"], found["cct_k"]
    messages = [f"{found['cd_m2']:.4g} cd/m²", "dark" if stops is None else f"{stops:+.2f} stops from grey"]
    messages += [] if kelvin is None else [f"{kelvin:.0f} K"]
    return "  ".join([*messages, "screen " + " ".join(str(v) for v in found["screen_rgb"])])
