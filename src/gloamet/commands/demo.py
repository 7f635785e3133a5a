"""`gloamet demo`: the window with the shipped scene."""

from __future__ import annotations

import argparse
from datetime import datetime
from importlib.resources import files
from pathlib import Path

from gloamet.document.model import Document


def demo_document() -> Document:
    """A late-spring morning at the bathing house; the place name is invented, the coast is real."""
    model = Path(str(files("gloamet").joinpath("data", "demo", "bathing_house.glb")))
    view = {"eye": (11.5, -21.0, 1.75), "target": (-0.6, -1.0, 2.15), "fov_deg": 34.0}
    document = Document().change("stage", model=str(model), view=view)
    document = document.change(
        "site", name="Skagur flats", latitude_deg=57.4, longitude_deg=21.5, timezone="Europe/Riga"
    )
    document = document.change("sun", wall_time=datetime(2026, 5, 24, 10, 30))
    return document.change("air", turbidity=2.4, ground_reflectance=0.5)


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = commands.add_parser("demo", help="open the window with the demo scene")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Open the demo."""
    from gloamet.desk.start import run_desk

    return run_desk(document=demo_document())
