# SPDX-License-Identifier: Apache-2.0
"""The shipped demos as documents: an invented bathing house on a real coast, outside, close up and inside."""

from __future__ import annotations

from datetime import datetime

from gloamet.document.model import Document
from gloamet.document.stage import Prop
from gloamet.shipped_data import DATA

TITLES = {
    "house": "Salt flat bathing house",
    "product": "Pail on a slate bench",
    "interior": "Net loft",
}
LANDSCAPE = (  # by which distance is judged: three ridges, 2.5, 6 and 14 km from the house, and poles every 50 m
    Prop(
        name="near ridge",
        kind="ridge",
        position=(-1750, 1800, 0),
        rotation_deg=-44,
        height_m=75,
        extent_m=3600,
        seed=3,
    ),
    Prop(
        name="middle ridge",
        kind="ridge",
        position=(-2900, 5200, 0),
        rotation_deg=-29,
        height_m=270,
        extent_m=9000,
        seed=5,
    ),
    Prop(
        name="far ridge",
        kind="ridge",
        position=(-8000, 11500, 0),
        rotation_deg=-35,
        height_m=850,
        extent_m=22000,
        seed=9,
    ),
    Prop(
        name="line of poles",
        kind="poles",
        position=(-92, 92, 0),
        rotation_deg=-47,
        height_m=7.5,
        extent_m=2500,
    ),
)
FOLDER = DATA / "demo"
PANORAMAS = FOLDER.parent / "panoramas"


def _at(model: str, when: datetime, turbidity: float, ground: float) -> Document:
    document = Document().change("stage", scene_file=str(FOLDER / model))
    document = document.change(
        "site", name="Skagur flats", latitude_deg=57.4, longitude_deg=21.5, timezone="Europe/Riga"
    )
    document = document.change("sun", wall_time=when)
    return document.change("air", turbidity=turbidity, ground_reflectance=ground)


def _house() -> Document:
    document = _at("bathing_house.glb", datetime(2026, 5, 24, 10, 30), 2.4, 0.5)
    document = document.change("stage", props=LANDSCAPE)
    document = document.change("stage.view", eye=(11.5, -21.0, 1.75), target=(-0.6, -1.0, 2.15), fov_deg=34.0)
    return document.change("output", width=1920, height=1344)


def _product() -> Document:
    """A view at 85 mm; two trees outside the view cast the shade."""
    document = _at("pail.glb", datetime(2026, 5, 24, 10, 10), 2.4, 0.5)
    trees = tuple(
        Prop(
            name=name,
            position=position,
            height_m=height,
            extent_m=crown,
            density=density,
            leaf_m=0.07,
            seed=seed,
            visible=False,
        )
        for name, position, height, crown, density, seed in (
            ("shade tree", (4.9, -3.2, 0.0), 5.6, 3.6, 0.3, 5),
            ("shade tree 2", (3.2, -1.0, 0.0), 4.2, 2.4, 0.15, 8),
        )
    )
    document = document.change("stage", props=trees)
    document = document.change(
        "stage.view",
        eye=(0.85, -2.10, 0.98),
        target=(0.05, -0.02, 0.565),
        fov_deg=16.1,
        depth_of_field=True,
        f_number=8.0,
        focus_m=2.2,
    )
    return document.change("output", width=1920, height=1280)


def _interior() -> Document:
    document = _at("net_loft.glb", datetime(2026, 5, 24, 18, 10), 2.4, 0.35)
    document = document.change(
        "stage.view", eye=(3.55, 0.45, 4.7), target=(1.55, 5.2, 4.42), fov_deg=54.0, keep_verticals=True
    )
    document = document.change("stage.ground", automatic=False, height_m=0.0)
    document = document.change("expose", compensation=0.4)  # for the room, not for its windows
    document = document.change("fill", dismissed=("lamps",))  # they wait for the evening
    return document.change("output", width=1920, height=1280)


def demo_document(name: str = "house") -> Document:
    """Make the document of a demo.

    Parameters
    ----------
    name : str, optional
        "house", "product" or "interior".

    Returns
    -------
    Document
        The document; its site name is invented, its coast is real.
    """
    return {"house": _house, "product": _product, "interior": _interior}[name]()
