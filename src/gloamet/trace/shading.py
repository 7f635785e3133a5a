"""What a ray has met, and what the surface is there: its shading normal, colour, roughness, metalness and lobes.

Arrays are a `compiled.SceneArrays`.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.bsdf import (
    apply_normal_map,
    eval_textures,
    interpolate_colour,
    interpolate_uv,
    shading_normal,
    specular_probability,
    transform_vector,
    triangle_index,
)
from gloamet.trace.ground_plane import WATER, water_normal
from gloamet.trace.materials import KIND, MATT, NORMAL_TEXTURE, SPECULAR

F = np.float32


@njit(inline="always", **KERNEL_OPTIONS)
def resolve_hit(arrays, ground, hit, dx, dy, dz):
    """What a ray along d meets: the ground plane where its distance is above 0, else the hit of `rays.intersect`.

    Returns distance, triangle (-1 on the plane), instance, material, the face's unit normal turned to the looker,
    whether the looker sees its front, and the place in its texture.
    """
    t, nx, ny, nz, hu, hv, prim, geometry, instance = hit
    if ground > F(0):
        return ground, -1, -1, len(arrays.materials) - 1, F(0), F(0), F(1), True, F(0), F(0)
    prim = triangle_index(arrays.first, arrays.instance_first, prim, geometry, instance)
    nx, ny, nz = transform_vector(arrays.instance_matrices, instance, 0, nx, ny, nz)
    inverse = F(1) / math.sqrt(nx * nx + ny * ny + nz * nz)
    front = nx * dx + ny * dy + nz * dz <= F(0)
    if not front:
        inverse = -inverse
    tu, tv = interpolate_uv(arrays.triangles, arrays.uvs, prim, hu, hv)
    m = arrays.triangle_material[prim]
    return t, prim, instance, m, nx * inverse, ny * inverse, nz * inverse, front, tu, tv


@njit(inline="always", **KERNEL_OPTIONS)
def evaluate_material(arrays, m, prim, instance, barycentric, texture, place, normal, direction, travelled):
    """Shading normal turned to the looker, base colour, roughness, metalness; prim is -1 on the ground plane.

    barycentric and texture are pairs, place, normal (of the face, turned to the looker) and direction triples;
    travelled in metres decides how fine ripples are.
    """
    flags, triangles, turns, materials = (
        arrays.flags,
        arrays.triangles,
        arrays.instance_matrices,
        arrays.materials,
    )
    texels, pictures, plane = arrays.texels, arrays.textures, arrays.plane
    hu, hv = barycentric
    tu, tv = texture
    nx, ny, nz = normal
    dx, dy, dz = direction
    r, g, b, rough, metal = eval_textures(materials, m, texels, pictures, tu, tv)
    sx, sy, sz = nx, ny, nz
    if prim >= 0:
        sx, sy, sz = shading_normal(
            flags, triangles, arrays.normals, turns, instance, prim, hu, hv, nx, ny, nz, dx, dy, dz
        )
        if materials[m, NORMAL_TEXTURE] >= 0:
            sx, sy, sz = apply_normal_map(
                arrays.vertices, arrays.uvs, triangles, turns, instance, prim, materials, m, texels, pictures,
                tu, tv, (sx, sy, sz), (dx, dy, dz),
            )  # fmt: skip
        a, c, d = interpolate_colour(flags, arrays.colours, triangles, prim, hu, hv)
        r, g, b = r * a, g * c, b * d
    elif plane[WATER] > 0:
        sx, sy, sz = water_normal(plane, place[0], place[1], travelled)
        if sx * dx + sy * dy + sz * dz > -0.02:
            sx, sy, sz = nx, ny, nz
    return sx, sy, sz, r, g, b, rough, metal


@njit(inline="always", **KERNEL_OPTIONS)
def make_bsdf(materials, m, looked, direction):
    """The surface as `surface.reflect` takes it, of what `evaluate_material` returned for a ray along a direction."""
    sx, sy, sz, r, g, b, rough, metal = looked
    dx, dy, dz = direction
    gloss, share, alpha = materials[m, SPECULAR], F(0), F(1)
    if materials[m, KIND] != F(MATT):
        alpha = rough * rough
        share = specular_probability(-(sx * dx + sy * dy + sz * dz), r, g, b, metal, gloss)
    return sx, sy, sz, -dx, -dy, -dz, r, g, b, alpha, metal, gloss, share
