# SPDX-License-Identifier: Apache-2.0
"""The first picture of a demo: its shipped light layers, balanced and developed with the document's settings.

A request enters; a `Frame` leaves as long as the document shows the demo in the demo's own light. It needs no kernel.
"""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path

from gloamet.develop.exact import exact_pixels
from gloamet.develop.masks import MaskPlanes
from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.document.model import Document
from gloamet.document.stage import Stage
from gloamet.output.layers import StoredLayers, read_layers
from gloamet.preview.events import Frame
from gloamet.preview.preliminary.demo_light import demo_light, through_own_air
from gloamet.preview.requests import RenderRequest
from gloamet.trace.quality import QUALITIES
from gloamet.translation.document_to_picture import (
    develop_settings,
    exposure_from_document,
    gains_from_document,
)

NOT_SEEN = {
    "views": (),
    "locked": (),
    "quality": Stage().quality,
    "rectangle": None,
}  # of a stage, in its picture


def _view_of(document: Document) -> tuple[object, ...]:
    """What the surfaces in a document's picture depend on."""
    out = document.output
    return document.stage.model_copy(update=NOT_SEEN), out.width * 1000 // out.height


def _seen(document: Document) -> tuple[object, ...]:
    """All that the layers of a document's picture depend on."""
    return document.site, document.sun, document.air, document.panorama, *_view_of(document)


@lru_cache(maxsize=1)
def _demos_by_model() -> dict[str, str]:
    return {str(demo_document(name).stage.scene_file): name for name in TITLES}


def demo_in_view(document: Document) -> str:
    """Name the demo whose shipped surfaces a document's view shows.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    str
        A key of `TITLES`, "" where stage, view or the picture's shape is another.
    """
    name = _demos_by_model().get(str(document.stage.scene_file), "")
    return name if name and _view_of(document) == _view_of(demo_document(name)) else ""


@lru_cache(maxsize=1)
def shipped_layers(demo: str) -> StoredLayers:
    """Read the layers that a demo ships with.

    Parameters
    ----------
    demo : str
        A key of `TITLES`.

    Returns
    -------
    StoredLayers
        The layers; those read last are kept until `cache_clear`.

    Raises
    ------
    GloametError
        They cannot be read.
    """
    return read_layers(Path(FOLDER) / f"{demo}.exr")


def shipped_frame(request: RenderRequest) -> Frame | None:
    """Develop the picture that a demo ships with.

    Parameters
    ----------
    request : RenderRequest
        What the desk wants to see.

    Returns
    -------
    Frame or None
        The picture; None where the document is no longer what the demo shows.

    Raises
    ------
    GloametError
        The layers cannot be read.
    """
    document = request.document
    name = demo_in_view(document)
    if not name or _seen(document) != _seen(demo_document(name)):
        return None
    layers = shipped_layers(name)
    picture = layers.light(gains_from_document(document))
    if document.air.aerial_perspective:
        picture = through_own_air(picture, layers.depth, demo_light(name))
    # no sky is solved yet: what an incident meter reads is not known
    exposure = exposure_from_document(document, picture, layers.seen(), lambda: math.nan, request.held_ev)
    pixels = exact_pixels(picture, develop_settings(document, exposure.ev), MaskPlanes(layers.depth))
    goal = QUALITIES[document.stage.quality].noise
    return Frame(
        pixels,
        0,
        document.output.samples,
        *exposure,
        False,
        0.0,
        0.0,
        goal=goal,
        document=document,
        light=picture,
    )
