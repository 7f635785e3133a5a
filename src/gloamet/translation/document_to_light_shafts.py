# SPDX-License-Identifier: Apache-2.0
"""Light shafts of a document: its participating medium, and finished light seen through it.

A document, its stage, lights and camera enter; a `ParticipatingMedium`, or finished light with the part `shafts`,
leaves.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import REC709_TO_AP1
from gloamet.document.air import LightShaftState
from gloamet.document.model import Document
from gloamet.sky.air import KOSCHMIEDER
from gloamet.stage.camera import Camera
from gloamet.stage.props import PROP_GROUP
from gloamet.stage.scene import Box, Scene
from gloamet.trace.denoise import shared_denoiser
from gloamet.trace.film import Renderer
from gloamet.trace.first_hits import first_hits
from gloamet.trace.geometry.records import Triple
from gloamet.trace.light_shafts import LightShaftFilm, ParticipatingMedium
from gloamet.trace.lights.environment import Environment
from gloamet.trace.render_scene import RenderScene
from gloamet.translation.document_to_picture import gains_from_document
from gloamet.translation.finished_light import FinishedLight

SHAFTS = "light_shafts"  # the part of finished light that dust adds
VIEW_COLUMNS, VIEW_ROWS, FARTHEST_SEEN_M = 48, 27, 60.0  # rays that find what the camera sees of the model
MARGIN_M = 0.05
FEWEST, MOST, OF_FILM = 16, 128, 2  # samples of a saved picture's dust: one for so many of the film's
Floats = NDArray[np.float32]


def _triple(values: NDArray[np.float64]) -> Triple:
    return np.float32(values[0]), np.float32(values[1]), np.float32(values[2])


def _seen_box(
    compiled: RenderScene, camera: Camera, renderer: Renderer
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Corners of a box round the eye and all that it sees nearby."""
    hits = first_hits(compiled, camera, VIEW_COLUMNS, VIEW_ROWS, renderer.pool)  # panes end it
    eye = np.array(camera.eye, float)
    points = [eye]
    for y, x in np.argwhere(hits.depth > 0.0):
        ray = camera.ray((x + 0.5) / VIEW_COLUMNS, (y + 0.5) / VIEW_ROWS, VIEW_COLUMNS / VIEW_ROWS)
        points.append(eye + min(float(hits.depth[y, x]), FARTHEST_SEEN_M) * np.array(ray))
    return np.min(points, 0), np.max(points, 0)


def _model_bounds(scene: Scene) -> Box:
    """Bounds of the model itself, without props: a ridge may stand miles away."""
    own = tuple(part for part in scene.parts if PROP_GROUP not in part.group)
    return replace(scene, parts=own or scene.parts).subject_bounds()


def medium_from_document(
    shafts: LightShaftState, compiled: RenderScene, camera: Camera, renderer: Renderer
) -> ParticipatingMedium | None:
    """Make the participating medium of a document.

    Parameters
    ----------
    shafts : LightShaftState
        Settings of the light shafts.
    compiled : RenderScene
        The render scene.
    camera : Camera
        The camera.
    renderer : Renderer
        Renderer whose threads find the region in view.

    Returns
    -------
    ParticipatingMedium or None
        The medium; None when it is off.
    """
    s = shafts
    if not s.on:
        return None
    if s.region == "box":
        low, high = np.array(s.box_min), np.array(s.box_max)
    elif s.region == "view":
        low, high = _seen_box(compiled, camera, renderer)
    else:
        low, high = (np.array(corner, float) for corner in _model_bounds(compiled.scene))
    if s.region != "box":
        low, high = low - MARGIN_M, high + MARGIN_M
    colour = np.clip(REC709_TO_AP1 @ np.array(s.colour), 0.0, 1.0)
    extinction = np.float32(KOSCHMIEDER / s.visibility_m)
    return ParticipatingMedium(
        _triple(low), _triple(high), extinction, _triple(colour), np.float32(s.anisotropy)
    )


def light_shaft_samples(samples: float) -> int:
    """Samples a pixel of the dust before a saved picture of so many.

    >>> light_shaft_samples(256), light_shaft_samples(2)
    (128, 16)
    """
    return int(min(MOST, max(FEWEST, samples / OF_FILM)))


def denoise_light_shafts(light: Floats, cancelled: Callable[[], bool] = lambda: False) -> Floats | None:
    """Denoise the light of a medium.

    Parameters
    ----------
    light : ndarray
        Light, AP1 cd/m², (H, W, 3).
    cancelled : callable, optional
        Tells whether to stop.

    Returns
    -------
    ndarray or None
        The denoised light; None when cancelled.
    """
    return shared_denoiser().run({"color": np.ascontiguousarray(light)}, cancelled)


def apply_light_shafts(
    document: Document,
    compiled: RenderScene,
    lights: Environment,
    camera: Camera,
    light: FinishedLight,
    samples: float,
    clean: bool,
    stopped: Callable[[], bool] = lambda: False,
) -> FinishedLight:
    """Finished light of a film of so many samples through the document's dust, whose own light is one more part. One
    that is stopped has FEWEST samples at least."""
    if not document.light_shafts.on:
        return light
    renderer = Renderer()
    medium = medium_from_document(document.light_shafts, compiled, camera, renderer)
    assert medium is not None
    height, width = light.whole.shape[:2]
    film = LightShaftFilm(width, height)
    wanted = light_shaft_samples(samples)
    while film.samples < wanted and not (film.samples and stopped()):
        step = min(FEWEST, wanted - film.samples)
        film.accumulate(renderer, compiled, lights, camera, medium, step)
    renderer.pool.shutdown(wait=False)
    gains = gains_from_document(document, lights.sky_colour)
    added, through = film.light(gains.sun.direct, gains.sky.direct), film.through()[..., None]
    if clean:
        cleaned = denoise_light_shafts(added)
        assert cleaned is not None  # nobody cancels
        added = cleaned
    return light.through(through, added, SHAFTS)
