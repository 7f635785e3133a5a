"""A relit frame: everything put together per pixel of the display.

received and shine (3, records' pixels) come evened out, visible is as `sunrays` leaves it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import JIT, SCATTERED_JIT
from gloamet.sky.dome import sky_radiance
from gloamet.trace.lighting import disc_along
from gloamet.trace.relight.gather import ALPHA, GLOSS, METAL, NORMAL, PLACE, TRANSLUCENT, VIEWER
from gloamet.trace.relight.screen import ALBEDO, BENEATH, GROUND_SHARE, NONE, SKY, SKY_U, SKY_V, WEIGHT
from gloamet.trace.relight.sunrays import softened
from gloamet.trace.surface import gloss_share, reflect

F = np.float32
NO_KIND, SKY_KIND = np.uint8(NONE), np.uint8(SKY)


@njit(inline="always", **JIT)
def _sky_seen(table, sun, ground, gain_sun, gain_sky, points, i):
    """What a look that left the scene sees, as the exact picture does."""
    share = points[i, GROUND_SHARE]
    r, g, b = sky_radiance(table, points[i, SKY_U], points[i, SKY_V])
    rest, disc = (F(1) - share) * gain_sky, F(0)
    dx, dy, dz = points[i, PLACE], points[i, PLACE + 1], points[i, PLACE + 2]
    if dz > F(0) and dx * sun[0] + dy * sun[1] + dz * sun[2] >= sun[6]:
        disc = disc_along(sun, dx, dy, dz) * gain_sun
    return (
        share * (gain_sun * ground[0] + gain_sky * ground[3]) + rest * r + (F(1) - share) * disc * sun[7],
        share * (gain_sun * ground[1] + gain_sky * ground[4]) + rest * g + (F(1) - share) * disc * sun[8],
        share * (gain_sun * ground[2] + gain_sky * ground[5]) + rest * b + (F(1) - share) * disc * sun[9],
    )


@njit(inline="always", **JIT)
def _sun_reflected(points, paint, i, sun, vr, vg, vb):
    """The sun's part on a pixel, per channel, before its light: reflectance times cosine times visibility."""
    r, g, b = paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2]
    nx, ny, nz = points[i, NORMAL], points[i, NORMAL + 1], points[i, NORMAL + 2]
    cosine = nx * sun[0] + ny * sun[1] + nz * sun[2]
    gloss, metal, through = points[i, GLOSS], points[i, METAL], points[i, TRANSLUCENT]
    if gloss + metal <= F(0) or cosine <= F(0):
        k = abs(cosine) / F(math.pi) * (F(1) - through if cosine > F(0) else through)
        return r * k * vr, g * k * vg, b * k * vb
    vx, vy, vz = points[i, VIEWER], points[i, VIEWER + 1], points[i, VIEWER + 2]
    share = gloss_share(nx * vx + ny * vy + nz * vz, r, g, b, metal, gloss)
    surface = (nx, ny, nz, vx, vy, vz, r, g, b, points[i, ALPHA], metal, gloss, share)
    fr, fg, fb, _p = reflect(surface, sun[0], sun[1], sun[2])
    k = F(1) - through
    return fr * k * vr, fg * k * vg, fb * k * vb


@njit(**SCATTERED_JIT)
def shade(
    table, sun, ground, gain_sun, gain_sky, points, paint, width, kinds, like, taps, shares, received, shine, visible,
    first, last, add, out,
):  # fmt: skip
    """Write, or add, a layer's light into pixels first..last of out (n, 3)."""
    lr, lg, lb = gain_sun * sun[3], gain_sun * sun[4], gain_sun * sun[5]
    for i in range(first, last):
        if not add:
            out[i, 0], out[i, 1], out[i, 2] = F(0), F(0), F(0)
        if kinds[i] == NO_KIND:
            continue
        wr, wg, wb = paint[i, WEIGHT], paint[i, WEIGHT + 1], paint[i, WEIGHT + 2]
        if kinds[i] == SKY_KIND:
            r, g, b = _sky_seen(table, sun, ground, gain_sun, gain_sky, points, i)
        else:
            r = g = b = p = q = s = F(0)
            glossy = points[i, GLOSS] + points[i, METAL] > F(0)
            for k in range(4):
                j, w = taps[i, k], shares[i, k]
                r, g, b = r + w * received[0, j], g + w * received[1, j], b + w * received[2, j]
                if glossy:
                    p, q, s = p + w * shine[0, j], q + w * shine[1, j], s + w * shine[2, j]
            ar, ag, ab = paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2]
            if glossy:
                metal, kd = points[i, METAL], paint[i, BENEATH]
                r = r * ar * kd + p * (F(1) - metal + metal * ar)
                g = g * ag * kd + q * (F(1) - metal + metal * ag)
                b = b * ab * kd + s * (F(1) - metal + metal * ab)
            else:
                r, g, b = r * ar, g * ag, b * ab
            vr, vg, vb = softened(visible, like, width, i)
            if max(vr, max(vg, vb)) > F(0):
                a, c, d = _sun_reflected(points, paint, i, sun, vr, vg, vb)
                r, g, b = r + a * lr, g + c * lg, b + d * lb
        out[i, 0] += wr * r
        out[i, 1] += wg * g
        out[i, 2] += wb * b
