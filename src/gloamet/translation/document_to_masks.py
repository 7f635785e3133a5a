# SPDX-License-Identifier: Apache-2.0
"""Inputs of a document's masks: distances, sun and shade, parts and materials.

A film or planes of one, gains, and the stage with its camera enter; `MaskPlanes` leave, with what no mask asks for left
out.
"""

from __future__ import annotations

from concurrent.futures import Executor

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.links import Mask
from gloamet.develop.masks import MaskPlanes, changes
from gloamet.light_layers import LIGHTS, Gains
from gloamet.stage.camera import Camera
from gloamet.trace.film import Film
from gloamet.trace.first_hits import first_hits
from gloamet.trace.render_scene import RenderScene

Floats = NDArray[np.float32]
HIT_HEIGHT = 400  # pixels of the picture on which parts are looked up


def kinds_asked(masks: tuple[Mask, ...]) -> frozenset[str]:
    """Return the kinds of the masks that are applied.

    Parameters
    ----------
    masks : tuple of Mask
        The masks.

    Returns
    -------
    frozenset of str
        Their kinds.
    """
    return frozenset(mask.kind for mask in masks if changes(mask))


def sun_fraction_of_film(film: Film, gains: Gains) -> Floats:
    """Compute the direct sun's fraction of the light of each pixel.

    Parameters
    ----------
    film : Film
        The film.
    gains : Gains
        Gains of the lights.

    Returns
    -------
    ndarray
        Fractions 0 to 1, (H, W), smoothed.
    """
    from scipy.ndimage import uniform_filter

    weights = AP1_LUMINANCE.astype(np.float32)
    total = np.zeros(film.layers["counts"].shape, np.float32)
    sun = total
    for light, gain in zip(LIGHTS, gains, strict=True):
        indirect = film.layers[light.indirect]
        direct = (film.layers[light.name] - indirect) @ (weights * np.array(gain.direct, np.float32))
        total = total + direct + indirect @ (weights * np.array(gain.indirect, np.float32))
        sun = direct if light.name == "sun" else sun
    smooth = (uniform_filter(plane, 3) for plane in (np.maximum(sun, 0.0), total))
    return np.asarray(np.clip(next(smooth) / np.maximum(next(smooth), 1e-9), 0.0, 1.0), np.float32)


def named_planes(compiled: RenderScene, camera: Camera, size: tuple[int, int], pool: Executor) -> MaskPlanes:
    """Compute which part and material each pixel shows.

    Parameters
    ----------
    compiled : RenderScene
        The render scene.
    camera : Camera
        The camera.
    size : tuple of int
        Width and height in pixels.
    pool : Executor
        Threads that run the kernels.

    Returns
    -------
    MaskPlanes
        Planes of part and material indices, with their names.
    """
    width, height = size
    shrink = max(1.0, height / HIT_HEIGHT)
    hits = first_hits(compiled, camera, round(width / shrink), round(height / shrink), pool)
    parts, materials = compiled.scene.parts, compiled.scene.materials
    material_of = np.array([part.material for part in parts] or [-1], np.int32)
    seen = np.where(hits.part >= 0, material_of[np.maximum(hits.part, 0)], -1).astype(np.int32)
    return MaskPlanes(
        parts=hits.part,
        part_names=tuple(part.name for part in parts),
        materials=seen,
        material_names=tuple(material.name for material in materials),
    )


def mask_planes(
    masks: tuple[Mask, ...],
    film: Film,
    gains: Gains,
    stage: tuple[RenderScene, Camera],
    pool: Executor,
) -> MaskPlanes:
    """All that the masks of a document ask for of a finished film."""
    asked, planes = kinds_asked(masks), MaskPlanes()
    if asked & {"part", "material"}:
        planes = named_planes(*stage, (film.width, film.height), pool)
    if "distance" in asked:
        planes = planes._replace(depth=film.mean("depth"))
    if asked & {"sunlit", "shaded"}:
        planes = planes._replace(sun_fraction=sun_fraction_of_film(film, gains))
    return planes
