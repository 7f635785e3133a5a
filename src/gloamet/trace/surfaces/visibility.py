# SPDX-License-Identifier: Apache-2.0
"""Shadow rays: transmittance along a ray; zero behind walls, tinted behind panes, partial between leaves.

`scene` is a `render_scene.SceneArrays`, a ray a `records.Ray`.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.geometry.embree import OPAQUE_MASK, TRANSMISSIVE_MASK, RayScene
from gloamet.trace.geometry.rays import intersect, occluded
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.vec import BLACK, WHITE, add_scaled, dot, mul, normalize, total, triple
from gloamet.trace.surfaces.bsdf import thin_glass_fresnel
from gloamet.trace.surfaces.materials import CUTOUT
from gloamet.trace.surfaces.texturing import (
    NORMAL_MATRIX,
    alpha_cutout,
    interpolate_uv,
    transform_vector,
    triangle_index,
)

T_MAX = F(1e30)
MAX_PASSES = 64  # panes and holes in a row
OPAQUE_ONLY, _TRANSMISSIVE_ONLY = np.int32(OPAQUE_MASK), np.int32(TRANSMISSIVE_MASK)
ANY_MASK = np.int32(OPAQUE_MASK | TRANSMISSIVE_MASK)


@njit(**INLINE_KERNEL_OPTIONS)
def ray_epsilon(t, position):
    """How far to leave a surface: enough for the rounding of the distance and of the position."""
    far = max(abs(position[0]), max(abs(position[1]), abs(position[2])))
    return F(1e-4) + F(1e-6) * t + F(2e-7) * far


@njit(**INLINE_KERNEL_OPTIONS)
def offset_to_back(position, normal):
    """A position off a thin surface, from where it lies off the face to the other side of the sheet."""
    far = max(abs(position[0]), max(abs(position[1]), abs(position[2])))
    return add_scaled(position, normal, -(F(2e-3) + F(4e-6) * far))


@njit(**INNER_KERNEL_OPTIONS)
def transmittance_along_ray(scene, ray, far):
    """What panes and leaves along a shadow ray let through, per channel."""
    through, near = WHITE, F(0)
    for _ in range(MAX_PASSES):
        hit = intersect(scene.handle, ray, near, far, _TRANSMISSIVE_ONLY)
        if hit.primitive < 0:
            return through
        triangle = triangle_index(scene, hit)
        m = scene.triangle_material[triangle]
        hole = False
        if scene.materials[m, CUTOUT] >= F(0):
            hole = alpha_cutout(scene, m, interpolate_uv(scene, triangle, hit.barycentric))
        if not hole:
            normal = normalize(transform_vector(scene, hit.instance, NORMAL_MATRIX, hit.normal))
            _reflected, passed = thin_glass_fresnel(scene.materials, m, abs(dot(normal, ray.direction)))
            through = mul(through, passed)
            if total(through) <= F(0):
                return BLACK
        near = hit.distance + ray_epsilon(hit.distance, ray.origin)
    return BLACK


@njit(**INLINE_KERNEL_OPTIONS)
def shadow_transmittance(scene, ray, far):
    """How much light comes along a shadow ray of length far, per channel."""
    if not occluded(scene.handle, ray, far, ANY_MASK):
        return WHITE
    if not scene.transmissive or occluded(scene.handle, ray, far, OPAQUE_ONLY):
        return BLACK
    return transmittance_along_ray(scene, ray, far)


@njit(**KERNEL_OPTIONS)
def _hit_distances(handle, origins, directions, out):
    for k in range(len(directions)):
        ray = Ray(triple(origins, k, 0), triple(directions, k, 0))
        hit = intersect(handle, ray, F(0), T_MAX, OPAQUE_ONLY)
        out[k] = hit.distance if hit.primitive >= 0 else F(-1)


def hit_distances(rays: RayScene, origins: NDArray[Any], directions: NDArray[Any]) -> NDArray[np.float32]:
    """Distance (N,) to the first opaque face along each ray of origins and directions (N, 3), -1 for none."""
    out = np.empty(len(directions), np.float32)
    _hit_distances(
        rays.handle,
        np.ascontiguousarray(origins, np.float32),
        np.ascontiguousarray(directions, np.float32),
        out,
    )
    return out
