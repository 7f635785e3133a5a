# SPDX-License-Identifier: Apache-2.0
"""Attributes of a triangle at a hit: its row, texture coordinates and colours, smoothed and mapped normals.

Array layouts are those of `render_scene` and `materials`; colours AP1 unless said otherwise. Textures repeat and are
read between their texels.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.trace.geometry.embree import HAS_VERTEX_COLOUR, HAS_VERTEX_NORMALS, RAY_CLASSES
from gloamet.trace.geometry.vec import WHITE, add_scaled, cross, dot, mul, neg, normalize, scale, sub, triple
from gloamet.trace.surfaces.materials import (
    BASE_COLOUR,
    BASE_TEXTURE,
    CUTOUT,
    METALNESS,
    NORMAL_STRENGTH,
    NORMAL_TEXTURE,
    ROUGHNESS,
    ROUGHNESS_TEXTURE,
    SRGB_DECODE,
    TEXTURE_FACTOR,
    TEXTURE_MEAN,
    TEXTURE_STRENGTH,
    TEXTURE_TO_AP1,
)

NORMAL_MATRIX, DIRECTION_MATRIX = 0, 9  # columns of an instance's row
_STEEPEST = F(-0.02)  # a mapped normal may not face away from the viewer


@njit(**INNER_KERNEL_OPTIONS)
def sample_texture(texels, textures, index, uv):
    """Bilinear, repeating lookup: (linear Rec.709, raw red, green, blue in 0..1, alpha)."""
    first, width, height = textures[index, 0], textures[index, 1], textures[index, 2]
    x = (uv[0] - F(math.floor(uv[0]))) * F(width) - F(0.5)
    y = (uv[1] - F(math.floor(uv[1]))) * F(height) - F(0.5)
    i, j = int(math.floor(x)), int(math.floor(y))
    fx, fy = x - F(i), y - F(j)
    # the texels before and after, round the edge; divisions would take as long as all the rest
    i0, i1 = (i if i >= 0 else width - 1), (i + 1 if i + 1 < width else 0)
    j0, j1 = (j if j >= 0 else height - 1), (j + 1 if j + 1 < height else 0)
    r = g = b = raw_r = raw_g = raw_b = raw_a = F(0)
    for corner in range(4):
        a, c = corner & 1, corner >> 1
        w = (fx if a else F(1) - fx) * (fy if c else F(1) - fy)
        t = np.uint64(first + (j1 if c else j0) * width + (i1 if a else i0))
        r += w * SRGB_DECODE[texels[t, 0]]
        g += w * SRGB_DECODE[texels[t, 1]]
        b += w * SRGB_DECODE[texels[t, 2]]
        w *= F(1 / 255)
        raw_r += w * F(texels[t, 0])
        raw_g += w * F(texels[t, 1])
        raw_b += w * F(texels[t, 2])
        raw_a += w * F(texels[t, 3])
    return (r, g, b), (raw_r, raw_g, raw_b), raw_a


@njit(**INLINE_KERNEL_OPTIONS)
def texture_to_ap1(c):
    """Linear Rec.709 in AP1."""
    m = TEXTURE_TO_AP1
    return (
        m[0, 0] * c[0] + m[0, 1] * c[1] + m[0, 2] * c[2],
        m[1, 0] * c[0] + m[1, 1] * c[1] + m[1, 2] * c[2],
        m[2, 0] * c[0] + m[2, 1] * c[1] + m[2, 2] * c[2],
    )


@njit(**INLINE_KERNEL_OPTIONS)
def eval_textures(scene, m, uv):
    """Base colour (AP1), roughness and metalness of a material at texture coordinates."""
    materials = scene.materials
    albedo, roughness, metalness = (
        triple(materials, m, BASE_COLOUR),
        materials[m, ROUGHNESS],
        materials[m, METALNESS],
    )
    if materials[m, BASE_TEXTURE] >= F(0):
        texture, _raw, _alpha = sample_texture(
            scene.texels, scene.textures, int(materials[m, BASE_TEXTURE]), uv
        )
        mean = triple(materials, m, TEXTURE_MEAN)
        shown = add_scaled(mean, sub(texture, mean), materials[m, TEXTURE_STRENGTH])
        albedo = texture_to_ap1(mul(shown, triple(materials, m, TEXTURE_FACTOR)))
    if materials[m, ROUGHNESS_TEXTURE] >= F(0):
        _linear, raw, _alpha = sample_texture(
            scene.texels, scene.textures, int(materials[m, ROUGHNESS_TEXTURE]), uv
        )
        roughness, metalness = roughness * raw[1], metalness * raw[2]
    return albedo, roughness, metalness


@njit(**INLINE_KERNEL_OPTIONS)
def alpha_cutout(scene, m, uv):
    """Whether a cut-out surface has a hole at texture coordinates."""
    if scene.materials[m, BASE_TEXTURE] < F(0):
        return False
    _linear, _raw, alpha = sample_texture(
        scene.texels, scene.textures, int(scene.materials[m, BASE_TEXTURE]), uv
    )
    return alpha < scene.materials[m, CUTOUT]


@njit(**INLINE_KERNEL_OPTIONS)
def triangle_index(scene, hit):
    """The row of a hit in the triangle arrays."""
    first = (
        scene.instance_first[hit.instance - RAY_CLASSES] if hit.instance >= 0 else scene.first[hit.geometry]
    )
    return first + hit.primitive


@njit(**INLINE_KERNEL_OPTIONS)
def transform_vector(scene, instance, matrix, v):
    """A normal (NORMAL_MATRIX) or direction (DIRECTION_MATRIX) of an instance's own space in the world."""
    if instance < 0:
        return v
    i, matrices = instance - RAY_CLASSES, scene.instance_matrices
    return (
        dot(triple(matrices, i, matrix), v),
        dot(triple(matrices, i, matrix + 3), v),
        dot(triple(matrices, i, matrix + 6), v),
    )


@njit(**INLINE_KERNEL_OPTIONS)
def interpolate_uv(scene, triangle, barycentric):
    """Texture coordinates inside a triangle."""
    corners, uvs = scene.triangles, scene.uvs
    a, b, c = corners[triangle, 0], corners[triangle, 1], corners[triangle, 2]
    u, v = barycentric
    w = F(1) - u - v
    return w * uvs[a, 0] + u * uvs[b, 0] + v * uvs[c, 0], w * uvs[a, 1] + u * uvs[b, 1] + v * uvs[c, 1]


@njit(**INLINE_KERNEL_OPTIONS)
def interpolate_row(scene, rows, triangle, barycentric):
    """A vertex normal or colour (V, 3) inside a triangle."""
    corners, (u, v) = scene.triangles, barycentric
    first = scale(triple(rows, corners[triangle, 0], 0), F(1) - u - v)
    second = add_scaled(first, triple(rows, corners[triangle, 1], 0), u)
    return add_scaled(second, triple(rows, corners[triangle, 2], 0), v)


@njit(**INLINE_KERNEL_OPTIONS)
def vertex_colour(scene, triangle, barycentric):
    """Vertex colour inside a triangle (AP1), white where there is none."""
    if not scene.flags[triangle] & HAS_VERTEX_COLOUR:
        return WHITE
    return interpolate_row(scene, scene.colours, triangle, barycentric)


@njit(**INLINE_KERNEL_OPTIONS)
def shading_normal(scene, hit, direction):
    """The interpolated normal on the ray's side of the face, or the face's own where that fails.

    hit is a `SurfaceInteraction` on a triangle.
    """
    if not scene.flags[hit.triangle] & HAS_VERTEX_NORMALS:
        return hit.normal
    smooth = interpolate_row(scene, scene.normals, hit.triangle, hit.barycentric)
    smooth = transform_vector(scene, hit.instance, NORMAL_MATRIX, smooth)
    inverse = F(1) / math.sqrt(max(F(1e-20), dot(smooth, smooth)))
    if dot(smooth, hit.normal) < F(0):
        inverse = -inverse
    smooth = scale(smooth, inverse)
    return hit.normal if dot(smooth, direction) > F(-1e-3) else smooth


@njit(**INLINE_KERNEL_OPTIONS)
def texture_axes(scene, triangle):
    """The directions in which the picture on a triangle runs right (u grows) and up (v falls), in its own space, not
    normalised; nothing where it has no area in the texture."""
    i, j, k = scene.triangles[triangle, 0], scene.triangles[triangle, 1], scene.triangles[triangle, 2]
    uvs, vertices = scene.uvs, scene.vertices
    du1, dv1 = uvs[j, 0] - uvs[i, 0], uvs[j, 1] - uvs[i, 1]
    du2, dv2 = uvs[k, 0] - uvs[i, 0], uvs[k, 1] - uvs[i, 1]
    area = du1 * dv2 - du2 * dv1
    sign = F(0) if abs(area) < F(1e-20) else (F(1) if area > F(0) else F(-1))
    first = sub(triple(vertices, j, 0), triple(vertices, i, 0))
    second = sub(triple(vertices, k, 0), triple(vertices, i, 0))
    right = add_scaled(scale(first, dv2), second, -dv1)
    up = add_scaled(scale(first, du2), second, -du1)
    return scale(right, sign), scale(up, sign)


@njit(**INNER_KERNEL_OPTIONS)
def apply_normal_map(scene, hit, normal, direction):
    """The unit normal as its normal map tilts it, towards the viewer of a ray along a direction. What leans one way on
    a face leans the other way seen from its back (glTF 2.0, double-sided materials)."""
    tangent, up = texture_axes(scene, hit.triangle)
    tangent = transform_vector(scene, hit.instance, DIRECTION_MATRIX, tangent)
    tangent = add_scaled(tangent, normal, -dot(tangent, normal))
    if dot(tangent, tangent) < F(1e-40):
        return normal
    tangent = normalize(tangent)
    bitangent = cross(normal, tangent)
    if dot(bitangent, transform_vector(scene, hit.instance, DIRECTION_MATRIX, up)) < F(0):
        bitangent = neg(bitangent)
    m = hit.material
    _linear, raw, _alpha = sample_texture(
        scene.texels, scene.textures, int(scene.materials[m, NORMAL_TEXTURE]), hit.uv
    )
    strength = scene.materials[m, NORMAL_STRENGTH] if hit.front else -scene.materials[m, NORMAL_STRENGTH]
    p, q = (F(2) * raw[0] - F(1)) * strength, (F(2) * raw[1] - F(1)) * strength
    mapped = scale(normal, max(F(2) * raw[2] - F(1), F(0.05)))
    mapped = normalize(add_scaled(add_scaled(mapped, tangent, p), bitangent, q))
    return normal if dot(mapped, direction) > _STEEPEST else mapped
