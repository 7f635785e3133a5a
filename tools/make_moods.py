# SPDX-License-Identifier: Apache-2.0
"""Make docs/sky/moods.jpg: the bathing house in six airs and lights, rendered as `gloamet render` does.

Run it with `python tools/make_moods.py` after the sky or the demo has changed; it takes some minutes.
"""

from __future__ import annotations

import math
from datetime import datetime
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from gloamet.develop.exact import develop_exact
from gloamet.document.demo import demo_document
from gloamet.document.model import Document
from gloamet.preview.air_presets import AIR_PRESETS
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film
from gloamet.translation.document_to_aerial import apply_aerial_perspective
from gloamet.translation.document_to_light import build_stage, dome_from_document, environment_from_document
from gloamet.translation.document_to_picture import develop_settings, exposure_from_document
from gloamet.translation.final_render import StopCriterion, render
from gloamet.translation.finished_light import finished_light
from gloamet.translation.saved_picture import surfaces_of_film

OUT = Path(__file__).parents[1] / "docs" / "sky" / "moods.jpg"
WIDTH, HEIGHT, SAMPLES, CAPTION = 480, 336, 64, 24
FONT = Path(__file__).parents[1] / "src" / "gloamet" / "data" / "fonts"


def look(word: str) -> dict[str, object]:
    """The air of a named look."""
    return next(look.fields() for look in AIR_PRESETS if look.word == word)


def moods() -> dict[str, Document]:
    """Six documents by what they show."""
    house = demo_document()
    low = house.change("sun", wall_time=datetime(2026, 5, 24, 6, 10))
    late = house.change("sun", wall_time=datetime(2026, 5, 24, 22, 40))
    return {
        "clear": house.change("air", **look("clear")),
        "hazy": house.change("air", **look("hazy")),
        "dusty": house.change("air", **look("dusty")),
        "overcast, CIE 1": house.change("air", sky_model="cie", cie_sky=1),
        "blue hour": late.change("air", **look("clear")),
        "misty morning": low.change("air", **look("misty")).change(
            "air", haze_visibility_km=1.5, haze_height_m=100.0
        ),
    }


def picture(document: Document) -> Image.Image:
    """A developed picture of a document."""
    scene = place_in_world(read_file(str(document.stage.scene_file)), document.stage)
    compiled, camera = build_stage(document, scene), camera_from_view(document.stage.view)
    dome, film = dome_from_document(document), Film(WIDTH, HEIGHT)
    render(film, compiled, environment_from_document(document, dome, None), camera, StopCriterion(SAMPLES))
    light = apply_aerial_perspective(document, dome, camera, finished_light(document, film, clean=True), film)
    ev = exposure_from_document(document, light.whole, surfaces_of_film(film), lambda: math.nan).ev
    codes = develop_exact(light.whole, develop_settings(document, ev))
    return Image.fromarray(np.round(255 * codes).astype(np.uint8))


def main() -> None:
    """Two rows of three."""
    sheet = Image.new("RGB", (3 * WIDTH, 2 * (HEIGHT + CAPTION)), (43, 43, 43))
    draw = ImageDraw.Draw(sheet)
    font = ImageFont.truetype(str(next(FONT.glob("*.[to]tf"))), 15)
    for k, (words, document) in enumerate(moods().items()):
        row, column = divmod(k, 3)
        at = (column * WIDTH, row * (HEIGHT + CAPTION))
        sheet.paste(picture(document), at)
        draw.text((at[0] + 8, at[1] + HEIGHT + 3), words, (228, 228, 228), font)
        print(words, flush=True)
    OUT.parent.mkdir(exist_ok=True)
    sheet.save(OUT, quality=88)


if __name__ == "__main__":
    main()
