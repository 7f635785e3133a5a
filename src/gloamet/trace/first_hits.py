"""What a ray meets first: for picking parts, standing on surfaces, and drawing contours.

A compiled scene and a camera or a ray enter. Maps of one size leave: part (H, W) int32 (index into the
compiled scene's parts, GROUND or NOTHING), depth (H, W) and normal (H, W, 3) float32.
"""

from __future__ import annotations

import math
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS
from gloamet.stage.camera import Camera
from gloamet.trace.bsdf import transform_vector, triangle_index
from gloamet.trace.embree import CAMERA_MASK, NO_SHADOW, OPAQUE, RAY_CLASSES, TRANSMISSIVE
from gloamet.trace.ground_plane import ground_distance
from gloamet.trace.rays import intersect
from gloamet.trace.render_scene import RenderScene

F = np.float32
FAR = F(1e30)
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


@njit(**KERNEL_OPTIONS)
def _first_hit(
    scene, first, instance_first, turns, triangle_part, instance_part, plane, mask, ox, oy, oz, dx, dy, dz
):
    """(distance, part, normal) of the first hit."""
    t, nx, ny, nz, _u, _v, prim, geometry, instance = intersect(
        scene, ox, oy, oz, F(0), dx, dy, dz, FAR, mask
    )
    s = ground_distance(plane, ox, oy, oz, dx, dy, dz, t)
    if s > F(0):
        return s, GROUND, F(0), F(0), F(1)
    if prim < 0:
        return F(0), NOTHING, F(0), F(0), F(0)
    nx, ny, nz = transform_vector(turns, instance, 0, nx, ny, nz)
    inverse = F(1) / math.sqrt(nx * nx + ny * ny + nz * nz)
    if instance >= 0:
        part = instance_part[instance - RAY_CLASSES]
    else:
        part = triangle_part[triangle_index(first, instance_first, prim, geometry, instance)]
    return t, part, nx * inverse, ny * inverse, nz * inverse


@njit(**KERNEL_OPTIONS)
def _first_hit_rows(
    scene, first, instance_first, turns, triangle_part, instance_part, plane, mask, camera, y0, y1, part,
    depth, normal,
):  # fmt: skip
    height, width = part.shape
    for y in range(y0, y1):
        b = F(1) - F(2) * (F(y) + F(0.5)) / F(height)
        for x in range(width):
            a = F(2) * (F(x) + F(0.5)) / F(width) - F(1)
            sx = a * camera[2, 0] + b * camera[3, 0]
            sy = a * camera[2, 1] + b * camera[3, 1]
            sz = a * camera[2, 2] + b * camera[3, 2]
            ox, oy, oz = camera[0, 0], camera[0, 1], camera[0, 2]
            dx, dy, dz = camera[1, 0], camera[1, 1], camera[1, 2]
            if camera[4, 2] > F(0):
                ox, oy, oz = ox + sx, oy + sy, oz + sz
            else:
                dx, dy, dz = dx + sx, dy + sy, dz + sz
            inverse = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
            t, k, nx, ny, nz = _first_hit(
                scene, first, instance_first, turns, triangle_part, instance_part, plane, mask,
                ox, oy, oz, dx * inverse, dy * inverse, dz * inverse,
            )  # fmt: skip
            part[y, x], depth[y, x] = k, t
            normal[y, x, 0], normal[y, x, 1], normal[y, x, 2] = nx, ny, nz


def _arrays(scene: RenderScene) -> tuple[NDArray, ...]:
    g = scene.geometry
    return (g.first, g.instance_first, g.instance_turns, g.triangle_part, g.instance_part, scene.plane)


def first_hits(
    scene: RenderScene, camera: Camera, width: int, height: int, pool: Executor, mask: int = ALL_SURFACES
) -> FirstHits:
    """Maps of what a camera sees first."""
    part = np.empty((height, width), np.int32)
    depth, normal = np.empty((height, width), np.float32), np.empty((height, width, 3), np.float32)
    packed = camera.packed(width, height)
    arrays = _arrays(scene)

    def rows(y: int) -> None:
        last = min(height, y + TILE_ROWS)
        _first_hit_rows(scene.rays.handle, *arrays, np.int32(mask), packed, y, last, part, depth, normal)

    list(pool.map(rows, range(0, height, TILE_ROWS)))
    return FirstHits(part, depth, normal)


def probe(
    scene: RenderScene,
    origin: NDArray | tuple[float, ...],
    direction: NDArray | tuple[float, ...],
    mask: int = ALL_SURFACES,
) -> SurfacePoint | None:
    """The first hit of one ray, None when it leaves the scene."""
    d = np.asarray(direction, float)
    d = d / max(float(np.linalg.norm(d)), 1e-12)
    o = np.asarray(origin, np.float32)
    t, part, *n = _first_hit(scene.rays.handle, *_arrays(scene), np.int32(mask), *o, *d.astype(np.float32))
    if part == NOTHING:
        return None
    normal = np.asarray(n, float)
    behind = float(normal @ d) > 0.0
    return SurfacePoint(float(t), int(part), np.asarray(origin, float) + float(t) * d, normal, behind)
