"""Render the small pictures of the start screen from the shipped demos, into src/gloamet/data/demo.

Run it with `python tools/demo/make_thumbs.py` after a demo has changed.
"""

from __future__ import annotations

import numpy as np
from PIL import Image

from gloamet.develop.pipeline import develop_exact
from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.output.delivery import compile_stage, exposure_of, light_of, lights_of, recipe_of, sky_of
from gloamet.output.final import render_film
from gloamet.stage.assembly import camera_of_view, stand_up
from gloamet.stage.readers import read_file

SIZE, SAMPLES = (384, 256), 160


def main() -> None:
    """Render every demo once."""
    for name in TITLES:
        document = demo_document(name)
        scene = stand_up(read_file(str(document.stage.model)), document.stage)
        film = render_film(
            compile_stage(document, scene), lights_of(document, sky_of(document), None),
            camera_of_view(document.stage.view), *SIZE, SAMPLES, max_bounces=8,
        )  # fmt: skip
        light = light_of(document, film, clean=True)
        codes = develop_exact(light.whole, recipe_of(document, exposure_of(document, light.whole)))
        pixels = np.round(255 * np.clip(codes, 0, 1)).astype(np.uint8)
        Image.fromarray(pixels).save(FOLDER / f"{name}.jpg", quality=90)


if __name__ == "__main__":
    main()
