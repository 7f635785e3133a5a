# SPDX-License-Identifier: Apache-2.0
"""Make docs/fill/*.jpg: each source alone, and a panorama before and after its sun is matched, as `render` does.

Run it with `python tools/make_fill_page.py` after the light or the demos have changed; it takes some minutes.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from gloamet.develop.exact import develop_exact
from gloamet.document.demo import PANORAMAS, demo_document
from gloamet.document.model import Document
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film
from gloamet.translation.document_to_aerial import apply_aerial_perspective
from gloamet.translation.document_to_light import (
    build_stage,
    dome_from_document,
    environment_from_document,
    panorama_from_document,
)
from gloamet.translation.document_to_picture import develop_settings, exposure_from_document
from gloamet.translation.final_render import StopCriterion, render
from gloamet.translation.finished_light import finished_light
from gloamet.translation.saved_picture import surfaces_of_film

OUT = Path(__file__).parents[1] / "docs" / "fill"
FONT = Path(__file__).parents[1] / "src" / "gloamet" / "data" / "fonts"
WIDTH, HEIGHT, SAMPLES, CAPTION = 480, 336, 64, 24
EVENING = str(PANORAMAS / "evening.exr")
SUN_DEG = (245.0, 9.0)
Tiles = dict[str, Image.Image]


class Rendered:
    """A document's film, to be balanced and developed without tracing again."""

    def __init__(self, document: Document) -> None:
        self.document = document
        scene = place_in_world(read_file(str(document.stage.scene_file)), document.stage)
        self.camera = camera_from_view(document.stage.view)
        self.dome, self.film = dome_from_document(document), Film(WIDTH, HEIGHT)
        panorama = panorama_from_document(document, self.dome)
        self.lights = environment_from_document(document, self.dome, panorama)
        aim = StopCriterion(SAMPLES)
        render(self.film, build_stage(document, scene), self.lights, self.camera, aim)

    def picture(self, ev: float | None = None, **fill: object) -> tuple[Image.Image, float]:
        """The developed picture under fields of the fill, at an EV or its own."""
        document = self.document.change("fill", **fill)
        light = finished_light(document, self.film, True, self.lights)
        light = apply_aerial_perspective(document, self.dome, self.camera, light, self.film)
        if ev is None:
            ev = exposure_from_document(
                document, light.whole, surfaces_of_film(self.film), lambda: math.nan
            ).ev
        codes = develop_exact(light.whole, develop_settings(document, ev))
        return Image.fromarray(np.round(255 * codes).astype(np.uint8)), ev


def sheet(tiles: Tiles, columns: int, name: str) -> None:
    """Tiles with captions in rows."""
    rows = math.ceil(len(tiles) / columns)
    whole = Image.new("RGB", (columns * WIDTH, rows * (HEIGHT + CAPTION)), (43, 43, 43))
    draw, font = ImageDraw.Draw(whole), ImageFont.truetype(str(next(FONT.glob("*.[to]tf"))), 15)
    for k, (words, tile) in enumerate(tiles.items()):
        row, column = divmod(k, columns)
        at = (column * WIDTH, row * (HEIGHT + CAPTION))
        whole.paste(tile, at)
        draw.text((at[0] + 8, at[1] + HEIGHT + 3), words, (228, 228, 228), font)
    OUT.mkdir(exist_ok=True)
    whole.save(OUT / name, quality=88)
    print(name, flush=True)


def sources() -> None:
    """The sum and each source alone, at one exposure, of a house lit by all of them."""
    house = Rendered(demo_document().change("panorama", file=EVENING, sun_removed=True))
    whole, ev = house.picture()
    tiles = {"all together": whole}
    for name in ("sun", "sky", "panorama"):
        tiles[f"{name} alone"] = house.picture(ev, solo=name)[0]
    tiles["what has bounced off other things, two stops up"] = house.picture(
        ev, sun_indirect_stops=2.0, sky_indirect_stops=2.0
    )[0]
    tiles["sky fill a stop up, grey"] = house.picture(ev, sky_stops=1.0, sky_saturation=0.0)[0]
    sheet(tiles, 3, "sources.jpg")


def matched() -> None:
    """A panorama of a low sun: two suns, then matched, then its own lifted out and its light given."""
    lit = demo_document().change("panorama", file=EVENING).change("fill", sky_on=False)
    match = lit.change("sun", mode="manual", azimuth_deg=SUN_DEG[0], elevation_deg=SUN_DEG[1])
    tiles = {
        "before: the morning's sun, and the panorama's": Rendered(lit).picture()[0],
        "matched: both stand in the west": Rendered(match).picture()[0],
        "its own sun lifted out: one sun": Rendered(match.change("panorama", sun_removed=True)).picture()[0],
    }
    sheet(tiles, 3, "panorama.jpg")


if __name__ == "__main__":
    sources()
    matched()
