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
)
from gloamet.output.final import render
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file

SIZE, SAMPLES = (384, 256), 160


def main() -> None:
    """Render every demo once."""
    for name in TITLES:
        document = demo_document(name)
        scene = place_in_world(read_file(str(document.stage.model)), document.stage)
        film = render(
            build_stage(document, scene), environment_from_document(document, dome_from_document(document), None),
            camera_from_view(document.stage.view), *SIZE, SAMPLES, max_bounces=8,
        )  # fmt: skip
        light = finished_light(document, film, clean=True)
        codes = develop_exact(
            light.whole, develop_settings(document, exposure_from_document(document, light.whole))
        )
        pixels = np.round(255 * np.clip(codes, 0, 1)).astype(np.uint8)
        Image.fromarray(pixels).save(FOLDER / f"{name}.jpg", quality=90)


if __name__ == "__main__":
    main()
