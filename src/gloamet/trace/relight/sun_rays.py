"""Exact sun rays of a relit frame, at display size.

visible (n,) uint32 is what comes of the sun at each display pixel: red, green and blue in 255ths, a byte each.
While the hand moves, rays go out from every other pixel of every other row, from half of those at each picture and
where the others differ; where the four round a pixel agree and lie in its plane, it is like them, else it sends its
own. All aim at the sun's middle: on surfaces a hundred times as
bright in the sun as beside it, as in rooms, aims spread over the disc leave grain along every edge of light.
like (n,) uint8 marks, bit by bit in the order of AROUND, which of the eight pixels beside lie in the same plane.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.rays import FAR_AT, FREE, LANES, occluded8
from gloamet.trace.relight.final_gather import (
    FACE_NORMAL,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_TRANSLUCENCY,
)
from gloamet.trace.relight.gbuffer import PIXEL_KIND, SURFACE_PIXEL
from gloamet.trace.visibility import ANY_MASK, OPAQUE_ONLY, offset_to_back, transmittance_along_ray

F = np.float32
SURFACE_KIND = np.uint8(SURFACE_PIXEL)
SHADOWED, FULLY_LIT, BYTE_MASK, FROM_BYTE = np.uint32(0), np.uint32(0xFFFFFF), np.uint32(0xFF), F(1 / 255)
MIN_COPLANAR = 2  # of the four round a pixel lie in its plane: then it may be like them
NEIGHBOURS = ((-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, -1), (-1, 1), (1, 1))


@njit(inline="always", **KERNEL_OPTIONS)
def _sun_cosine(points, i, sun):
    """Cosine of the sun on a pixel's point, negative from behind where no light comes through."""
    cosine = (
        points[i, POINT_NORMAL] * sun[0]
        + points[i, POINT_NORMAL + 1] * sun[1]
        + points[i, POINT_NORMAL + 2] * sun[2]
    )
    face = (
        points[i, FACE_NORMAL] * sun[0]
        + points[i, FACE_NORMAL + 1] * sun[1]
        + points[i, FACE_NORMAL + 2] * sun[2]
    )
    if cosine > F(0) and face > F(0):
        return cosine
    if points[i, POINT_TRANSLUCENCY] > F(0) and face < F(0):
        return abs(cosine)
    return F(-1)


@njit(inline="always", **KERNEL_OPTIONS)
def _ray_origin(points, i, sun):
    """Where a pixel's ray to the sun begins: on the side of its surface that the sun is on."""
    x, y, z = points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2]
    if points[i, FACE_NORMAL] * sun[0] + points[i, FACE_NORMAL + 1] * sun[1] + points[
        i, FACE_NORMAL + 2
    ] * sun[2] < F(0):
        x, y, z = offset_to_back(
            x,
            y,
            z,
            points[i, FACE_NORMAL],
            points[i, FACE_NORMAL + 1],
            points[i, FACE_NORMAL + 2],
        )
    return x, y, z


@njit(inline="always", **KERNEL_OPTIONS)
def _fill_packet(points, sun, packets, row, count):
    """Write the rays of `count` pixels, whose numbers stand in the row's free words."""
    for k in range(count):
        x, y, z = _ray_origin(points, int(packets[row, FREE + k]), sun)
        packets[row, k], packets[row, LANES + k], packets[row, 2 * LANES + k] = x, y, z
        for n in range(3):
            packets[row, (4 + n) * LANES + k] = sun[n]
        packets[row, FAR_AT + k] = F(1e30)


@njit(inline="always", **KERNEL_OPTIONS)
def _pack_rgb8(r, g, b):
    """Red, green and blue, in 255ths, as one word."""
    return np.uint32(int(r + F(0.5)) | (int(g + F(0.5)) << 8) | (int(b + F(0.5)) << 16))


@njit(**KERNEL_OPTIONS)
def _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible):
    """Rays of `count` pixels to the sun's middle: all at once, then again those that met a pane or a wall."""
    if count == 0:
        return
    _fill_packet(points, sun, packets, row, count)
    occluded8(scene, packets, row, count, ANY_MASK)
    left = 0
    for k in range(count):
        free = packets[row, FAR_AT + k] >= F(0)
        visible[int(packets[row, FREE + k])] = FULLY_LIT if free else SHADOWED
        if pervious and not free:
            packets[row, FREE + left] = packets[row, FREE + k]
            left += 1
    if left == 0:
        return
    _fill_packet(points, sun, packets, row, left)
    occluded8(scene, packets, row, left, OPAQUE_ONLY)
    for k in range(left):
        if packets[row, FAR_AT + k] < F(0):
            continue
        i = int(packets[row, FREE + k])
        x, y, z = packets[row, k], packets[row, LANES + k], packets[row, 2 * LANES + k]
        r, g, b = transmittance_along_ray(scene, arrays, x, y, z, sun[0], sun[1], sun[2], F(1e30))
        visible[i] = _pack_rgb8(F(255) * r, F(255) * g, F(255) * b)


@njit(**KERNEL_OPTIONS)
def trace_sun_grid(
    scene, pervious, arrays, sun, points, kinds, width, y0, y1, turn, packets, row, visible
):  # fmt: skip
    """Rays from every other pixel of every other row among y0..y1 (y0 even); a row of packets is its room.

    turn 0 or 1: only from one half of them, as on a chessboard, the others stay as they were; -1: from all.
    """
    count = 0
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            if turn >= 0 and (x // 2 + y // 2) & 1 != turn:
                continue
            i = y * width + x
            visible[i] = SHADOWED
            if kinds[i] == SURFACE_KIND and _sun_cosine(points, i, sun) > F(0):
                packets[row, FREE + count] = F(i)  # whole up to 16 million
                count += 1
                if count == LANES:
                    _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible)
                    count = 0
    _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible)


@njit(**KERNEL_OPTIONS)
def retrace_sun_grid(
    scene, pervious, arrays, sun, points, kinds, width, height, y0, y1, turn, packets, row, visible
):  # fmt: skip
    """The lattice's other half: those ask after all that are not like the four beside, which have just asked."""
    count = 0
    for y in range(y0, y1, 2):
        for x in range(0, width, 2):
            i = y * width + x
            if (x // 2 + y // 2) & 1 == turn or kinds[i] != SURFACE_KIND:
                continue
            v = visible[i]
            like = (x < 2 or visible[i - 2] == v) and (x + 2 >= width or visible[i + 2] == v)
            like = like and (y < 2 or visible[i - 2 * width] == v)
            if like and (y + 2 >= height or visible[i + 2 * width] == v):
                continue
            visible[i] = SHADOWED
            if _sun_cosine(points, i, sun) > F(0):
                packets[row, FREE + count] = F(i)
                count += 1
                if count == LANES:
                    _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible)
                    count = 0
    _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible)


@njit(inline="always", **KERNEL_OPTIONS)
def _grid_corners(x, y, width, height):
    """The rows and columns of the lattice round a pixel: above, below, left, right."""
    above, left = y & ~1, x & ~1
    below = above if y & 1 == 0 else min(above + 2, (height - 1) & ~1)
    right = left if x & 1 == 0 else min(left + 2, (width - 1) & ~1)
    return above, below, left, right


@njit(inline="always", **KERNEL_OPTIONS)
def _is_coplanar(points, paint, i, j):
    """Whether pixel j shows a surface that lies in the plane of pixel i's."""
    like = (
        points[j, FACE_NORMAL] * points[i, FACE_NORMAL]
        + points[j, FACE_NORMAL + 1] * points[i, FACE_NORMAL + 1]
    )
    like += points[j, FACE_NORMAL + 2] * points[i, FACE_NORMAL + 2]
    ex, ey = (
        points[j, POINT_POSITION] - points[i, POINT_POSITION],
        points[j, POINT_POSITION + 1] - points[i, POINT_POSITION + 1],
    )
    ez = points[j, POINT_POSITION + 2] - points[i, POINT_POSITION + 2]
    apart = abs(
        ex * points[i, FACE_NORMAL] + ey * points[i, FACE_NORMAL + 1] + ez * points[i, FACE_NORMAL + 2]
    )
    far = abs(ex) + abs(ey) + abs(ez)
    return paint[j, PIXEL_KIND] == F(SURFACE_PIXEL) and like >= F(0.95) and apart <= F(0.1) * far + F(1e-4)


@njit(**KERNEL_OPTIONS)
def mark_interpolable(points, paint, width, height, y0, y1, alike):
    """Mark, once per camera, the pixels in one plane with the lattice's round them."""
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            above, below, left, right = _grid_corners(x, y, width, height)
            count = 0
            for corner in range(4):
                j = (below if corner & 2 else above) * width + (right if corner & 1 else left)
                if _is_coplanar(points, paint, i, j):
                    count += 1
            alike[i] = paint[i, PIXEL_KIND] == F(SURFACE_PIXEL) and count >= MIN_COPLANAR


@njit(**KERNEL_OPTIONS)
def mark_coplanar_neighbours(points, paint, width, height, y0, y1, like):
    """Mark, once per camera, which of the eight pixels beside each lie in its plane."""
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            like[i] = np.uint8(0)
            for k in range(8):
                a, b = x + NEIGHBOURS[k][0], y + NEIGHBOURS[k][1]
                inside = a >= 0 and b >= 0 and a < width and b < height
                if (
                    inside
                    and paint[i, PIXEL_KIND] == F(SURFACE_PIXEL)
                    and _is_coplanar(points, paint, i, b * width + a)
                ):
                    like[i] |= np.uint8(1 << k)


@njit(**KERNEL_OPTIONS)
def trace_sun_gaps(
    scene, pervious, arrays, sun, points, kinds, alike, width, height, y0, y1, turn, packets, row, visible
):  # fmt: skip
    """The pixels between the lattice's, y0 even: like those round them, or by rays of their own.

    turn 0 or 1: only half of those in no plane (leaves, threads) ask, the others stay as they were; -1: all ask.
    """
    count = 0
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
                if kinds[j] != SURFACE_KIND:
                    continue
                if same and alike[j]:
                    visible[j] = a
                    continue
                if not alike[j] and turn >= 0 and (x // 2 + y // 2 + k) & 1 != turn:
                    continue
                visible[j] = SHADOWED
                if _sun_cosine(points, j, sun) > F(0):
                    packets[row, FREE + count] = F(j)
                    count += 1
                    if count == LANES:
                        _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible)
                        count = 0
    _trace_packet(scene, pervious, arrays, points, sun, packets, row, count, visible)


@njit(inline="always", **KERNEL_OPTIONS)
def filtered_visibility(visible, like, width, i):
    """What comes of the sun at a pixel, per channel: where a shadow ends, mixed with those beside in its plane."""
    v, bits = visible[i], like[i]
    # written out: this is asked of every pixel
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
    share = FROM_BYTE / total
    return r * share, g * share, b * share
