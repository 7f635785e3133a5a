# SPDX-License-Identifier: Apache-2.0
"""Rendering a kept picture again to final quality, with its settings, size and exposure.

A kept picture enters, a `Snapshot` leaves, None when it was stopped.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from gloamet.develop.backdrop import NOTHING, over_backdrop
from gloamet.errors import GloametError
from gloamet.output.keeping import Kept, Snapshot, kept_document
from gloamet.output.layers import layers_of_film
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film, Renderer
from gloamet.translation.document_to_picture import backdrop_from_document
from gloamet.translation.final_render import Progress, render
from gloamet.translation.finished_light import stop_criterion
from gloamet.translation.finishing import RenderInputs, finished_picture
from gloamet.translation.saved_picture import developed_codes


def picture_size(path: Path) -> tuple[int, int]:
    """Width and height of a picture's file. Raises GloametError when it cannot be read."""
    import OpenImageIO as oiio

    picture = oiio.ImageInput.open(str(path))
    if picture is None:
        raise GloametError(f"{path.name} could not be read: {oiio.geterror().strip() or 'no picture'}.")
    spec = picture.spec()
    picture.close()
    return spec.width, spec.height


def refined(
    kept: Kept,
    renderer: Renderer,
    size: tuple[int, int] | None = None,
    progress: Callable[[Progress], None] = lambda p: None,
    stopped: Callable[[], bool] = lambda: False,
) -> Snapshot | None:
    """Render a kept picture to final quality.

    Parameters
    ----------
    kept : Kept
        The kept picture.
    renderer : Renderer
        Renderer with its threads.
    size : tuple of int or None, optional
        Width and height in pixels; None keeps its size.
    progress : callable, optional
        Receives progress reports.
    stopped : callable, optional
        Tells whether to stop.

    Returns
    -------
    Snapshot or None
        The refined snapshot; None when stopped.

    Raises
    ------
    GloametError
        Its model, settings or picture cannot be read.
    """
    begin, document = time.monotonic(), kept_document(kept)
    width, height = size or picture_size(kept.picture)
    scene = place_in_world(read_file(Path(str(document.stage.scene_file))), document.stage)
    inputs = RenderInputs.of(document, scene, camera_from_view(document.stage.view))
    film = Film(width, height)
    lit = inputs.compiled, inputs.lights, inputs.camera
    render(film, *lit, stop_criterion(document), renderer, progress, stopped)
    if stopped():
        return None
    light, planes = finished_picture(inputs, film, clean=True, stopped=stopped)
    codes = developed_codes(document, film, light, kept.ev, planes)
    if backdrop_from_document(document) == NOTHING:  # as the desk shows it
        codes = over_backdrop(codes, film.mean("transparency"), NOTHING)
    if stopped():
        return None
    pixels = np.full((height, width, 4), 255, np.uint8)
    pixels[..., :3] = np.round(255.0 * np.clip(codes, 0.0, 1.0))
    seconds, samples = time.monotonic() - begin, round(film.mean_samples())
    return Snapshot(document, pixels, light.whole, samples, seconds, kept.ev, layers_of_film(film))
