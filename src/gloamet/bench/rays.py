"""Bare ray kernels for measuring: bounce rays of a view, closest and any hits over an array of them.

Arrays: origins and directions (N, 3) float32.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS
from gloamet.stage.camera import Camera
from gloamet.trace.bsdf import sample_cosine_hemisphere
from gloamet.trace.embree import PATH_MASK
from gloamet.trace.rays import intersect, occluded
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.sampler import random_pair

F = np.float32
_ANY = np.int32(PATH_MASK)
FAR = F(1e30)


@njit(**KERNEL_OPTIONS)
def _bounces(scene, camera, width, height, origins, directions):  # type: ignore[no-untyped-def]
    n = 0
    for y in range(height):
        for x in range(width):
            a, b = F(2) * (F(x) + F(0.5)) / F(width) - F(1), F(1) - F(2) * (F(y) + F(0.5)) / F(height)
            dx = camera[1, 0] + a * camera[2, 0] + b * camera[3, 0]
            dy = camera[1, 1] + a * camera[2, 1] + b * camera[3, 1]
            dz = camera[1, 2] + a * camera[2, 2] + b * camera[3, 2]
            s = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
            dx, dy, dz = dx * s, dy * s, dz * s
            t, nx, ny, nz, _u, _v, prim, _g, _i = intersect(
                scene, camera[0, 0], camera[0, 1], camera[0, 2], F(0), dx, dy, dz, FAR, _ANY
            )
            if prim < 0:
                continue
            s = F(1) / math.sqrt(nx * nx + ny * ny + nz * nz)
            if nx * dx + ny * dy + nz * dz > F(0):
                s = -s
            nx, ny, nz = nx * s, ny * s, nz * s
            u, v = random_pair(np.uint64(y * width + x) * np.uint64(0x9E3779B97F4A7C15))
            origins[n, 0] = camera[0, 0] + dx * t + nx * F(1e-3)
            origins[n, 1] = camera[0, 1] + dy * t + ny * F(1e-3)
            origins[n, 2] = camera[0, 2] + dz * t + nz * F(1e-3)
            directions[n, 0], directions[n, 1], directions[n, 2] = sample_cosine_hemisphere(nx, ny, nz, u, v)
            n += 1
    return n


@njit(**KERNEL_OPTIONS)
def closest_hits(scene, origins, directions, first, last):  # type: ignore[no-untyped-def]
    """How many of the rays first..last meet anything, by closest-hit queries."""
    hits = 0
    for i in range(first, last):
        found = intersect(
            scene, origins[i, 0], origins[i, 1], origins[i, 2], F(0),
            directions[i, 0], directions[i, 1], directions[i, 2], FAR, _ANY,
        )  # fmt: skip
        hits += found[6] >= 0
    return hits


@njit(**KERNEL_OPTIONS)
def any_hits(scene, origins, directions, first, last):  # type: ignore[no-untyped-def]
    """How many of the rays first..last meet anything, by any-hit queries."""
    hits = 0
    for i in range(first, last):
        hits += occluded(
            scene, origins[i, 0], origins[i, 1], origins[i, 2], F(0),
            directions[i, 0], directions[i, 1], directions[i, 2], FAR, _ANY,
        )  # fmt: skip
    return hits


def bounce_rays(compiled: RenderScene, camera: Camera, width: int, height: int) -> tuple[NDArray, NDArray]:
    """Diffuse bounce rays from what a camera sees: origins and directions, in picture order."""
    origins, directions = np.zeros((2, width * height, 3), np.float32)
    n = _bounces(compiled.rays.handle, camera.packed(width, height), width, height, origins, directions)
    return origins[:n].copy(), directions[:n].copy()
