# SPDX-License-Identifier: Apache-2.0
"""Exact sun rays of a relit frame at display size, in packets of eight.

visible (n,) uint32 is what comes of the sun at each display pixel: red, green and blue in 255ths, a byte each. While
the hand moves, rays go out from every other pixel of every other row (the grid), from half of those at each picture and
where the others differ; where the four round a pixel agree and lie in its plane, it is like them, else it sends its
own. All aim at the sun's middle: on surfaces a hundred times as bright in the sun as beside it, as in rooms, aims
spread over the disc leave noise along every edge of light. coplanar (n,) uint8 marks, bit by bit in the order of
NEIGHBOURS, which of the eight pixels beside lie in the same plane.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.geometry.rays import FAR_AT, FREE, LANES, occluded8
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.vec import dot, scale, sub, triple
from gloamet.trace.relight.points import (
    FACE_NORMAL,
    PIXEL_KIND,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_TRANSLUCENCY,
    SURFACE_PIXEL,
)
from gloamet.trace.surfaces.visibility import (
    ANY_MASK,
    OPAQUE_ONLY,
    T_MAX,
    offset_to_back,
    transmittance_along_ray,
)

SURFACE_KIND = np.uint8(SURFACE_PIXEL)
SHADOWED, FULLY_LIT, BYTE_MASK, FROM_BYTE = np.uint32(0), np.uint32(0xFFFFFF), np.uint32(0xFF), F(1 / 255)
MIN_COPLANAR = (
    2  # neighbours of the four that have to be in the plane of a pixel so that it can take their value
)
FACING_AWAY = F(-1)  # a cosine below zero: the pixel sends no ray to the sun
NEIGHBOURS = ((-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, -1), (-1, 1), (1, 1))


class Packet(NamedTuple):
    """A thread's row of ray packets in the layout of `rays.occluded8`; the free words hold pixel numbers."""

    packets: NDArray[np.float32]
    row: int


@njit(**INLINE_KERNEL_OPTIONS)
def _sun_cosine(points, i, sun):
    """Cosine of the sun on a pixel's point, FACING_AWAY from behind where the surface does not transmit."""
    cosine, face = dot(triple(points, i, POINT_NORMAL), sun), dot(triple(points, i, FACE_NORMAL), sun)
    if cosine > F(0) and face > F(0):
        return cosine
    if points[i, POINT_TRANSLUCENCY] > F(0) and face < F(0):
        return abs(cosine)
    return FACING_AWAY


@njit(**INLINE_KERNEL_OPTIONS)
def _ray_origin(points, i, sun):
    """Where a pixel's ray to the sun begins: on the side of its surface that the sun is on."""
    position, normal = triple(points, i, POINT_POSITION), triple(points, i, FACE_NORMAL)
    return offset_to_back(position, normal) if dot(normal, sun) < F(0) else position


@njit(**INLINE_KERNEL_OPTIONS)
def write_ray(packet, lane, origin, direction):
    """Write a ray without end into a lane of a packet."""
    packets, row = packet
    packets[row, lane], packets[row, LANES + lane], packets[row, 2 * LANES + lane] = origin
    packets[row, 4 * LANES + lane], packets[row, 5 * LANES + lane] = direction[0], direction[1]
    packets[row, 6 * LANES + lane], packets[row, FAR_AT + lane] = direction[2], T_MAX


@njit(**INLINE_KERNEL_OPTIONS)
def read_ray(packet, lane):
    """The ray in a lane of a packet."""
    packets, row = packet
    return Ray(
        (packets[row, lane], packets[row, LANES + lane], packets[row, 2 * LANES + lane]),
        (packets[row, 4 * LANES + lane], packets[row, 5 * LANES + lane], packets[row, 6 * LANES + lane]),
    )


@njit(**INLINE_KERNEL_OPTIONS)
def _fill_packet(points, sun, packet, count):
    """Write the rays of `count` pixels, whose numbers are in the free words."""
    for k in range(count):
        write_ray(packet, k, _ray_origin(points, int(packet.packets[packet.row, FREE + k]), sun), sun)


@njit(**INLINE_KERNEL_OPTIONS)
def _pack_rgb8(r, g, b):
    """Red, green and blue, in 255ths, as one word."""
    return np.uint32(int(r + F(0.5)) | (int(g + F(0.5)) << 8) | (int(b + F(0.5)) << 16))


@njit(**INNER_KERNEL_OPTIONS)
def _trace_packet(scene, points, sun, packet, count, visible):
    """Rays of `count` pixels to the sun's middle: all at once, then again those that met a pane or a wall."""
    if count == 0:
        return
    packets, row = packet
    _fill_packet(points, sun, packet, count)
    occluded8(scene.handle, packets, row, count, ANY_MASK)
    left = 0
    for k in range(count):
        free = packets[row, FAR_AT + k] >= F(0)
        visible[int(packets[row, FREE + k])] = FULLY_LIT if free else SHADOWED
        if scene.transmissive and not free:
            packets[row, FREE + left] = packets[row, FREE + k]
            left += 1
    if left == 0:
        return
    _fill_packet(points, sun, packet, left)
    occluded8(scene.handle, packets, row, left, OPAQUE_ONLY)
    for k in range(left):
        if packets[row, FAR_AT + k] >= F(0):
            through = scale(transmittance_along_ray(scene, read_ray(packet, k), T_MAX), F(255))
            visible[int(packets[row, FREE + k])] = _pack_rgb8(through[0], through[1], through[2])


@njit(**INLINE_KERNEL_OPTIONS)
def _queue(scene, display, sun, packet, count, i):
    """Let pixel i send a ray if the sun is before its face; a full packet is traced. Returns how many wait."""
    display.visible[i] = SHADOWED
    if _sun_cosine(display.points, i, sun) > F(0):
        packet.packets[packet.row, FREE + count] = F(i)  # whole up to 16 million
        count += 1
        if count == LANES:
            _trace_packet(scene, display.points, sun, packet, count, display.visible)
            count = 0
    return count


@njit(**INNER_KERNEL_OPTIONS)
def trace_sun_grid(scene, display, sun, y0, y1, parity, packet):
    """Rays from every other pixel of every other row among y0..y1 (y0 even).

    turn 0 or 1: only from one half of them, as on a chessboard, the others stay as they were; -1: from all.
    """
    count, width = 0, display.width
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            if parity >= 0 and (x // 2 + y // 2) & 1 != parity:
                continue
            i = y * width + x
            if display.kinds[i] == SURFACE_KIND:
                count = _queue(scene, display, sun, packet, count, i)
            else:
                display.visible[i] = SHADOWED
    _trace_packet(scene, display.points, sun, packet, count, display.visible)


@njit(**INNER_KERNEL_OPTIONS)
def retrace_sun_grid(scene, display, sun, y0, y1, parity, packet):
    """The other half of the grid: pixels whose four neighbours disagree trace their own ray after all."""
    count, width, height, visible = 0, display.width, display.height, display.visible
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            i = y * width + x
            if (x // 2 + y // 2) & 1 == parity or display.kinds[i] != SURFACE_KIND:
                continue
            v = visible[i]
            like = (x < 2 or visible[i - 2] == v) and (x + 2 >= width or visible[i + 2] == v)
            like = like and (y < 2 or visible[i - 2 * width] == v)
            if like and (y + 2 >= height or visible[i + 2 * width] == v):
                continue
            count = _queue(scene, display, sun, packet, count, i)
    _trace_packet(scene, display.points, sun, packet, count, visible)


@njit(**INLINE_KERNEL_OPTIONS)
def _grid_corners(x, y, width, height):
    """The rows and columns of the lattice round a pixel: above, below, left, right."""
    above, left = y & ~1, x & ~1
    below = above if y & 1 == 0 else min(above + 2, (height - 1) & ~1)
    right = left if x & 1 == 0 else min(left + 2, (width - 1) & ~1)
    return above, below, left, right


@njit(**INLINE_KERNEL_OPTIONS)
def _is_coplanar(g, i, j):
    """Whether the surface of pixel j is in the plane of that of pixel i."""
    normal = triple(g.points, i, FACE_NORMAL)
    offset = sub(triple(g.points, j, POINT_POSITION), triple(g.points, i, POINT_POSITION))
    apart, far = abs(dot(offset, normal)), abs(offset[0]) + abs(offset[1]) + abs(offset[2])
    same_parity = dot(triple(g.points, j, FACE_NORMAL), normal) >= F(0.95)
    return g.shading[j, PIXEL_KIND] == F(SURFACE_PIXEL) and same_parity and apart <= F(0.1) * far + F(1e-4)


@njit(**KERNEL_OPTIONS)
def mark_interpolable(g, y0, y1, interpolable):
    """Mark, once per camera, the pixels of a g-buffer in one plane with the grid's round them."""
    for y in range(y0, y1):
        for x in range(g.width):
            i = y * g.width + x
            above, below, left, right = _grid_corners(x, y, g.width, g.height)
            count = 0
            for corner in range(4):
                j = (below if corner & 2 else above) * g.width + (right if corner & 1 else left)
                if _is_coplanar(g, i, j):
                    count += 1
            interpolable[i] = g.shading[i, PIXEL_KIND] == F(SURFACE_PIXEL) and count >= MIN_COPLANAR


@njit(**KERNEL_OPTIONS)
def mark_coplanar_neighbours(g, y0, y1, coplanar):
    """Mark, once per camera, which of the eight neighbours of each pixel are in its plane."""
    for y in range(y0, y1):
        for x in range(g.width):
            i = y * g.width + x
            coplanar[i] = np.uint8(0)
            if g.shading[i, PIXEL_KIND] != F(SURFACE_PIXEL):
                continue
            for k in range(8):
                a, b = x + NEIGHBOURS[k][0], y + NEIGHBOURS[k][1]
                inside = a >= 0 and b >= 0 and a < g.width and b < g.height
                if inside and _is_coplanar(g, i, b * g.width + a):
                    coplanar[i] |= np.uint8(1 << k)


@njit(**INNER_KERNEL_OPTIONS)
def trace_sun_gaps(scene, display, sun, y0, y1, parity, packet):
    """The pixels between those of the grid, y0 even: the value of their neighbours, or a ray.

    turn 0 or 1: only half of those in no plane (leaves, threads) ask, the others stay as they were; -1: all ask.
    """
    count, width, height, visible = 0, display.width, display.height, display.visible
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            i = y * width + x
            _above, below, _left, right = _grid_corners(x + 1, y + 1, width, height)
            a, b = visible[i], visible[y * width + right]
            c, d = visible[below * width + x], visible[below * width + right]
            same = a == b == c == d  # two alone agree by chance too often among leaves
            for k in range(1, 4):
                if (k & 1 == 1 and x + 1 >= width) or (k & 2 == 2 and y + 1 >= height):
                    continue
                j = i + (k & 1) + (width if k & 2 else 0)
                if display.kinds[j] != SURFACE_KIND:
                    continue
                if same and display.interpolable[j]:
                    visible[j] = a
                    continue
                if not display.interpolable[j] and parity >= 0 and (x // 2 + y // 2 + k) & 1 != parity:
                    continue
                count = _queue(scene, display, sun, packet, count, j)
    _trace_packet(scene, display.points, sun, packet, count, visible)


@njit(**INLINE_KERNEL_OPTIONS)
def filtered_visibility(display, i):
    """Light of the sun at a pixel, per channel; at a shadow's edge mixed with that of coplanar neighbours."""
    visible, width = display.visible, display.width
    v, bits = visible[i], display.coplanar[i]
    # unrolled: this runs for every pixel
    same = bits & np.uint8(1) == 0 or visible[i - 1] == v
    same = same and (bits & np.uint8(2) == 0 or visible[i + 1] == v)
    same = same and (bits & np.uint8(4) == 0 or visible[i - width] == v)
    same = same and (bits & np.uint8(8) == 0 or visible[i + width] == v)
    r, g, b, total = F(v & BYTE_MASK), F((v >> np.uint32(8)) & BYTE_MASK), F(v >> np.uint32(16)), F(1)
    if not same:
        r, g, b, total = F(4) * r, F(4) * g, F(4) * b, F(4)
        for k in range(8):
            if bits & np.uint8(1 << k):
                v = visible[i + NEIGHBOURS[k][0] + NEIGHBOURS[k][1] * width]
                w = F(2) if k < 4 else F(1)
                total += w
                r, g = r + w * F(v & BYTE_MASK), g + w * F((v >> np.uint32(8)) & BYTE_MASK)
                b += w * F(v >> np.uint32(16))
    fraction = FROM_BYTE / total
    return r * fraction, g * fraction, b * fraction
