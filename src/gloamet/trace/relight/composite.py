# SPDX-License-Identifier: Apache-2.0
"""Compositing of a relit frame: diffuse, specular and sun light per display pixel.

The values of a pixel are adjacent, as the kernel is limited by memory. diffuse (n, DIFFUSE_WORDS) float32, for a
surface: NORMAL, COLOUR times what panes leave (what a matt base sends out through its specular lobe), THROUGH the share
of light it lets through, SPECULAR_KIND (of none, a dielectric, a metal); for sky: SKY_U, SKY_V and GROUND_SHARE, the
panes' colour, and SKY_X, x and y of a direction that rises. specular (n or 1, SPECULAR_WORDS) float32 holds what a
rough lobe needs of a still camera. taps and shares lead to the cache's pixels; received and shine (3, cache's pixels)
come filtered, visible is as `sun_rays` leaves it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import GATHER_KERNEL_OPTIONS, INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.geometry.records import Bsdf
from gloamet.trace.geometry.vec import BLACK, add, add_scaled, dot, mul, put, scale, triple
from gloamet.trace.lights.environment import seen_radiance, sun_disc_radiance
from gloamet.trace.relight import points as p
from gloamet.trace.relight.sun_rays import filtered_visibility
from gloamet.trace.surfaces.bsdf import (
    DIELECTRIC_F0,
    DIELECTRIC_LOBE,
    average_albedo,
    directional_albedo,
    eval_bsdf,
    ggx_distribution,
    schlick_weight,
    smith_root,
    specular_probability,
)

NO_KIND, SKY_KIND = np.uint8(p.EMPTY_PIXEL), np.uint8(p.SKY_PIXEL)
NORMAL, COLOUR, THROUGH, SPECULAR_KIND = 0, 3, 6, 7
SKY_U, SKY_V, GROUND_SHARE, SKY_X = 0, 1, 2, 6
DIFFUSE_WORDS, SPECULAR_WORDS = 8, 8
MATT, DIELECTRIC, METAL = F(0), F(1), F(2)
_NOT_RISING = F(9)  # in SKY_X of a mirrored direction that points below the horizon: no component is as large
_FROM_BYTE = F(1 / 255)
# columns of specular: colour, cosine to the viewer and its Smith root, the base's coupling, alpha and strength
_COLOUR, _NV, _ROOT, _COUPLING, _ALPHA, _STRENGTH = 0, 3, 4, 5, 6, 7


@njit(**KERNEL_OPTIONS)
def pack_diffuse(points, shading, first, last, diffuse):
    """Write pixels first..last of diffuse, once per camera."""
    for i in range(first, last):
        kind, weight = shading[i, p.PIXEL_KIND], triple(shading, i, p.PATH_WEIGHT)
        put(diffuse, i, NORMAL, BLACK)
        put(diffuse, i, COLOUR, weight)
        if kind == F(p.SKY_PIXEL):
            direction = triple(points, i, p.POINT_POSITION)
            diffuse[i, SKY_U], diffuse[i, SKY_V] = points[i, p.SKY_U], points[i, p.SKY_V]
            diffuse[i, GROUND_SHARE] = points[i, p.GROUND_FADE]
            diffuse[i, SKY_X] = direction[0] if direction[2] > F(0) else _NOT_RISING
            diffuse[i, SKY_X + 1] = direction[1]
        elif kind == F(p.SURFACE_PIXEL):
            strength, metal = points[i, p.POINT_SPECULAR], points[i, p.POINT_METALNESS]
            beneath = shading[i, p.DIFFUSE_ALBEDO_SCALE] if strength + metal > F(0) else F(1)
            put(diffuse, i, NORMAL, triple(points, i, p.POINT_NORMAL))
            put(diffuse, i, COLOUR, scale(mul(weight, triple(shading, i, p.ALBEDO)), beneath))
            diffuse[i, THROUGH] = points[i, p.POINT_TRANSLUCENCY]
            diffuse[i, SPECULAR_KIND] = MATT
            if strength > F(0):
                diffuse[i, SPECULAR_KIND] = DIELECTRIC
            if metal > F(0):
                diffuse[i, SPECULAR_KIND] = METAL


@njit(**KERNEL_OPTIONS)
def pack_specular(points, shading, first, last, specular):
    """Write pixels first..last of specular, for those with a rough lobe; metals have its colour alone."""
    for i in range(first, last):
        strength, metal, alpha = (
            points[i, p.POINT_SPECULAR],
            points[i, p.POINT_METALNESS],
            points[i, p.POINT_ALPHA],
        )
        if shading[i, p.PIXEL_KIND] != F(p.SURFACE_PIXEL) or strength + metal <= F(0):
            continue
        for k in range(3):
            colour = F(1) - metal + metal * shading[i, p.ALBEDO + k]
            specular[i, _COLOUR + k] = shading[i, p.PATH_WEIGHT + k] * colour
        if metal > F(0):
            continue
        nv = dot(triple(points, i, p.POINT_NORMAL), triple(points, i, p.POINT_TO_VIEWER))
        specular[i, _NV], specular[i, _ROOT] = nv, smith_root(nv, alpha)
        specular[i, _COUPLING] = F(1) / (math.pi * (F(1) - strength * average_albedo(alpha)))
        specular[i, _ALPHA], specular[i, _STRENGTH] = alpha, strength


@njit(**INLINE_KERNEL_OPTIONS)
def _sky_seen(env, gains, diffuse, i):
    """What a ray that left the scene sees, as the exact picture does."""
    u, v, fraction, sun = diffuse[i, SKY_U], diffuse[i, SKY_V], diffuse[i, GROUND_SHARE], env.sun
    ahead, disc = u >= F(0), env.seen.disc
    if ahead:
        fraction *= env.seen.ground
    else:
        u, disc = u + F(p.MIRRORED_SKY), env.seen.reflected_disc
    elevation, turn = F(math.pi / 2) * u * u, F(2 * math.pi) * v
    level = math.cos(elevation)
    towards = (level * math.sin(turn), level * math.cos(turn), math.sin(elevation))
    sky = add_scaled(
        scale(seen_radiance(env, towards, (u, v), ahead), F(1) - fraction), env.ground_sky, fraction
    )
    light = add(mul(sky, gains.sky), mul(scale(env.ground_sun, fraction), gains.sun))
    x, y = diffuse[i, SKY_X], diffuse[i, SKY_X + 1]
    if x != _NOT_RISING:
        direction = (x, y, math.sqrt(max(F(0), F(1) - x * x - y * y)))
        if dot(direction, sun.direction) >= sun.cos_radius:
            disc *= (F(1) - fraction) * sun_disc_radiance(sun, direction)
            light = add_scaled(light, mul(sun.radiance, gains.sun), disc)
    return light


@njit(**INLINE_KERNEL_OPTIONS)
def _dielectric_lit(points, specular, i, sun, nl):
    """How a rough dielectric reflects the sun: the factor of the diffuse base and its specular lobe, as `eval_bsdf`."""
    nv, root_v, alpha, strength = (
        specular[i, _NV],
        specular[i, _ROOT],
        specular[i, _ALPHA],
        specular[i, _STRENGTH],
    )
    if nv <= F(0):
        return F(0), F(0)
    base = specular[i, _COUPLING] * (F(1) - strength * directional_albedo(DIELECTRIC_LOBE, nl, alpha)) * nl
    to_viewer = triple(points, i, p.POINT_TO_VIEWER)
    half = add(sun, to_viewer)
    inverse = F(1) / math.sqrt(max(F(1e-12), dot(half, half)))
    # the half vector has the same angle to the light and to the viewer
    vh, nh = dot(to_viewer, half) * inverse, (nl + nv) * inverse
    lobe = F(0.5) * nl * ggx_distribution(nh, alpha) / (nl * root_v + nv * smith_root(nl, alpha))
    return base, lobe * strength * (DIELECTRIC_F0 + (F(1) - DIELECTRIC_F0) * schlick_weight(vh))


@njit(**INLINE_KERNEL_OPTIONS)
def _metal_lit(points, shading, i, sun):
    """How a pixel with metal in it reflects the sun, per channel and through its panes."""
    normal, to_viewer = triple(points, i, p.POINT_NORMAL), triple(points, i, p.POINT_TO_VIEWER)
    albedo, strength, metal = (
        triple(shading, i, p.ALBEDO),
        points[i, p.POINT_SPECULAR],
        points[i, p.POINT_METALNESS],
    )
    probability = specular_probability(dot(normal, to_viewer), albedo, metal, strength)
    bsdf = Bsdf(normal, to_viewer, albedo, points[i, p.POINT_ALPHA], metal, strength, probability)
    return mul(eval_bsdf(bsdf, sun).value, triple(shading, i, p.PATH_WEIGHT))


@njit(**INLINE_KERNEL_OPTIONS)
def _sun_reflected(display, i, sun):
    """The sun's part on a pixel, per channel, before its light and visibility; sun is its direction."""
    points, shading, diffuse, specular = display.points, display.shading, display.diffuse, display.specular
    colour, kind = triple(diffuse, i, COLOUR), diffuse[i, SPECULAR_KIND]
    nl, through = dot(triple(diffuse, i, NORMAL), sun), diffuse[i, THROUGH]
    fraction = F(1) - through if nl > F(0) else through
    if nl <= F(0) or kind == MATT:
        return scale(colour, fraction * abs(nl) / F(math.pi))
    if kind == METAL:
        return scale(_metal_lit(points, shading, i, sun), fraction)
    base, lobe = _dielectric_lit(points, specular, i, sun, nl)
    return add_scaled(scale(colour, fraction * base), triple(specular, i, _COLOUR), fraction * lobe)


@njit(**INLINE_KERNEL_OPTIONS)
def _upsampled(display, picture, i):
    """What pixel i takes of a picture (3, n) of the cache's size by its taps, in 255ths."""
    r = g = b = F(0)
    for k in range(4):
        j, w = np.uint64(display.taps[i, k]), F(display.fractions[i, k])
        r, g, b = r + w * picture[0, j], g + w * picture[1, j], b + w * picture[2, j]
    return r, g, b


@njit(**GATHER_KERNEL_OPTIONS)
def composite_pixels(env, gains, layer, first, last, add_to, out):
    """Write, or add, a layer's light into pixels first..last of out (n, 3)."""
    display, sun_light = layer.display, mul(env.sun.irradiance, gains.sun)
    for n in range(first, last):
        i = np.uint64(n)  # unsigned, as rows from the end are looked for otherwise
        if not add_to:
            put(out, i, 0, BLACK)
        if display.kinds[i] == NO_KIND:
            continue
        colour = triple(display.diffuse, i, COLOUR)
        if display.kinds[i] == SKY_KIND:
            light = mul(_sky_seen(env, gains, display.diffuse, i), colour)
        else:
            light = mul(_upsampled(display, layer.received, i), colour)
            if display.diffuse[i, SPECULAR_KIND] != MATT:
                reflected = _upsampled(display, layer.specular, i)
                light = add(light, mul(reflected, triple(display.specular, i, _COLOUR)))
            light = scale(light, _FROM_BYTE)
            through = filtered_visibility(display, n)
            if through[0] + through[1] + through[2] > F(0):
                reflected = _sun_reflected(display, i, env.sun.direction)
                light = add(light, mul(mul(reflected, through), sun_light))
        put(out, i, 0, add(triple(out, i, 0), light))
