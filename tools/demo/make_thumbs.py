"""Render the small pictures of the start screen from the shipped demos, into src/gloamet/data/demo.

Run it with `python tools/demo/make_thumbs.py` after a demo has changed.
"""

from __future__ import annotations

import numpy as np
from PIL import Image

from gloamet.develop.display import develop_exact
from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.output.document_to_light import (
    build_stage,
    develop_settings,
    dome_from_document,
    environment_from_document,
    exposure_from_document,
    finished_light,
    gains_from_document,
    surfaces_of_film,
)
from gloamet.output.final import StopCriterion, render
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film

SIZE, SAMPLES = (384, 256), 160


def main() -> None:
    """Render every demo once."""
    for name in TITLES:
        document = demo_document(name)
        scene = place_in_world(read_file(str(document.stage.model)), document.stage)
        lights = environment_from_document(document, dome_from_document(document), None)
        film = Film(*SIZE)
        aim = StopCriterion(SAMPLES, None, gains=gains_from_document(document))
        render(film, build_stage(document, scene), lights, camera_from_view(document.stage.view), aim)
        light = finished_light(document, film, clean=True)
        ev = exposure_from_document(document, light.whole, surfaces_of_film(film))
        codes = develop_exact(light.whole, develop_settings(document, ev))
        pixels = np.round(255 * np.clip(codes, 0, 1)).astype(np.uint8)
        Image.fromarray(pixels).save(FOLDER / f"{name}.jpg", quality=90)


if __name__ == "__main__":
    main()
