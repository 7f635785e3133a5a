# SPDX-License-Identifier: Apache-2.0
"""Camera placement on surfaces: the surface below a point, and an eye above it that is never inside geometry."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import EYE_HEIGHT_M
from gloamet.trace.first_hits import probe
from gloamet.trace.render_scene import RenderScene

WALL_CLEARANCE_M = 0.25  # room kept from walls
MAX_LIFTS = 16
DOWN, UP = (0.0, 0.0, -1.0), (0.0, 0.0, 1.0)


def surface_under(scene: RenderScene, x: float, y: float, from_z: float) -> float:
    """Find the first surface below a position.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    x : float
        East, metres.
    y : float
        North, metres.
    from_z : float
        Height from which to look down, metres.

    Returns
    -------
    float
        Height of the surface, metres; the ground or 0 where there is none.
    """
    hit = probe(scene, (x, y, from_z), DOWN)
    if hit is not None:
        return float(hit.point[2])
    return scene.ground.height_m if scene.ground is not None else 0.0


def place_eye(
    scene: RenderScene, x: float, y: float, from_z: float, eye_m: float = EYE_HEIGHT_M
) -> NDArray[np.float64]:
    """Place an eye above the surface at a position.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    x : float
        East, metres.
    y : float
        North, metres.
    from_z : float
        Height from which to look down, metres.
    eye_m : float, optional
        Height of the eye above the surface, metres.

    Returns
    -------
    ndarray
        Position, metres, (3,), outside solids and walls.
    """
    z = surface_under(scene, x, y, from_z)
    for _ in range(MAX_LIFTS):
        above = probe(scene, (x, y, z + 1e-3), UP)
        if above is None or (above.distance > eye_m + 0.05 and not above.from_behind):
            break
        # too low a space, or the inside of something solid: stand on top of it
        z = float(above.point[2]) + 1e-4
    eye = np.array([x, y, z + eye_m])
    for k in range(8):
        angle = k * math.pi / 4.0
        out = np.array([math.sin(angle), math.cos(angle), 0.0])
        wall = probe(scene, eye, out)
        if wall is not None and wall.distance < WALL_CLEARANCE_M:
            eye = eye - out * (WALL_CLEARANCE_M - wall.distance)
    return eye


def lift_out_of_surfaces(scene: RenderScene, eye: NDArray[np.float64]) -> NDArray[np.float64]:
    """Move an eye out of a solid.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    eye : ndarray
        Position, metres, (3,).

    Returns
    -------
    ndarray
        The same position, or one just above the solid.
    """
    for _ in range(MAX_LIFTS):
        above = probe(scene, eye, UP)
        if above is None or not above.from_behind:
            return eye
        eye = above.point + np.array([0.0, 0.0, 0.05])
    return eye
