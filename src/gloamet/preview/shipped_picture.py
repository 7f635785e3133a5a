# SPDX-License-Identifier: Apache-2.0
"""The first picture of a demo: its shipped light layers, balanced and developed with the document's settings.

A request enters; a `Frame` leaves as long as the document shows the demo in the demo's own light. It needs no kernel.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from gloamet.develop.exact import develop_exact
from gloamet.develop.masks import MaskPlanes
from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.document.model import Document
from gloamet.document.stage import Stage
from gloamet.output.layers import StoredLayers, read_layers
from gloamet.preview.events import Frame
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


def _seen(document: Document) -> tuple[object, ...]:
    """All that the layers of a document's picture depend on."""
    out = document.output
    stage = document.stage.model_copy(update=NOT_SEEN)
    return document.site, document.sun, document.air, document.panorama, stage, out.width * 1000 // out.height


class ShippedPicture:
    """The layers of the demo that was shown last."""

    def __init__(self) -> None:
        self._demos = {str(demo_document(name).stage.scene_file): name for name in TITLES}
        self._layers: tuple[str, StoredLayers] | None = None

    def frame(self, request: RenderRequest) -> Frame | None:
        """The picture, None where the document is no longer what the demo shows. Raises GloametError when the layers
        cannot be read."""
        document = request.document
        name = self._demos.get(str(document.stage.scene_file))
        if name is None or _seen(document) != _seen(demo_document(name)):
            return None
        if self._layers is None or self._layers[0] != name:
            self._layers = (name, read_layers(Path(FOLDER) / f"{name}.exr"))
        layers = self._layers[1]
        picture = layers.light(gains_from_document(document))
        # no sky is solved yet: what an incident meter reads is not known
        exposure = exposure_from_document(document, picture, layers.seen(), lambda: math.nan, request.held_ev)
        codes = develop_exact(picture, develop_settings(document, exposure.ev), MaskPlanes(layers.depth))
        pixels = np.full((*codes.shape[:2], 4), 255, np.uint8)
        pixels[..., :3] = np.round(codes * 255.0)
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
