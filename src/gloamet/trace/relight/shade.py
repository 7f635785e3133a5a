"""A relit frame: exact sun rays at display size, and everything put together per pixel.

visible (n,) uint32 is what comes of the sun at each display pixel: red, green and blue in 255ths, a byte each.
While the hand moves, rays go out from every other pixel of every other row; where the four round a pixel agree and
lie in its plane, it is like them, else it sends its own.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import JIT, SCATTERED_JIT
from gloamet.sky.dome import sky_radiance
from gloamet.trace.lighting import disc_along
from gloamet.trace.rays import FAR_AT, FREE, LANES, occluded8
from gloamet.trace.relight.gather import ALPHA, FACE, GLOSS, METAL, NORMAL, PLACE, TRANSLUCENT, VIEWER
from gloamet.trace.relight.screen import (
    ALBEDO,
    BENEATH,
    GROUND_SHARE,
    KIND,
    NONE,
    SKY,
    SKY_U,
    SKY_V,
    SURFACE,
    WEIGHT,
)
from gloamet.trace.surface import gloss_share, reflect
from gloamet.trace.visibility import EITHER, OPAQUE, other_side, through_pervious

F = np.float32
NO_KIND, SURFACE_KIND, SKY_KIND = np.uint8(NONE), np.uint8(SURFACE), np.uint8(SKY)
NOTHING, ALL, BYTE, SHARE = np.uint32(0), np.uint32(0xFFFFFF), np.uint32(0xFF), F(1 / 255)


@njit(inline="always", **JIT)
def _facing(points, i, sun):
    """Cosine of the sun on a pixel's point, negative from behind where no light comes through."""
    cosine = points[i, NORMAL] * sun[0] + points[i, NORMAL + 1] * sun[1] + points[i, NORMAL + 2] * sun[2]
    face = points[i, FACE] * sun[0] + points[i, FACE + 1] * sun[1] + points[i, FACE + 2] * sun[2]
    if cosine > F(0) and face > F(0):
        return cosine
    if points[i, TRANSLUCENT] > F(0) and face < F(0):
        return abs(cosine)
    return F(-1)


@njit(inline="always", **JIT)
def _start(points, i, sun):
    """Where a pixel's ray to the sun begins: on the side of its surface that the sun is on."""
    x, y, z = points[i, PLACE], points[i, PLACE + 1], points[i, PLACE + 2]
    if points[i, FACE] * sun[0] + points[i, FACE + 1] * sun[1] + points[i, FACE + 2] * sun[2] < F(0):
        x, y, z = other_side(x, y, z, points[i, FACE], points[i, FACE + 1], points[i, FACE + 2])
    return x, y, z


@njit(inline="always", **JIT)
def _fill(points, sun, packets, row, count):
    """Write the rays of `count` pixels, whose numbers stand in the row's free words."""
    for k in range(count):
        x, y, z = _start(points, int(packets[row, FREE + k]), sun)
        packets[row, k], packets[row, LANES + k], packets[row, 2 * LANES + k] = x, y, z
        for n in range(3):
            packets[row, (4 + n) * LANES + k] = sun[n]
        packets[row, FAR_AT + k] = F(1e30)


@njit(**JIT)
def _send(scene, pervious, arrays, points, sun, packets, row, count, visible):
    """Rays of `count` pixels to the sun's middle: all at once, then again those that met a pane or a wall."""
    (
        _v, _n, uvs, _c, triangles, triangle_material, _f, first, instance_first, turns, materials, texels,
        pictures, _lamps, _plane, _portals,
    ) = arrays  # fmt: skip
    if count == 0:
        return
    _fill(points, sun, packets, row, count)
    occluded8(scene, packets, row, count, EITHER)
    left = 0
    for k in range(count):
        free = packets[row, FAR_AT + k] >= F(0)
        visible[int(packets[row, FREE + k])] = ALL if free else NOTHING
        if pervious and not free:
            packets[row, FREE + left] = packets[row, FREE + k]
            left += 1
    if left == 0:
        return
    _fill(points, sun, packets, row, left)
    occluded8(scene, packets, row, left, OPAQUE)
    for k in range(left):
        if packets[row, FAR_AT + k] < F(0):
            continue
        i = int(packets[row, FREE + k])
        x, y, z = _start(points, i, sun)
        r, g, b = through_pervious(
            scene, first, instance_first, turns, triangles, uvs, triangle_material, materials, texels,
            pictures, x, y, z, sun[0], sun[1], sun[2], F(1e30),
        )  # fmt: skip
        visible[i] = np.uint32(
            int(r * F(255) + F(0.5)) | (int(g * F(255) + F(0.5)) << 8) | (int(b * F(255) + F(0.5)) << 16)
        )


@njit(**JIT)
def sun_lattice(scene, pervious, arrays, sun, points, kinds, width, y0, y1, packets, row, visible):
    """Rays from every other pixel of every other row among y0..y1 (y0 even); a row of packets is its room."""
    count = 0
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            i = y * width + x
            visible[i] = NOTHING
            if kinds[i] == SURFACE_KIND and _facing(points, i, sun) > F(0):
                packets[row, FREE + count] = F(i)  # whole up to 16 million
                count += 1
                if count == LANES:
                    _send(scene, pervious, arrays, points, sun, packets, row, count, visible)
                    count = 0
    _send(scene, pervious, arrays, points, sun, packets, row, count, visible)


@njit(inline="always", **JIT)
def _corners(x, y, width, height):
    """The rows and columns of the lattice round a pixel: above, below, left, right."""
    above, left = y & ~1, x & ~1
    below = above if y & 1 == 0 else min(above + 2, (height - 1) & ~1)
    right = left if x & 1 == 0 else min(left + 2, (width - 1) & ~1)
    return above, below, left, right


@njit(**JIT)
def find_alike(points, paint, width, height, y0, y1, alike):
    """Mark, once per camera, the pixels that lie in one plane with the lattice's round them."""
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            above, below, left, right = _corners(x, y, width, height)
            alike[i] = paint[i, KIND] == F(SURFACE)
            for corner in range(4):
                j = (below if corner & 2 else above) * width + (right if corner & 1 else left)
                like = points[j, FACE] * points[i, FACE] + points[j, FACE + 1] * points[i, FACE + 1]
                like += points[j, FACE + 2] * points[i, FACE + 2]
                ex, ey = points[j, PLACE] - points[i, PLACE], points[j, PLACE + 1] - points[i, PLACE + 1]
                ez = points[j, PLACE + 2] - points[i, PLACE + 2]
                apart = abs(ex * points[i, FACE] + ey * points[i, FACE + 1] + ez * points[i, FACE + 2])
                far = abs(ex) + abs(ey) + abs(ez)
                if paint[j, KIND] != F(SURFACE) or like < F(0.95) or apart > F(0.1) * far + F(1e-4):
                    alike[i] = False


@njit(**JIT)
def sun_between(
    scene, pervious, arrays, sun, points, kinds, alike, width, height, y0, y1, packets, row, visible
):  # fmt: skip
    """The pixels between the lattice's, y0 even: like those round them, or by rays of their own."""
    count = 0
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            i = y * width + x
            _above, below, _left, right = _corners(x + 1, y + 1, width, height)
            a, b = visible[i], visible[y * width + right]
            c, d = visible[below * width + x], visible[below * width + right]
            for k in range(1, 4):
                if (k & 1 == 1 and x + 1 >= width) or (k & 2 == 2 and y + 1 >= height):
                    continue
                j = i + (k & 1) + (width if k & 2 else 0)
                if kinds[j] != SURFACE_KIND:
                    continue
                same = a == b if k == 1 else (a == c if k == 2 else a == b == c == d)
                if same and alike[j]:
                    visible[j] = a
                    continue
                visible[j] = NOTHING
                if _facing(points, j, sun) > F(0):
                    packets[row, FREE + count] = F(j)
                    count += 1
                    if count == LANES:
                        _send(scene, pervious, arrays, points, sun, packets, row, count, visible)
                        count = 0
    _send(scene, pervious, arrays, points, sun, packets, row, count, visible)


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
def _sun_reflected(points, paint, i, sun, visible):
    """The sun's part on a pixel, per channel, before its light: reflectance times cosine times visibility."""
    r, g, b = paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2]
    v = visible[i]
    vr, vg, vb = F(v & BYTE) * SHARE, F((v >> np.uint32(8)) & BYTE) * SHARE, F(v >> np.uint32(16)) * SHARE
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
    table, sun, ground, gain_sun, gain_sky, points, paint, kinds, taps, shares, received, shine, visible, first, last,
    add, out,
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
            if visible[i] != NOTHING:
                a, c, d = _sun_reflected(points, paint, i, sun, visible)
                r, g, b = r + a * lr, g + c * lg, b + d * lb
        out[i, 0] += wr * r
        out[i, 1] += wg * g
        out[i, 2] += wb * b
