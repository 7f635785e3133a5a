# SPDX-License-Identifier: Apache-2.0
"""Bare ray kernels for measuring: bounce rays of a view, closest and any hits over an array of them.

Arrays: origins and directions (N, 3) float32.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS, F
from gloamet.stage.camera import Camera
from gloamet.trace.geometry.camera_rays import camera_ray
from gloamet.trace.geometry.embree import PATH_MASK
from gloamet.trace.geometry.rays import intersect, occluded
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.sampler import GOLDEN, random_pair
from gloamet.trace.geometry.vec import add_scaled, dot, neg, normalize, put, triple
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.surfaces.bsdf import sample_cosine_hemisphere
from gloamet.trace.surfaces.visibility import T_MAX

_ANY = np.int32(PATH_MASK)


@njit(**KERNEL_OPTIONS)
def _bounces(handle, camera, width, height, origins, directions):  # type: ignore[no-untyped-def]
    n = 0
    for y in range(height):
        for x in range(width):
            ray = camera_ray(camera, (x, y), (width, height), (F(0.5), F(0.5)), (F(0), F(0)))
            hit = intersect(handle, ray, F(0), T_MAX, _ANY)
            if hit.primitive < 0:
                continue
            normal = normalize(hit.normal)
            if dot(normal, ray.direction) > F(0):
                normal = neg(normal)
            u, v = random_pair(np.uint64(y * width + x) * GOLDEN)
            met = add_scaled(ray.origin, ray.direction, hit.distance)
            put(origins, n, 0, add_scaled(met, normal, F(1e-3)))
            put(directions, n, 0, sample_cosine_hemisphere(normal, u, v))
            n += 1
    return n


@njit(**KERNEL_OPTIONS)
def closest_hits(handle, origins, directions, first, last):  # type: ignore[no-untyped-def]
    """How many of the rays first..last meet anything, by closest-hit queries."""
    hits = 0
    for i in range(first, last):
        found = intersect(handle, Ray(triple(origins, i, 0), triple(directions, i, 0)), F(0), T_MAX, _ANY)
        hits += found.primitive >= 0
    return hits


@njit(**KERNEL_OPTIONS)
def any_hits(handle, origins, directions, first, last):  # type: ignore[no-untyped-def]
    """How many of the rays first..last meet anything, by any-hit queries."""
    hits = 0
    for i in range(first, last):
        hits += occluded(handle, Ray(triple(origins, i, 0), triple(directions, i, 0)), T_MAX, _ANY)
    return hits


def bounce_rays(compiled: RenderScene, camera: Camera, width: int, height: int) -> tuple[NDArray, NDArray]:
    """Diffuse bounce rays from what a camera sees: origins and directions, in picture order."""
    origins, directions = np.zeros((2, width * height, 3), np.float32)
    n = _bounces(compiled.rays.handle, camera.packed(width, height), width, height, origins, directions)
    return origins[:n].copy(), directions[:n].copy()
