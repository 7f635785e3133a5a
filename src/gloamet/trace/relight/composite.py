"""A relit frame: everything put together per pixel of the display.

What a pixel needs stands close together, as memory is what this waits for. brief (n, BRIEF_WORDS) float32, for a
surface: NORMAL, COLOUR times what panes leave (what a matt base sends out through its gloss), THROUGH the share of
light it lets through, KIND OF GLOSS (0 none, 1 of a dielectric, 2 of a metal); for sky: SKY_U, SKY_V and
GROUND_SHARE, the panes' colour, and x and y of a direction that rises. gleam (n or 1, GLEAM_WORDS) float32 holds what
rough gloss needs of a still camera. taps (n, 4) int32 and shares (n, 4) uint8, in 255ths, lead to the record's
pixels; received and shine (3, record's pixels) come evened out, visible is as `sunrays` leaves it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import GATHER_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.sky.dome import sky_radiance
from gloamet.trace.bsdf import (
    DIELECTRIC_F0,
    average_albedo,
    directional_albedo,
    eval_bsdf,
    schlick_weight,
    specular_probability,
)
from gloamet.trace.direct_lighting import sun_disc_radiance
from gloamet.trace.relight.final_gather import (
    POINT_ALPHA,
    POINT_METALNESS,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_SPECULAR,
    POINT_TO_VIEWER,
    POINT_TRANSLUCENCY,
)
from gloamet.trace.relight.gbuffer import (
    ALBEDO,
    DIFFUSE_ALBEDO_SCALE,
    EMPTY_PIXEL,
    GROUND_FADE,
    PATH_WEIGHT,
    PIXEL_KIND,
    SKY_PIXEL,
    SURFACE_PIXEL,
)
from gloamet.trace.relight.gbuffer import SKY_U as POINT_SKY_U
from gloamet.trace.relight.gbuffer import SKY_V as POINT_SKY_V
from gloamet.trace.relight.sun_rays import filtered_visibility

F = np.float32
NO_KIND, SKY_KIND = np.uint8(EMPTY_PIXEL), np.uint8(SKY_PIXEL)
NORMAL, COLOUR, THROUGH, GLOSS_KIND = 0, 3, 6, 7
SKY_U, SKY_V, GROUND_SHARE, SKY_X = 0, 1, 2, 6
DIFFUSE_WORDS, SPECULAR_WORDS = 8, 8
MATT, DIELECTRIC_GLOSS, METAL_GLOSS = F(0), F(1), F(2)
_NEVER = F(9)  # the x of a direction that does not rise
_SHARE = F(1 / 255)
_RED, _GREEN, _BLUE, _NV, _ROOT, _UNDER, _FLAT, _GLOSS = range(SPECULAR_WORDS)


@njit(**KERNEL_OPTIONS)
def pack_diffuse(points, paint, first, last, brief):
    """Write pixels first..last of brief, once per camera."""
    for i in range(first, last):
        kind = paint[i, PIXEL_KIND]
        for k in range(3):
            brief[i, NORMAL + k], brief[i, COLOUR + k] = F(0), paint[i, PATH_WEIGHT + k]
        if kind == F(SKY_PIXEL):
            dx, dy, dz = (
                points[i, POINT_POSITION],
                points[i, POINT_POSITION + 1],
                points[i, POINT_POSITION + 2],
            )
            brief[i, SKY_U], brief[i, SKY_V] = points[i, POINT_SKY_U], points[i, POINT_SKY_V]
            brief[i, GROUND_SHARE] = points[i, GROUND_FADE]
            brief[i, SKY_X], brief[i, SKY_X + 1] = dx if dz > F(0) else _NEVER, dy
        elif kind == F(SURFACE_PIXEL):
            gloss, metal = points[i, POINT_SPECULAR], points[i, POINT_METALNESS]
            beneath = paint[i, DIFFUSE_ALBEDO_SCALE] if gloss + metal > F(0) else F(1)
            for k in range(3):
                brief[i, NORMAL + k] = points[i, POINT_NORMAL + k]
                brief[i, COLOUR + k] *= paint[i, ALBEDO + k] * beneath
            brief[i, THROUGH] = points[i, POINT_TRANSLUCENCY]
            brief[i, GLOSS_KIND] = METAL_GLOSS if metal > F(0) else DIELECTRIC_GLOSS if gloss > F(0) else MATT


@njit(**KERNEL_OPTIONS)
def pack_specular(points, paint, first, last, gleam):
    """Write pixels first..last of gleam, for those with a rough gloss; metals have its colour alone."""
    for i in range(first, last):
        gloss, metal, alpha = points[i, POINT_SPECULAR], points[i, POINT_METALNESS], points[i, POINT_ALPHA]
        if paint[i, PIXEL_KIND] != F(SURFACE_PIXEL) or gloss + metal <= F(0):
            continue
        for k in range(3):
            gleam[i, _RED + k] = paint[i, PATH_WEIGHT + k] * (F(1) - metal + metal * paint[i, ALBEDO + k])
        if metal > F(0):
            continue
        nv = (
            points[i, POINT_NORMAL] * points[i, POINT_TO_VIEWER]
            + points[i, POINT_NORMAL + 1] * points[i, POINT_TO_VIEWER + 1]
        )
        nv += points[i, POINT_NORMAL + 2] * points[i, POINT_TO_VIEWER + 2]
        a2 = alpha * alpha
        gleam[i, _NV], gleam[i, _ROOT] = nv, math.sqrt(a2 + (F(1) - a2) * nv * nv)
        gleam[i, _UNDER] = F(1) / (math.pi * (F(1) - gloss * average_albedo(alpha)))
        gleam[i, _FLAT], gleam[i, _GLOSS] = alpha, gloss


@njit(inline="always", **KERNEL_OPTIONS)
def _sky_seen(table, sun, ground, gain_sun, gain_sky, brief, i):
    """What a look that left the scene sees, as the exact picture does."""
    share = brief[i, GROUND_SHARE]
    r, g, b = sky_radiance(table, brief[i, SKY_U], brief[i, SKY_V])
    rest, disc = (F(1) - share) * gain_sky, F(0)
    dx, dy = brief[i, SKY_X], brief[i, SKY_X + 1]
    if dx != _NEVER:
        dz = math.sqrt(max(F(0), F(1) - dx * dx - dy * dy))
        if dx * sun[0] + dy * sun[1] + dz * sun[2] >= sun[6]:
            disc = sun_disc_radiance(sun, dx, dy, dz) * gain_sun
    return (
        share * (gain_sun * ground[0] + gain_sky * ground[3]) + rest * r + (F(1) - share) * disc * sun[7],
        share * (gain_sun * ground[1] + gain_sky * ground[4]) + rest * g + (F(1) - share) * disc * sun[8],
        share * (gain_sun * ground[2] + gain_sky * ground[5]) + rest * b + (F(1) - share) * disc * sun[9],
    )


@njit(inline="always", **KERNEL_OPTIONS)
def _gloss_lit(points, gleam, i, sun, nl):
    """How a rough dielectric reflects the sun: the base's factor beside its colour, and its gloss, as `eval_bsdf`."""
    nv, root_v, alpha, gloss = gleam[i, _NV], gleam[i, _ROOT], gleam[i, _FLAT], gleam[i, _GLOSS]
    if nv <= F(0):
        return F(0), F(0)
    base = gleam[i, _UNDER] * (F(1) - gloss * directional_albedo(1, nl, alpha)) * nl
    hx, hy, hz = (
        sun[0] + points[i, POINT_TO_VIEWER],
        sun[1] + points[i, POINT_TO_VIEWER + 1],
        sun[2] + points[i, POINT_TO_VIEWER + 2],
    )
    inverse = F(1) / math.sqrt(max(F(1e-12), hx * hx + hy * hy + hz * hz))
    # the half vector lies as far from the light as from the viewer
    vh = (
        points[i, POINT_TO_VIEWER] * hx
        + points[i, POINT_TO_VIEWER + 1] * hy
        + points[i, POINT_TO_VIEWER + 2] * hz
    ) * inverse
    nh = (nl + nv) * inverse
    a2 = alpha * alpha
    d = nh * nh * (a2 - F(1)) + F(1)
    root_l = math.sqrt(a2 + (F(1) - a2) * nl * nl)
    amount = F(0.5) * a2 * nl / (F(math.pi) * d * d * (nl * root_v + nv * root_l))
    return base, amount * gloss * (DIELECTRIC_F0 + (F(1) - DIELECTRIC_F0) * schlick_weight(vh))


@njit(inline="always", **KERNEL_OPTIONS)
def _metal_lit(points, paint, i, sun):
    """How a pixel with metal in it reflects the sun, per channel and through its panes."""
    r, g, b = paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2]
    nx, ny, nz = points[i, POINT_NORMAL], points[i, POINT_NORMAL + 1], points[i, POINT_NORMAL + 2]
    vx, vy, vz = points[i, POINT_TO_VIEWER], points[i, POINT_TO_VIEWER + 1], points[i, POINT_TO_VIEWER + 2]
    gloss, metal = points[i, POINT_SPECULAR], points[i, POINT_METALNESS]
    share = specular_probability(nx * vx + ny * vy + nz * vz, r, g, b, metal, gloss)
    surface = (nx, ny, nz, vx, vy, vz, r, g, b, points[i, POINT_ALPHA], metal, gloss, share)
    fr, fg, fb, _p = eval_bsdf(surface, sun[0], sun[1], sun[2])
    return fr * paint[i, PATH_WEIGHT], fg * paint[i, PATH_WEIGHT + 1], fb * paint[i, PATH_WEIGHT + 2]


@njit(inline="always", **KERNEL_OPTIONS)
def _sun_reflected(points, paint, brief, gleam, i, sun):
    """The sun's part on a pixel, per channel, before its light and what comes of it."""
    r, g, b, kind = brief[i, COLOUR], brief[i, COLOUR + 1], brief[i, COLOUR + 2], brief[i, GLOSS_KIND]
    nl = brief[i, NORMAL] * sun[0] + brief[i, NORMAL + 1] * sun[1] + brief[i, NORMAL + 2] * sun[2]
    through = brief[i, THROUGH]
    k = F(1) - through if nl > F(0) else through
    if nl <= F(0) or kind == MATT:
        k *= abs(nl) / F(math.pi)
        return r * k, g * k, b * k
    if kind == METAL_GLOSS:
        r, g, b = _metal_lit(points, paint, i, sun)
        return r * k, g * k, b * k
    base, shine = _gloss_lit(points, gleam, i, sun, nl)
    base, shine = k * base, k * shine
    return (
        r * base + gleam[i, _RED] * shine,
        g * base + gleam[i, _GREEN] * shine,
        b * base + gleam[i, _BLUE] * shine,
    )


@njit(**GATHER_KERNEL_OPTIONS)
def composite_pixels(
    table, sun, ground, gain_sun, gain_sky, points, paint, brief, gleam, width, kinds, like, taps, shares, received,
    shine, visible, first, last, add, out,
):  # fmt: skip
    """Write, or add, a layer's light into pixels first..last of out (n, 3)."""
    lr, lg, lb = gain_sun * sun[3], gain_sun * sun[4], gain_sun * sun[5]
    for i in range(first, last):
        if not add:
            out[i, 0], out[i, 1], out[i, 2] = F(0), F(0), F(0)
        if kinds[i] == NO_KIND:
            continue
        cr, cg, cb = brief[i, COLOUR], brief[i, COLOUR + 1], brief[i, COLOUR + 2]
        if kinds[i] == SKY_KIND:
            r, g, b = _sky_seen(table, sun, ground, gain_sun, gain_sky, brief, i)
            r, g, b = r * cr, g * cg, b * cb
        else:
            r = g = b = F(0)
            for k in range(4):
                j, w = taps[i, k], F(shares[i, k])
                r, g, b = r + w * received[0, j], g + w * received[1, j], b + w * received[2, j]
            r, g, b = r * cr, g * cg, b * cb
            if brief[i, GLOSS_KIND] != MATT:
                p = q = s = F(0)
                for k in range(4):
                    j, w = taps[i, k], F(shares[i, k])
                    p, q, s = p + w * shine[0, j], q + w * shine[1, j], s + w * shine[2, j]
                r += p * gleam[i, _RED]
                g += q * gleam[i, _GREEN]
                b += s * gleam[i, _BLUE]
            r, g, b = r * _SHARE, g * _SHARE, b * _SHARE
            vr, vg, vb = filtered_visibility(visible, like, width, i)
            if max(vr, max(vg, vb)) > F(0):
                a, c, d = _sun_reflected(points, paint, brief, gleam, i, sun)
                r, g, b = r + a * lr * vr, g + c * lg * vg, b + d * lb * vb
        out[i, 0] += r
        out[i, 1] += g
        out[i, 2] += b
