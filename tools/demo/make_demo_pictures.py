# SPDX-License-Identifier: Apache-2.0
"""Render the shipped demos, into src/gloamet/data/demo: small pictures for the start screen, and their layers.

The layers are what a demo shows before anything is traced. Run it with `python tools/demo/make_demo_pictures.py
[NAME …]` after a demo, or what is computed, has changed; it takes about five minutes for each.
"""

from __future__ import annotations

import math
import sys

import numpy as np
from PIL import Image

from gloamet.develop.exact import develop_exact
from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.document.model import Document
from gloamet.output.layers import StoredLayers, save_layers
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film
from gloamet.translation.document_to_light import build_stage, dome_from_document, environment_from_document
from gloamet.translation.document_to_picture import (
    develop_settings,
    exposure_from_document,
    gains_from_document,
)
from gloamet.translation.final_render import StopCriterion, render
from gloamet.translation.finished_light import finished_light
from gloamet.translation.saved_picture import surfaces_of_film

THUMB, THUMB_SAMPLES = (384, 256), 160
LAYER_WIDTH, LAYER_SAMPLES = 744, 256  # the picture of a window of 1280 x 800


def rendered(document: Document, width: int, height: int, samples: int) -> Film:
    """The demo's picture at a size."""
    scene = place_in_world(read_file(str(document.stage.scene_file)), document.stage)
    lights = environment_from_document(document, dome_from_document(document), None)
    film = Film(width, height)
    aim = StopCriterion(samples, None, gains=gains_from_document(document))
    render(film, build_stage(document, scene), lights, camera_from_view(document.stage.view), aim)
    return film


def main() -> None:
    """Render every demo, or those named, once."""
    for name in sys.argv[1:] or TITLES:
        document = demo_document(name)
        film = rendered(document, *THUMB, THUMB_SAMPLES)
        light = finished_light(document, film, clean=True)
        ev = exposure_from_document(document, light.whole, surfaces_of_film(film), lambda: math.nan).ev
        codes = develop_exact(light.whole, develop_settings(document, ev))
        pixels = np.round(255 * np.clip(codes, 0, 1)).astype(np.uint8)
        Image.fromarray(pixels).save(FOLDER / f"{name}.jpg", quality=90)

        out = document.output
        film = rendered(document, LAYER_WIDTH, round(LAYER_WIDTH * out.height / out.width), LAYER_SAMPLES)
        light = finished_light(document, film, clean=True)
        gains = gains_from_document(document)._asdict()
        lights = {name: part / np.array(gains[name].direct, np.float32) for name, part in light.parts.items()}
        surfaces = (film.mean(layer) for layer in ("albedo", "normal", "depth"))
        save_layers(FOLDER / f"{name}.exr", StoredLayers(lights, *surfaces))
        print(name, (FOLDER / f"{name}.exr").stat().st_size)


if __name__ == "__main__":
    main()
