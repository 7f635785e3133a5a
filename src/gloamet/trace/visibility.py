"""How much light comes along a shadow ray: none behind walls, tinted behind panes, some between leaves.

Arrays are those of `compiled`.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.bsdf import (
    alpha_cutout,
    interpolate_uv,
    thin_glass_fresnel,
    transform_vector,
    triangle_index,
)
from gloamet.trace.embree import OPAQUE_MASK, TRANSMISSIVE_MASK, RayScene
from gloamet.trace.materials import CUTOUT
from gloamet.trace.rays import intersect, occluded

F = np.float32
T_MAX = F(1e30)
MAX_PASSES = 64
OPAQUE_ONLY, _TRANSMISSIVE_ONLY = np.int32(OPAQUE_MASK), np.int32(TRANSMISSIVE_MASK)
ANY_MASK = np.int32(OPAQUE_MASK | TRANSMISSIVE_MASK)


@njit(inline="always", **KERNEL_OPTIONS)
def ray_epsilon(t, px, py, pz):
    """How far to leave a surface: enough for the rounding of the distance and of the place."""
    far = max(abs(px), max(abs(py), abs(pz)))
    return F(1e-4) + F(1e-6) * t + F(2e-7) * far


@njit(inline="always", **KERNEL_OPTIONS)
def offset_to_back(x, y, z, nx, ny, nz):
    """A place off a thin surface, from where it lies off the face of normal n to the other side of the sheet."""
    off = F(2e-3) + F(4e-6) * max(abs(x), max(abs(y), abs(z)))
    return x - off * nx, y - off * ny, z - off * nz


@njit(**KERNEL_OPTIONS)
def transmittance_along_ray(scene, arrays, ox, oy, oz, dx, dy, dz, far):
    """What panes and leaves along a shadow ray let through, per channel."""
    materials, triangles = arrays.materials, arrays.triangles
    r = g = b = F(1)
    near = F(0)
    for _ in range(MAX_PASSES):
        t, nx, ny, nz, hu, hv, prim, geometry, instance = intersect(
            scene, ox, oy, oz, near, dx, dy, dz, far, _TRANSMISSIVE_ONLY
        )
        if prim < 0:
            return r, g, b
        prim = triangle_index(arrays.first, arrays.instance_first, prim, geometry, instance)
        m = arrays.triangle_material[prim]
        hole = False
        if materials[m, CUTOUT] >= F(0):
            tu, tv = interpolate_uv(triangles, arrays.uvs, prim, hu, hv)
            hole = alpha_cutout(materials, m, arrays.texels, arrays.textures, tu, tv)
        if not hole:
            nx, ny, nz = transform_vector(arrays.instance_matrices, instance, 0, nx, ny, nz)
            cosine = abs(nx * dx + ny * dy + nz * dz) / math.sqrt(nx * nx + ny * ny + nz * nz)
            _f, tr, tg, tb = thin_glass_fresnel(materials, m, cosine)
            r, g, b = r * tr, g * tg, b * tb
            if r + g + b <= F(0):
                return r, g, b
        near = t + ray_epsilon(t, ox, oy, oz)
    return F(0), F(0), F(0)


@njit(inline="always", **KERNEL_OPTIONS)
def shadow_transmittance(scene, pervious, arrays, ox, oy, oz, dx, dy, dz, far):
    """How much light comes along a shadow ray of length far, per channel."""
    if not occluded(scene, ox, oy, oz, F(0), dx, dy, dz, far, ANY_MASK):
        return F(1), F(1), F(1)
    if not pervious or occluded(scene, ox, oy, oz, F(0), dx, dy, dz, far, OPAQUE_ONLY):
        return F(0), F(0), F(0)
    return transmittance_along_ray(scene, arrays, ox, oy, oz, dx, dy, dz, far)


@njit(**KERNEL_OPTIONS)
def _hit_distances(scene, origins, directions, out):
    for k in range(len(directions)):
        t, _x, _y, _z, _u, _v, prim, _g, _i = intersect(
            scene, origins[k, 0], origins[k, 1], origins[k, 2], F(0), directions[k, 0], directions[k, 1],
            directions[k, 2], T_MAX, OPAQUE_ONLY,
        )  # fmt: skip
        out[k] = t if prim >= 0 else F(-1)


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
