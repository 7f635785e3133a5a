# SPDX-License-Identifier: Apache-2.0
"""Exposes, develops and saves the finished light of a picture.

A document, a film and its finished light enter; a file in the format of its ending leaves, with the EV at ISO 100.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np

from gloamet.colour.balance import colour_tuple
from gloamet.develop.backdrop import NOTHING, over_backdrop, unpremultiplied
from gloamet.develop.exact import develop_exact
from gloamet.develop.masks import NO_PLANES, MaskPlanes
from gloamet.develop.settings import SATURATION
from gloamet.document.model import Document
from gloamet.meter.light import read_light
from gloamet.meter.picture import SeenSurfaces
from gloamet.output.images import check_ending, save_display, save_light
from gloamet.trace.film import Film
from gloamet.translation.document_to_light import (
    Floats,
    dome_from_document,
    panorama_from_document,
)
from gloamet.translation.document_to_picture import (
    backdrop_from_document,
    develop_settings,
    exposure_from_document,
    gains_from_document,
)
from gloamet.translation.finished_light import FinishedLight

ALWAYS_SAVED = ("sun", "sky")  # dark or not: what composites a picture counts on them


def incident_ev_from_document(document: Document) -> float:
    """EV100 that a meter on horizontal ground reads in the document's light; -inf in the dark."""
    dome = dome_from_document(document)
    panorama = panorama_from_document(document, dome)
    gains = gains_from_document(document, colour_tuple(dome.sky_horizontal))
    return read_light(dome, gains, None if panorama is None else panorama.lighting).incident_ev


def surfaces_of_film(film: Film) -> SeenSurfaces:
    """Return the surfaces that the scene meter reads.

    Parameters
    ----------
    film : Film
        The film.

    Returns
    -------
    SeenSurfaces
        Albedo and distances.
    """
    return SeenSurfaces(film.mean("albedo"), film.mean("depth"))


def save_picture(
    path: Path,
    document: Document,
    film: Film,
    light: FinishedLight,
    exposed: bool = False,
    sixteen_bit: bool = False,
    planes: MaskPlanes = NO_PLANES,
) -> float:
    """Save a finished picture in the format of the file's ending.

    .exr holds linear light with its layers, other formats the developed picture. With a backdrop, light is that of
    the objects alone with an alpha channel.

    Parameters
    ----------
    path : Path
        The file.
    document : Document
        The document.
    film : Film
        The film.
    light : FinishedLight
        Its finished light.
    exposed : bool, optional
        Whether to scale an .exr by the exposure.
    sixteen_bit : bool, optional
        Whether to write 16-bit PNG.
    planes : MaskPlanes, optional
        What the masks ask for.

    Returns
    -------
    float
        EV at ISO 100 that was used.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    backdrop = backdrop_from_document(document)
    alpha = None if backdrop is None else np.clip(1.0 - film.mean("transparency"), 0.0, 1.0)
    incident = partial(incident_ev_from_document, document)
    ev = exposure_from_document(document, light.whole, surfaces_of_film(film), incident).ev
    if check_ending(path) == ".exr":
        white = SATURATION * 2.0**ev if exposed else 1.0
        scale = np.float32(1.0 / white)
        layers = {
            name: part * scale
            for name, part in (light.parts | light.indirect).items()
            if name in ALWAYS_SAVED or part.any()
        }
        layers |= {name: film.mean(name) for name in ("albedo", "normal", "depth")}
        save_light(path, light.whole * scale, layers, white, alpha)
        return ev
    codes = developed_codes(document, film, light, ev, planes)
    save_display(path, codes, sixteen_bit, alpha if backdrop == NOTHING else None)
    return ev


def developed_codes(
    document: Document, film: Film, light: FinishedLight, ev: float, planes: MaskPlanes = NO_PLANES
) -> Floats:
    """The picture developed at an EV, codes 0..1 (H, W, 3), over the document's backdrop; of the things alone where
    that is nothing."""
    backdrop, transparency = backdrop_from_document(document), film.mean("transparency")
    picture = light.whole if backdrop is None else unpremultiplied(light.whole, transparency)
    codes = develop_exact(picture, develop_settings(document, ev), planes)
    return codes if backdrop is None or backdrop == NOTHING else over_backdrop(codes, transparency, backdrop)
