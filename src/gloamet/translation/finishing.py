# SPDX-License-Identifier: Apache-2.0
"""From a document and its stage to a render scene, and from the film to finished light and masks.

What saving from the desk, the command line and refining a kept picture have in common.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from gloamet.develop.masks import MaskPlanes
from gloamet.document.model import Document
from gloamet.sky.dome import SkyDome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene
from gloamet.thread_pool import shared_pool
from gloamet.trace.film import Film
from gloamet.trace.lights.environment import Environment
from gloamet.trace.render_scene import RenderScene
from gloamet.translation.document_to_aerial import apply_aerial_perspective
from gloamet.translation.document_to_light import (
    build_stage,
    dome_from_document,
    environment_from_document,
    panorama_from_document,
)
from gloamet.translation.document_to_light_shafts import apply_light_shafts
from gloamet.translation.document_to_masks import mask_planes
from gloamet.translation.document_to_picture import gains_from_document, masks_from_document
from gloamet.translation.finished_light import FinishedLight, finished_light, with_contours


class RenderInputs(NamedTuple):
    """A document with its stage, light and camera, ready for rays."""

    document: Document
    compiled: RenderScene
    dome: SkyDome
    lights: Environment
    camera: Camera

    @classmethod
    def of(cls, document: Document, scene: Scene, camera: Camera) -> RenderInputs:
        """From the placed scene, all parts of it. Raises GloametError where the document's panorama cannot be read."""
        compiled, dome = build_stage(document, scene), dome_from_document(document)
        lights = environment_from_document(document, dome, panorama_from_document(document, dome))
        return cls(document, compiled, dome, lights, camera)


def finished_picture(
    inputs: RenderInputs, film: Film, clean: bool, stopped: Callable[[], bool] = lambda: False
) -> tuple[FinishedLight, MaskPlanes]:
    """Compute the finished light of a film.

    Parameters
    ----------
    inputs : RenderInputs
        Document, scene, lights and camera.
    film : Film
        The film.
    clean : bool
        Whether to denoise.
    stopped : callable, optional
        Tells whether to stop.

    Returns
    -------
    tuple of FinishedLight and MaskPlanes
        Light under gains with medium, aerial perspective and contours, and the planes of the masks.
    """
    document, compiled, dome, lights, camera = inputs
    light = finished_light(document, film, clean, lights)
    lit = document, compiled, lights, camera
    light = apply_light_shafts(*lit, light, film.mean_samples(), clean, stopped)
    light = apply_aerial_perspective(document, dome, camera, light, film)
    light = with_contours(document, compiled, camera, light)
    pool = shared_pool()
    gains = gains_from_document(document)
    return light, mask_planes(masks_from_document(document), film, gains, (compiled, camera), pool)
