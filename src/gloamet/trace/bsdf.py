"""Surfaces inside the kernels: textures, normals at a hit, the glossy-and-diffuse reflection, panes.

Everything works on float32 scalars in a right-handed local or world frame; colours are AP1 triples. The
reflection model is that of glTF 2.0 (GGX with Smith shadowing over Lambert), coupled so that the diffuse
part never returns what the gloss already took.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.embree import HAS_VERTEX_COLOUR, HAS_VERTEX_NORMALS, RAY_CLASSES
from gloamet.trace.materials import (
    BASE_COLOUR,
    BASE_TEXTURE,
    CUTOUT,
    IOR,
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
    THIN,
    TRANSMISSION,
)

F = np.float32
PI = F(math.pi)
MIRROR_ALPHA = F(0.02)  # below this the lobe is narrower than can be sampled: a perfect mirror
DIELECTRIC_F0 = F(0.04)
# Light the lobe returns by (full or dielectric, cosine, roughness), made by tools/make_gloss.py.
ALBEDO_LUT = np.load(Path(__file__).parents[1] / "data" / "gloss.npy")
BINS = ALBEDO_LUT.shape[1]
_COSINES = np.linspace(0.0, 1.0, BINS)[:, None]
AVERAGE_ALBEDO_LUT = np.trapezoid(2.0 * ALBEDO_LUT[1] * _COSINES, _COSINES, axis=0).astype(np.float32)


@njit(inline="always", **KERNEL_OPTIONS)
def orthonormal_basis(nx, ny, nz):
    """Two tangents of a unit normal (Duff et al., JCGT 6, 2017)."""
    s = math.copysign(F(1), nz)
    a = F(-1) / (s + nz)
    b = nx * ny * a
    return F(1) + s * nx * nx * a, s * b, -s * nx, b, s + ny * ny * a, -ny


@njit(inline="always", **KERNEL_OPTIONS)
def sample_cosine_hemisphere(nx, ny, nz, u, v):
    """A direction about the normal with density cos / pi."""
    r, phi = math.sqrt(u), F(2 * math.pi) * v
    x, y, z = r * math.cos(phi), r * math.sin(phi), math.sqrt(max(F(0), F(1) - u))
    a, b, c, d, e, g = orthonormal_basis(nx, ny, nz)
    return a * x + d * y + nx * z, b * x + e * y + ny * z, c * x + g * y + nz * z


@njit(**KERNEL_OPTIONS)
def sample_texture(texels, pictures, index, u, v):
    """Bilinear, repeating lookup of a picture: linear Rec.709 and the raw red, green, blue, alpha in 0..1."""
    first, width, height = pictures[index, 0], pictures[index, 1], pictures[index, 2]
    x = (u - F(math.floor(u))) * F(width) - F(0.5)
    y = (v - F(math.floor(v))) * F(height) - F(0.5)
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
    return r, g, b, raw_r, raw_g, raw_b, raw_a


@njit(inline="always", **KERNEL_OPTIONS)
def eval_textures(materials, m, texels, pictures, u, v):
    """Base colour (AP1), roughness and metalness of a material at texture coordinates."""
    r, g, b = materials[m, BASE_COLOUR], materials[m, BASE_COLOUR + 1], materials[m, BASE_COLOUR + 2]
    rough, metal = materials[m, ROUGHNESS], materials[m, METALNESS]
    if materials[m, BASE_TEXTURE] >= F(0):
        tr, tg, tb, _, _, _, _ = sample_texture(texels, pictures, int(materials[m, BASE_TEXTURE]), u, v)
        k = materials[m, TEXTURE_STRENGTH]
        tr = (materials[m, TEXTURE_MEAN] + k * (tr - materials[m, TEXTURE_MEAN])) * materials[
            m, TEXTURE_FACTOR
        ]
        tg = (materials[m, TEXTURE_MEAN + 1] + k * (tg - materials[m, TEXTURE_MEAN + 1])) * materials[
            m, TEXTURE_FACTOR + 1
        ]
        tb = (materials[m, TEXTURE_MEAN + 2] + k * (tb - materials[m, TEXTURE_MEAN + 2])) * materials[
            m, TEXTURE_FACTOR + 2
        ]
        M = TEXTURE_TO_AP1
        r = M[0, 0] * tr + M[0, 1] * tg + M[0, 2] * tb
        g = M[1, 0] * tr + M[1, 1] * tg + M[1, 2] * tb
        b = M[2, 0] * tr + M[2, 1] * tg + M[2, 2] * tb
    if materials[m, ROUGHNESS_TEXTURE] >= F(0):
        _, _, _, _, tg, tb, _ = sample_texture(texels, pictures, int(materials[m, ROUGHNESS_TEXTURE]), u, v)
        rough *= tg
        metal *= tb
    return r, g, b, rough, metal


@njit(**KERNEL_OPTIONS)
def alpha_cutout(materials, m, texels, pictures, u, v):
    """Whether a cut-out surface has a hole at texture coordinates."""
    if materials[m, BASE_TEXTURE] < F(0):
        return False
    found = sample_texture(texels, pictures, int(materials[m, BASE_TEXTURE]), u, v)
    return found[6] < materials[m, CUTOUT]


@njit(inline="always", **KERNEL_OPTIONS)
def triangle_index(first, instance_first, prim, geometry, instance):
    """The row of a hit in the triangle arrays."""
    return (instance_first[instance - RAY_CLASSES] if instance >= 0 else first[geometry]) + prim


@njit(inline="always", **KERNEL_OPTIONS)
def transform_vector(turns, instance, k, x, y, z):
    """A normal (k = 0) or direction (k = 9) of an instance's own space in the world."""
    if instance < 0:
        return x, y, z
    i = instance - RAY_CLASSES
    return (
        turns[i, k] * x + turns[i, k + 1] * y + turns[i, k + 2] * z,
        turns[i, k + 3] * x + turns[i, k + 4] * y + turns[i, k + 5] * z,
        turns[i, k + 6] * x + turns[i, k + 7] * y + turns[i, k + 8] * z,
    )


@njit(inline="always", **KERNEL_OPTIONS)
def interpolate_uv(triangles, uvs, prim, u, v):
    """Texture coordinates inside a triangle."""
    a, b, c = triangles[prim, 0], triangles[prim, 1], triangles[prim, 2]
    w = F(1) - u - v
    return w * uvs[a, 0] + u * uvs[b, 0] + v * uvs[c, 0], w * uvs[a, 1] + u * uvs[b, 1] + v * uvs[c, 1]


@njit(inline="always", **KERNEL_OPTIONS)
def interpolate_normal(triangles, normals, prim, u, v):
    """Vertex normal inside a triangle, not normalised."""
    a, b, c = triangles[prim, 0], triangles[prim, 1], triangles[prim, 2]
    w = F(1) - u - v
    return (
        w * normals[a, 0] + u * normals[b, 0] + v * normals[c, 0],
        w * normals[a, 1] + u * normals[b, 1] + v * normals[c, 1],
        w * normals[a, 2] + u * normals[b, 2] + v * normals[c, 2],
    )


@njit(**KERNEL_OPTIONS)
def interpolate_colour(flags, colours, triangles, prim, u, v):
    """Vertex colour inside a triangle (AP1), white where there is none."""
    if not flags[prim] & HAS_VERTEX_COLOUR:
        return F(1), F(1), F(1)
    a, b, c = triangles[prim, 0], triangles[prim, 1], triangles[prim, 2]
    w = F(1) - u - v
    return (
        w * colours[a, 0] + u * colours[b, 0] + v * colours[c, 0],
        w * colours[a, 1] + u * colours[b, 1] + v * colours[c, 1],
        w * colours[a, 2] + u * colours[b, 2] + v * colours[c, 2],
    )


@njit(**KERNEL_OPTIONS)
def apply_normal_map(
    vertices, uvs, triangles, turns, instance, prim, materials, m, texels, pictures, tu, tv, n, d
):
    """The unit normal n as its normal map tilts it, towards the viewer of a ray along d."""
    i, j, k = triangles[prim, 0], triangles[prim, 1], triangles[prim, 2]
    du1, dv1 = uvs[j, 0] - uvs[i, 0], uvs[j, 1] - uvs[i, 1]
    du2, dv2 = uvs[k, 0] - uvs[i, 0], uvs[k, 1] - uvs[i, 1]
    det = du1 * dv2 - du2 * dv1
    if abs(det) < F(1e-20):
        return n
    sign = F(1) if det > F(0) else F(-1)
    ax = sign * ((vertices[j, 0] - vertices[i, 0]) * dv2 - (vertices[k, 0] - vertices[i, 0]) * dv1)
    ay = sign * ((vertices[j, 1] - vertices[i, 1]) * dv2 - (vertices[k, 1] - vertices[i, 1]) * dv1)
    az = sign * ((vertices[j, 2] - vertices[i, 2]) * dv2 - (vertices[k, 2] - vertices[i, 2]) * dv1)
    ax, ay, az = transform_vector(turns, instance, 9, ax, ay, az)
    along = ax * n[0] + ay * n[1] + az * n[2]
    ax, ay, az = ax - along * n[0], ay - along * n[1], az - along * n[2]
    length = math.sqrt(ax * ax + ay * ay + az * az)
    if length < F(1e-20):
        return n
    ax, ay, az = ax / length, ay / length, az / length
    # across runs up the picture, against v
    bx = -sign * (n[1] * az - n[2] * ay)
    by = -sign * (n[2] * ax - n[0] * az)
    bz = -sign * (n[0] * ay - n[1] * ax)
    found = sample_texture(texels, pictures, int(materials[m, NORMAL_TEXTURE]), tu, tv)
    p = (F(2) * found[3] - F(1)) * materials[m, NORMAL_STRENGTH]
    q = (F(2) * found[4] - F(1)) * materials[m, NORMAL_STRENGTH]
    r = max(F(2) * found[5] - F(1), F(0.05))
    x, y, z = p * ax + q * bx + r * n[0], p * ay + q * by + r * n[1], p * az + q * bz + r * n[2]
    inverse = F(1) / math.sqrt(x * x + y * y + z * z)
    x, y, z = x * inverse, y * inverse, z * inverse
    if x * d[0] + y * d[1] + z * d[2] > F(-0.02):
        return n
    return x, y, z


@njit(inline="always", **KERNEL_OPTIONS)
def shading_normal(flags, triangles, normals, turns, instance, prim, u, v, nx, ny, nz, dx, dy, dz):
    """The interpolated normal on the ray's side of the face, or the face's own where that fails."""
    if not flags[prim] & HAS_VERTEX_NORMALS:
        return nx, ny, nz
    sx, sy, sz = interpolate_normal(triangles, normals, prim, u, v)
    sx, sy, sz = transform_vector(turns, instance, 0, sx, sy, sz)
    inverse = F(1) / math.sqrt(max(F(1e-20), sx * sx + sy * sy + sz * sz))
    if sx * nx + sy * ny + sz * nz < F(0):
        inverse = -inverse
    sx, sy, sz = sx * inverse, sy * inverse, sz * inverse
    if sx * dx + sy * dy + sz * dz > F(-1e-3):
        return nx, ny, nz
    return sx, sy, sz


@njit(inline="always", **KERNEL_OPTIONS)
def schlick_weight(x):
    """(1 - x) to the fifth: Schlick's Fresnel weight."""
    y = min(F(1), max(F(0), F(1) - x))
    return y * y * y * y * y


@njit(inline="always", **KERNEL_OPTIONS)
def specular_probability(nv, r, g, b, metal, gloss):
    """Probability with which the glossy lobe is chosen."""
    if metal >= F(1):
        return F(1)
    base = F(0.3) * r + F(0.6) * g + F(0.1) * b
    f0 = DIELECTRIC_F0 * gloss * (F(1) - metal) + base * metal
    f90 = gloss * (F(1) - metal) + metal
    shine = f0 + (f90 - f0) * schlick_weight(nv)
    return min(F(0.9), max(F(0.1), shine / (shine + base * (F(1) - metal) + F(1e-6))))


@njit(inline="always", **KERNEL_OPTIONS)
def directional_albedo(kind, cosine, alpha):
    """Share of light the lobe returns at a cosine; kind 0 full reflectance, 1 dielectric."""
    x = min(max(cosine, F(0)) * F(BINS - 1), F(BINS - 1.001))
    y = min(math.sqrt(alpha) * F(BINS - 1), F(BINS - 1.001))
    i, j = int(x), int(y)
    a, b = x - F(i), y - F(j)
    low = ALBEDO_LUT[kind, i, j] * (F(1) - b) + ALBEDO_LUT[kind, i, j + 1] * b
    return (
        low * (F(1) - a) + (ALBEDO_LUT[kind, i + 1, j] * (F(1) - b) + ALBEDO_LUT[kind, i + 1, j + 1] * b) * a
    )


@njit(inline="always", **KERNEL_OPTIONS)
def average_albedo(alpha):
    """Hemispherical mean of the dielectric's share."""
    y = min(math.sqrt(alpha) * F(BINS - 1), F(BINS - 1.001))
    j = int(y)
    return AVERAGE_ALBEDO_LUT[j] + (AVERAGE_ALBEDO_LUT[j + 1] - AVERAGE_ALBEDO_LUT[j]) * (y - F(j))


@njit(**KERNEL_OPTIONS)
def eval_bsdf(surface, lx, ly, lz):
    """Reflection towards the viewer of light from l: (f * cos) per channel, and the density of sampling l.

    surface: normal (0-2), direction to the viewer (3-5), base colour (6-8), alpha, metalness, gloss and the
    probability of the glossy lobe (9-12). A mirror (alpha below MIRROR_ALPHA) counts only its diffuse part
    here.
    """
    nx, ny, nz, vx, vy, vz, r, g, b, alpha, metal, gloss, share = surface
    nl, nv = nx * lx + ny * ly + nz * lz, nx * vx + ny * vy + nz * vz
    if nl <= F(0) or nv <= F(0):
        return F(0), F(0), F(0), F(0)
    if share <= F(0):  # matt
        out = nl / PI
        return r * out, g * out, b * out, out
    mirrored = gloss * DIELECTRIC_F0
    taken_v, taken_l = gloss * directional_albedo(1, nv, alpha), gloss * directional_albedo(1, nl, alpha)
    out = (F(1) - taken_v) * (F(1) - taken_l) / (F(1) - gloss * average_albedo(alpha))
    out *= (F(1) - metal) * nl / PI
    density = (F(1) - share) * nl / PI
    fr, fg, fb = r * out, g * out, b * out
    if alpha < MIRROR_ALPHA:
        return fr, fg, fb, density
    hx, hy, hz = lx + vx, ly + vy, lz + vz
    inverse = F(1) / math.sqrt(max(F(1e-12), hx * hx + hy * hy + hz * hz))
    nh = (nx * hx + ny * hy + nz * hz) * inverse
    vh = (vx * hx + vy * hy + vz * hz) * inverse
    a2 = alpha * alpha
    d = nh * nh * (a2 - F(1)) + F(1)
    distribution = a2 / (PI * d * d)
    root_v = math.sqrt(a2 + (F(1) - a2) * nv * nv)
    root_l = math.sqrt(a2 + (F(1) - a2) * nl * nl)
    # G2 / (4 nv nl) * nl, height-correlated Smith
    visible = F(0.5) * nl / (nl * root_v + nv * root_l)
    k = schlick_weight(vh)
    f90 = gloss * (F(1) - metal) + metal
    amount = distribution * visible
    f0 = mirrored * (F(1) - metal)
    # light that a single reflection off rough metal loses, after Turquin (2019): "Practical multiple
    # scattering compensation for microfacet models"
    lost = metal * (F(1) / directional_albedo(0, nv, alpha) - F(1))
    fr += amount * (f0 + r * metal + (f90 - f0 - r * metal) * k) * (F(1) + lost * r)
    fg += amount * (f0 + g * metal + (f90 - f0 - g * metal) * k) * (F(1) + lost * g)
    fb += amount * (f0 + b * metal + (f90 - f0 - b * metal) * k) * (F(1) + lost * b)
    density += share * distribution * F(0.5) / (nv + root_v)
    return fr, fg, fb, density


@njit(**KERNEL_OPTIONS)
def sample_ggx_vndf(nx, ny, nz, vx, vy, vz, alpha, u, v):
    """Mirror v about a visible GGX normal (Heitz, JCGT 7, 2018); a plain mirror below MIRROR_ALPHA."""
    if alpha < MIRROR_ALPHA:
        d = F(2) * (nx * vx + ny * vy + nz * vz)
        return d * nx - vx, d * ny - vy, d * nz - vz
    a, b, c, d, e, g = orthonormal_basis(nx, ny, nz)
    x, y, z = a * vx + b * vy + c * vz, d * vx + e * vy + g * vz, nx * vx + ny * vy + nz * vz
    sx, sy, sz = alpha * x, alpha * y, z
    inverse = F(1) / math.sqrt(sx * sx + sy * sy + sz * sz)
    sx, sy, sz = sx * inverse, sy * inverse, sz * inverse
    flat = sx * sx + sy * sy
    tx, ty = (-sy / math.sqrt(flat), sx / math.sqrt(flat)) if flat > F(1e-12) else (F(1), F(0))
    bx, by, bz = -sz * ty, sz * tx, sx * ty - sy * tx
    r, phi = math.sqrt(u), F(2 * math.pi) * v
    p, q = r * math.cos(phi), r * math.sin(phi)
    s = F(0.5) * (F(1) + sz)
    q = (F(1) - s) * math.sqrt(max(F(0), F(1) - p * p)) + s * q
    w = math.sqrt(max(F(0), F(1) - p * p - q * q))
    hx, hy, hz = alpha * (p * tx + q * bx + w * sx), alpha * (p * ty + q * by + w * sy), q * bz + w * sz
    hz = max(F(1e-6), hz)
    inverse = F(1) / math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * inverse, hy * inverse, hz * inverse
    k = F(2) * (x * hx + y * hy + z * hz)
    lx, ly, lz = k * hx - x, k * hy - y, k * hz - z
    return a * lx + d * ly + nx * lz, b * lx + e * ly + ny * lz, c * lx + g * ly + nz * lz


@njit(inline="always", **KERNEL_OPTIONS)
def fresnel(cosine, ior):
    """Unpolarised Fresnel reflectance from air into a dielectric."""
    c = min(F(1), max(F(0), cosine))
    g = math.sqrt(max(F(0), ior * ior - F(1) + c * c))
    s, p = (c - g) / (c + g), (ior * ior * c - g) / (ior * ior * c + g)
    return F(0.5) * (s * s + p * p)


@njit(inline="always", **KERNEL_OPTIONS)
def thin_glass_fresnel(materials, m, cosine):
    """Reflectance of a glass face and what it lets through straight: (R, tr, tg, tb).

    A thin sheet counts both of its faces and all reflections between them; a face of a solid body counts
    once, with half of the body's tint.
    """
    f = fresnel(cosine, materials[m, IOR])
    r, g, b = materials[m, BASE_COLOUR], materials[m, BASE_COLOUR + 1], materials[m, BASE_COLOUR + 2]
    if materials[m, THIN] > F(0):
        f = F(2) * f / (F(1) + f)
    else:
        r, g, b = math.sqrt(r), math.sqrt(g), math.sqrt(b)
    clear = materials[m, TRANSMISSION] * (F(1) - f)
    return f, clear * r, clear * g, clear * b
