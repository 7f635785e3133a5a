# SPDX-License-Identifier: Apache-2.0
"""First hits of camera rays: for picking parts, standing on surfaces, and contours.

A compiled scene and a camera or a ray enter. Maps of one size leave: part (H, W) int32 (index into the
compiled scene's parts, GROUND or NOTHING), depth (H, W) and normal (H, W, 3) float32.
"""

from __future__ import annotations

from concurrent.futures import Executor
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS, F
from gloamet.stage.camera import Camera
from gloamet.trace.geometry.camera_rays import camera_ray
from gloamet.trace.geometry.embree import CAMERA_MASK, NO_SHADOW, OPAQUE, RAY_CLASSES, TRANSMISSIVE
from gloamet.trace.geometry.rays import intersect
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.vec import BLACK, UP, normalize
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.surfaces.ground_plane import ground_distance
from gloamet.trace.surfaces.texturing import NORMAL_MATRIX, transform_vector, triangle_index
from gloamet.trace.surfaces.visibility import T_MAX

GROUND, NOTHING = -2, -1
ALL_SURFACES = CAMERA_MASK
SOLID = 1 << OPAQUE | 1 << OPAQUE + NO_SHADOW  # without glass and leaves
GLASSY = 1 << TRANSMISSIVE | 1 << TRANSMISSIVE + NO_SHADOW
TILE_ROWS = 16


@dataclass(frozen=True)
class SurfacePoint:
    """A point met: distance along the ray, part index or GROUND, world point, unit normal, and whether the
    face looks away from the ray."""

    distance: float
    part: int
    point: NDArray[np.float64]
    normal: NDArray[np.float64]
    from_behind: bool


@dataclass(frozen=True)
class FirstHits:
    """What a camera sees first at every pixel."""

    part: NDArray[np.int32]
    depth: NDArray[np.float32]
    normal: NDArray[np.float32]


class PartArrays(NamedTuple):
    """Which part each triangle and instance belongs to."""

    of_triangle: NDArray[np.int32]
    of_instance: NDArray[np.int32]


@njit(**KERNEL_OPTIONS)
def _first_hit(scene, parts, mask, ray):
    """(distance, part, normal) of the first hit."""
    hit = intersect(scene.handle, ray, F(0), T_MAX, mask)
    ground = ground_distance(scene.plane, ray, hit.distance)
    if ground > F(0):
        return ground, GROUND, UP
    if hit.primitive < 0:
        return F(0), NOTHING, BLACK
    normal = normalize(transform_vector(scene, hit.instance, NORMAL_MATRIX, hit.normal))
    if hit.instance >= 0:
        return hit.distance, np.int64(parts.of_instance[hit.instance - RAY_CLASSES]), normal
    return hit.distance, np.int64(parts.of_triangle[triangle_index(scene, hit)]), normal


@njit(**KERNEL_OPTIONS)
def _first_hit_rows(scene, parts, mask, camera, y0, y1, part, depth, normal):
    height, width = part.shape
    middle = (F(0.5), F(0.5))
    for y in range(y0, y1):
        for x in range(width):
            ray = camera_ray(camera, (x, y), (width, height), middle, (F(0), F(0)))
            depth[y, x], part[y, x], n = _first_hit(scene, parts, mask, ray)
            normal[y, x, 0], normal[y, x, 1], normal[y, x, 2] = n


def _parts(scene: RenderScene) -> PartArrays:
    return PartArrays(scene.geometry.triangle_part, scene.geometry.instance_part)


def first_hits(
    scene: RenderScene, camera: Camera, width: int, height: int, pool: Executor, mask: int = ALL_SURFACES
) -> FirstHits:
    """Compute maps of the first surfaces a camera sees.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    camera : Camera
        The camera.
    width : int
        Width in pixels.
    height : int
        Height in pixels.
    pool : Executor
        Threads that run the kernels.
    mask : int, optional
        Embree mask of the surfaces that count.

    Returns
    -------
    FirstHits
        Part index, depth and normal per pixel.
    """
    part = np.empty((height, width), np.int32)
    depth, normal = np.empty((height, width), np.float32), np.empty((height, width, 3), np.float32)
    packed = camera.packed(width, height)
    arrays, parts = scene.arrays(), _parts(scene)

    def rows(y: int) -> None:
        last = min(height, y + TILE_ROWS)
        _first_hit_rows(arrays, parts, np.int32(mask), packed, y, last, part, depth, normal)

    list(pool.map(rows, range(0, height, TILE_ROWS)))
    return FirstHits(part, depth, normal)


def probe(
    scene: RenderScene,
    origin: NDArray | tuple[float, ...],
    direction: NDArray | tuple[float, ...],
    mask: int = ALL_SURFACES,
) -> SurfacePoint | None:
    """Find the first hit of a ray.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    origin : ndarray or tuple of float
        Origin, metres, (3,).
    direction : ndarray or tuple of float
        Direction, (3,).
    mask : int, optional
        Embree mask of the surfaces that count.

    Returns
    -------
    SurfacePoint or None
        The hit; None when the ray leaves the scene.
    """
    d = np.asarray(direction, float)
    d = d / max(float(np.linalg.norm(d)), 1e-12)
    ray = Ray(*(tuple(np.asarray(v, np.float32)) for v in (origin, d)))
    t, part, n = _first_hit(scene.arrays(), _parts(scene), np.int32(mask), ray)
    if part == NOTHING:
        return None
    normal = np.asarray(n, float)
    behind = float(normal @ d) > 0.0
    return SurfacePoint(float(t), int(part), np.asarray(origin, float) + float(t) * d, normal, behind)
