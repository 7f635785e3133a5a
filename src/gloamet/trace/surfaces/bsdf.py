# SPDX-License-Identifier: Apache-2.0
"""Reflection and transmission: GGX with Smith shadowing over Lambert as in glTF 2.0, Fresnel, thin glass.

The diffuse part is coupled so that it never returns what the specular lobe already took. Sources: GGX and its height-
correlated Smith term, Walter et al. 2007 and Heitz 2014; sampling of visible normals, Heitz, JCGT 7, 2018; energy lost
by single scattering in rough metal, Turquin 2019; Fresnel weight, Schlick 1994.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.shipped_data import DATA
from gloamet.trace.geometry.records import MIRROR_PDF, NO_SAMPLE, Bsdf, BsdfSample, BsdfValue
from gloamet.trace.geometry.vec import (
    BLACK,
    add,
    add_scaled,
    dot,
    from_local,
    mirror,
    mul,
    neg,
    normalize,
    orthonormal_basis,
    scale,
    sub,
    triple,
)
from gloamet.trace.surfaces.materials import BASE_COLOUR, IOR, THIN, TRANSMISSION

PI = F(math.pi)
MIRROR_ALPHA = F(0.02)  # below this the lobe is narrower than can be sampled: a perfect mirror
DIELECTRIC_F0 = F(0.04)  # reflectance at normal incidence of refractive index 1.5
METAL_LOBE, DIELECTRIC_LOBE = 0, 1  # planes of the table
# Light the lobe returns by (lobe, cosine, roughness), made by tools/make_directional_albedo.py.
ALBEDO_LUT = np.load(DATA / "directional_albedo.npy")
BINS = ALBEDO_LUT.shape[1]
_COSINES = np.linspace(0.0, 1.0, BINS)[:, None]
AVERAGE_ALBEDO_LUT = np.trapezoid(2.0 * ALBEDO_LUT[1] * _COSINES, _COSINES, axis=0).astype(np.float32)


@njit(**INLINE_KERNEL_OPTIONS)
def sample_cosine_hemisphere(normal, u, v):
    """Sample a direction around a normal with density cos / π.

    Parameters
    ----------
    normal : tuple of float32
        Unit normal.
    u : float32
        Random number.
    v : float32
        Random number.

    Returns
    -------
    tuple of float32
        Unit direction.
    """
    r, phi = math.sqrt(u), F(2 * math.pi) * v
    return from_local(normal, r * math.cos(phi), r * math.sin(phi), math.sqrt(max(F(0), F(1) - u)))


@njit(**INLINE_KERNEL_OPTIONS)
def schlick_weight(x):
    """(1 - x) to the fifth: Schlick's Fresnel weight."""
    y = min(F(1), max(F(0), F(1) - x))
    return y * y * y * y * y


@njit(**INLINE_KERNEL_OPTIONS)
def specular_f0(bsdf):
    """Reflectance of the specular lobe at normal incidence, per channel, and at grazing incidence."""
    dielectric = DIELECTRIC_F0 * bsdf.specular * (F(1) - bsdf.metalness)
    f0 = (
        dielectric + bsdf.colour[0] * bsdf.metalness,
        dielectric + bsdf.colour[1] * bsdf.metalness,
        dielectric + bsdf.colour[2] * bsdf.metalness,
    )
    return f0, bsdf.specular * (F(1) - bsdf.metalness) + bsdf.metalness


@njit(**INLINE_KERNEL_OPTIONS)
def schlick_fresnel(f0, f90, cosine):
    """Fresnel reflectance per channel at the cosine to the half vector."""
    k = schlick_weight(cosine)
    return f0[0] + (f90 - f0[0]) * k, f0[1] + (f90 - f0[1]) * k, f0[2] + (f90 - f0[2]) * k


@njit(**INLINE_KERNEL_OPTIONS)
def specular_probability(nv, colour, metalness, specular):
    """Probability with which the specular lobe is chosen, by the cosine to the viewer."""
    if metalness >= F(1):
        return F(1)
    base = F(0.3) * colour[0] + F(0.6) * colour[1] + F(0.1) * colour[2]
    f0 = DIELECTRIC_F0 * specular * (F(1) - metalness) + base * metalness
    f90 = specular * (F(1) - metalness) + metalness
    shine = f0 + (f90 - f0) * schlick_weight(nv)
    return min(F(0.9), max(F(0.1), shine / (shine + base * (F(1) - metalness) + F(1e-6))))


@njit(**INLINE_KERNEL_OPTIONS)
def directional_albedo(lobe, cosine, alpha):
    """Fraction of light the lobe returns at a cosine: METAL_LOBE of full reflectance, or DIELECTRIC_LOBE."""
    x = min(max(cosine, F(0)) * F(BINS - 1), F(BINS - 1.001))
    y = min(math.sqrt(alpha) * F(BINS - 1), F(BINS - 1.001))
    i, j = int(x), int(y)
    a, b = x - F(i), y - F(j)
    low = ALBEDO_LUT[lobe, i, j] * (F(1) - b) + ALBEDO_LUT[lobe, i, j + 1] * b
    return (
        low * (F(1) - a) + (ALBEDO_LUT[lobe, i + 1, j] * (F(1) - b) + ALBEDO_LUT[lobe, i + 1, j + 1] * b) * a
    )


@njit(**INLINE_KERNEL_OPTIONS)
def average_albedo(alpha):
    """Hemispherical mean of the dielectric lobe's albedo."""
    y = min(math.sqrt(alpha) * F(BINS - 1), F(BINS - 1.001))
    j = int(y)
    return AVERAGE_ALBEDO_LUT[j] + (AVERAGE_ALBEDO_LUT[j + 1] - AVERAGE_ALBEDO_LUT[j]) * (y - F(j))


@njit(**INLINE_KERNEL_OPTIONS)
def ggx_distribution(nh, alpha):
    """D of GGX at the cosine to the half vector."""
    a2 = alpha * alpha
    d = nh * nh * (a2 - F(1)) + F(1)
    return a2 / (PI * d * d)


@njit(**INLINE_KERNEL_OPTIONS)
def smith_root(cosine, alpha):
    """The square root of Smith's shadowing term for GGX: cosine + root is 2 cosine over G1."""
    a2 = alpha * alpha
    return math.sqrt(a2 + (F(1) - a2) * cosine * cosine)


@njit(**INLINE_KERNEL_OPTIONS)
def eval_diffuse(bsdf, nl, nv):
    """What the base under the specular lobe returns: f · cosine, before its colour."""
    taken_v = bsdf.specular * directional_albedo(DIELECTRIC_LOBE, nv, bsdf.alpha)
    taken_l = bsdf.specular * directional_albedo(DIELECTRIC_LOBE, nl, bsdf.alpha)
    passed = (F(1) - taken_v) * (F(1) - taken_l) / (F(1) - bsdf.specular * average_albedo(bsdf.alpha))
    return passed * (F(1) - bsdf.metalness) * nl / PI


@njit(**INNER_KERNEL_OPTIONS)
def eval_bsdf(bsdf, to_light):
    """Reflection towards the viewer of light from a direction, a `BsdfValue`.

    A mirror (alpha below MIRROR_ALPHA) counts only its diffuse part here.
    """
    nl, nv = dot(bsdf.normal, to_light), dot(bsdf.normal, bsdf.to_viewer)
    if nl <= F(0) or nv <= F(0):
        return BsdfValue(BLACK, F(0))
    if bsdf.specular_probability <= F(0):  # matt
        return BsdfValue(scale(bsdf.colour, nl / PI), nl / PI)
    value = scale(bsdf.colour, eval_diffuse(bsdf, nl, nv))
    pdf = (F(1) - bsdf.specular_probability) * nl / PI
    if bsdf.alpha < MIRROR_ALPHA:
        return BsdfValue(value, pdf)
    half = add(to_light, bsdf.to_viewer)
    half = scale(half, F(1) / math.sqrt(max(F(1e-12), dot(half, half))))
    distribution = ggx_distribution(dot(bsdf.normal, half), bsdf.alpha)
    root_v, root_l = smith_root(nv, bsdf.alpha), smith_root(nl, bsdf.alpha)
    # D G2 / (4 nv nl) * nl, height-correlated Smith
    lobe = distribution * F(0.5) * nl / (nl * root_v + nv * root_l)
    f0, f90 = specular_f0(bsdf)
    fresnel_term = schlick_fresnel(f0, f90, dot(bsdf.to_viewer, half))
    lost = bsdf.metalness * (F(1) / directional_albedo(METAL_LOBE, nv, bsdf.alpha) - F(1))
    regained = (F(1) + lost * bsdf.colour[0], F(1) + lost * bsdf.colour[1], F(1) + lost * bsdf.colour[2])
    value = add_scaled(value, mul(fresnel_term, regained), lobe)
    pdf += bsdf.specular_probability * distribution * F(0.5) / (nv + root_v)
    return BsdfValue(value, pdf)


@njit(**INNER_KERNEL_OPTIONS)
def sample_ggx_vndf(normal, to_viewer, alpha, u, v):
    """Mirror the viewer about a visible GGX normal; a plain mirror below MIRROR_ALPHA."""
    if alpha < MIRROR_ALPHA:
        return mirror(neg(to_viewer), normal)
    t, b = orthonormal_basis(normal)
    local = (dot(t, to_viewer), dot(b, to_viewer), dot(normal, to_viewer))
    stretched = normalize((alpha * local[0], alpha * local[1], local[2]))
    flat = stretched[0] * stretched[0] + stretched[1] * stretched[1]
    tx, ty = F(1), F(0)
    if flat > F(1e-12):
        tx, ty = -stretched[1] / math.sqrt(flat), stretched[0] / math.sqrt(flat)
    bx, by, bz = -stretched[2] * ty, stretched[2] * tx, stretched[0] * ty - stretched[1] * tx
    r, phi = math.sqrt(u), F(2 * math.pi) * v
    p, q = r * math.cos(phi), r * math.sin(phi)
    s = F(0.5) * (F(1) + stretched[2])
    q = (F(1) - s) * math.sqrt(max(F(0), F(1) - p * p)) + s * q
    w = math.sqrt(max(F(0), F(1) - p * p - q * q))
    half = (
        alpha * (p * tx + q * bx + w * stretched[0]),
        alpha * (p * ty + q * by + w * stretched[1]),
        max(F(1e-6), q * bz + w * stretched[2]),
    )
    half = normalize(half)
    out = sub(scale(half, F(2) * dot(local, half)), local)
    return from_local(normal, out[0], out[1], out[2])


@njit(**INLINE_KERNEL_OPTIONS)
def sample_bsdf(bsdf, u, v, pick):
    """Sample the next direction as a `BsdfSample`; `pick` selects the specular or the diffuse lobe."""
    if pick < bsdf.specular_probability:
        direction = sample_ggx_vndf(bsdf.normal, bsdf.to_viewer, bsdf.alpha, u, v)
        if bsdf.alpha < MIRROR_ALPHA:
            f0, f90 = specular_f0(bsdf)
            reflectance = schlick_fresnel(f0, f90, dot(bsdf.normal, bsdf.to_viewer))
            return BsdfSample(direction, scale(reflectance, F(1) / bsdf.specular_probability), MIRROR_PDF)
    else:
        direction = sample_cosine_hemisphere(bsdf.normal, u, v)
    f = eval_bsdf(bsdf, direction)
    if f.pdf <= F(1e-9):
        return BsdfSample(direction, BLACK, NO_SAMPLE)
    return BsdfSample(direction, scale(f.value, F(1) / f.pdf), f.pdf)


@njit(**INLINE_KERNEL_OPTIONS)
def matt_bsdf(normal, colour):
    """A Lambert surface seen from above."""
    return Bsdf(normal, normal, colour, F(1), F(0), F(0), F(0))


@njit(**INLINE_KERNEL_OPTIONS)
def fresnel(cosine, ior):
    """Unpolarised Fresnel reflectance from air into a dielectric."""
    c = min(F(1), max(F(0), cosine))
    g = math.sqrt(max(F(0), ior * ior - F(1) + c * c))
    s, p = (c - g) / (c + g), (ior * ior * c - g) / (ior * ior * c + g)
    return F(0.5) * (s * s + p * p)


@njit(**INLINE_KERNEL_OPTIONS)
def thin_glass_fresnel(materials, m, cosine):
    """Reflectance of a glass face, and what it lets through straight per channel.

    A thin sheet counts both of its faces and all reflections between them; a face of a solid body counts
    once, with half of the body's tint.
    """
    reflected, tint = fresnel(cosine, materials[m, IOR]), triple(materials, m, BASE_COLOUR)
    if materials[m, THIN] > F(0):
        reflected = F(2) * reflected / (F(1) + reflected)
    else:
        tint = (math.sqrt(tint[0]), math.sqrt(tint[1]), math.sqrt(tint[2]))
    return reflected, scale(tint, materials[m, TRANSMISSION] * (F(1) - reflected))


@njit(**INLINE_KERNEL_OPTIONS)
def sample_thin_glass(materials, m, normal, direction, u):
    """A path at a glass face: (direction, weight per channel, whether it was reflected)."""
    reflected, transmitted = thin_glass_fresnel(materials, m, -dot(normal, direction))
    if u < reflected:
        return mirror(direction, normal), (F(1), F(1), F(1)), True
    return direction, scale(transmitted, F(1) / ((F(1) - reflected) * materials[m, TRANSMISSION])), False
