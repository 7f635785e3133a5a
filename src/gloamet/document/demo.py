"""The shipped demo as a document: an invented bathing house on a real coast."""

from __future__ import annotations

from datetime import datetime
from importlib.resources import files
from pathlib import Path

from gloamet.document.model import Document

TITLE = "Salt flat bathing house"


def demo_document() -> Document:
    """A late-spring morning at the bathing house; the place name is invented, the coast is real."""
    model = Path(str(files("gloamet").joinpath("data", "demo", "bathing_house.glb")))
    view = {"eye": (11.5, -21.0, 1.75), "target": (-0.6, -1.0, 2.15), "fov_deg": 34.0}
    document = Document().change("stage", model=str(model), view=view)
    document = document.change(
        "site", name="Skagur flats", latitude_deg=57.4, longitude_deg=21.5, timezone="Europe/Riga"
    )
    document = document.change("sun", wall_time=datetime(2026, 5, 24, 10, 30))
    document = document.change("output", width=1920, height=1344)
    return document.change("air", turbidity=2.4, ground_reflectance=0.5)
