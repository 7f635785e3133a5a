# SPDX-License-Identifier: Apache-2.0
"""Make docs/exposure/pictures.jpg: ten pictures as they come out at first sight, before and after, with their numbers.

Before is an average of the whole picture and a view without its gain, as reflected meters and plain renderings have it;
after is the scene meter and the film. Run it with `python tools/make_exposure_page.py` after the light, the demos or
the meter have changed; it takes some minutes and prints the codes of cards in the light of each picture.
"""

from __future__ import annotations

import math
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.exact import develop_exact
from gloamet.develop.settings import DevelopSettings
from gloamet.document.demo import demo_document
from gloamet.document.model import Document
from gloamet.translation.document_to_aerial import apply_aerial_perspective
from gloamet.translation.document_to_picture import develop_settings, exposure_from_document
from gloamet.translation.finished_light import finished_light
from gloamet.translation.saved_picture import surfaces_of_film
from make_fill_page import FONT, HEIGHT, WIDTH, Rendered

OUT = Path(__file__).parents[1] / "docs" / "exposure" / "pictures.jpg"
TILE_WIDTH, CAPTION, COLUMNS = 400, 24, 2
PLAIN_GAIN = 1.7245  # of the view ACES 2.0, which the renderings before had not
REFLECTED_K = 12.5  # ISO 2720


class Shown(NamedTuple):
    """Words, the document, and whether the sun is what lights its subject."""

    words: str
    document: Document
    sunny: bool


def at(document: Document, hour: int, minute: int = 0) -> Document:
    """The same day at another time."""
    return document.change("sun", mode="almanac", wall_time=datetime(2026, 5, 24, hour, minute))


def pictures() -> list[Shown]:
    """Three demos through their day."""
    house, room, product = (demo_document(name) for name in ("house", "interior", "product"))
    plain = {"compensation": 0.0}
    house, room, product = (d.change("expose", **plain) for d in (house, room, product))
    view = house.stage.view
    behind = house.change("stage.view", eye=(-view.eye[0], -view.eye[1], view.eye[2]))
    return [
        Shown("morning", house, True),
        Shown("noon", at(house, 13, 30), True),
        Shown("low sun", at(behind, 20, 50), True),
        Shown("against a low sun", at(house, 20, 50), True),
        Shown("dusk", at(house, 22, 40), False),
        Shown("room with windows", room, False),
        Shown("room at dusk", at(room, 22, 20), False),
        Shown("product, morning", product, True),
        Shown("product, noon", at(product, 13, 30), True),
        Shown("product in the evening’s shade", at(product, 20, 30), False),
    ]


def codes_of_cards(rendered: Rendered, settings: DevelopSettings) -> tuple[float, float]:
    """Codes of an 18 % and a 90 % card that face the sun, in its light and half the sky's."""
    dome = rendered.dome
    light = float(AP1_LUMINANCE @ (dome.sun_visible * dome.sun_irradiance + 0.5 * dome.sky_horizontal))
    neutral = [np.full((1, 1, 3), fraction * light / math.pi, np.float32) for fraction in (0.18, 0.9)]
    plain = DevelopSettings(settings.ev, balanced=False, view=settings.view)
    grey, white = (float(255.0 * develop_exact(card, plain)[0, 0, 1]) for card in neutral)
    return grey, white


def before_and_after(shown: Shown) -> tuple[NDArray[np.float32], NDArray[np.float32], str]:
    """Codes of both, and the numbers of the second."""
    rendered = Rendered(shown.document)
    light = finished_light(shown.document, rendered.film, True, rendered.lights)
    whole = apply_aerial_perspective(
        shown.document, rendered.dome, rendered.camera, light, rendered.film
    ).whole
    mean = float((whole @ AP1_LUMINANCE).mean())
    once = DevelopSettings(math.log2(mean * 100.0 / REFLECTED_K), 5600.0, view="ACES 2.0")
    before = develop_exact((whole / PLAIN_GAIN).astype(np.float32), once)
    seen = surfaces_of_film(rendered.film)
    ev = exposure_from_document(shown.document, whole, seen, lambda: math.nan).ev
    settings = develop_settings(shown.document, ev)
    grey, white = codes_of_cards(rendered, settings)
    cards = f", in the sun 18 % is {grey:.0f}, 90 % is {white:.0f}" if shown.sunny else ""
    return before, develop_exact(whole, settings), f"EV {ev:.1f}{cards}"


def main() -> None:
    """A pair a cell, two cells a row."""
    wide, high = TILE_WIDTH, TILE_WIDTH * HEIGHT // WIDTH
    rows = math.ceil(len(pictures()) / COLUMNS)
    sheet = Image.new("RGB", (COLUMNS * 2 * wide, rows * (high + CAPTION)), (43, 43, 43))
    draw, font = ImageDraw.Draw(sheet), ImageFont.truetype(str(next(FONT.glob("*.[to]tf"))), 15)
    for k, shown in enumerate(pictures()):
        before, after, numbers = before_and_after(shown)
        row, column = divmod(k, COLUMNS)
        x, y = column * 2 * wide, row * (high + CAPTION)
        for n, codes in enumerate((before, after)):
            tile = Image.fromarray(np.round(255 * codes).astype(np.uint8)).resize((wide, high))
            sheet.paste(tile, (x + n * wide, y))
        said = f"{shown.words}: before, and after at {numbers}"
        draw.text((x + 8, y + high + 3), said, (228, 228, 228), font)
        print(said, flush=True)
    OUT.parent.mkdir(exist_ok=True)
    sheet.save(OUT, quality=85)


if __name__ == "__main__":
    main()
