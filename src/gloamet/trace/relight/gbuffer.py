"""What a camera sees, kept per pixel without light: once per camera, at the record's and at the display's size.

A layer of n = height x width pixels: points (n, POINT_WORDS) as in `gather`; paint (n, PAINT_WORDS): WEIGHT per
channel of what is seen, ALBEDO, KIND (SURFACE, SKY, or NONE), BENEATH the share of light a matt base sends out
through its gloss. A pixel of sky has its direction in the point's place, and where the face would be its coordinates
on the dome and the share of the far ground that the camera sees there. The first layer is what lies straight ahead
through panes and holes, the second what the first pane, water, varnish or mirror throws aside. taps (n, 4) int32 and
shares (n, 4) uint8, in 255ths, lead from a display pixel to pixels of the record.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.sky.dome import dome_coordinates
from gloamet.trace.bsdf import MIRROR_ALPHA, directional_albedo
from gloamet.trace.camera_rays import camera_ray
from gloamet.trace.embree import CAMERA_MASK, PATH_MASK
from gloamet.trace.ground_plane import horizon_fade
from gloamet.trace.materials import KIND as MATERIAL_KIND
from gloamet.trace.materials import MATT, SPECULAR, TRANSLUCENCY
from gloamet.trace.relight.final_gather import (
    FACE_NORMAL,
    POINT_ALPHA,
    POINT_METALNESS,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_SPECULAR,
    POINT_TO_VIEWER,
    POINT_TRANSLUCENCY,
)
from gloamet.trace.relight.specular_chain import ESCAPED, HIT, trace_specular_chain

F = np.float32
PATH_WEIGHT, ALBEDO, PIXEL_KIND, DIFFUSE_ALBEDO_SCALE = 0, 3, 6, 7
SHADING_WORDS = 8
SKY_U, SKY_V, GROUND_FADE = FACE_NORMAL, FACE_NORMAL + 1, FACE_NORMAL + 2
EMPTY_PIXEL, SURFACE_PIXEL, SKY_PIXEL = 0.0, 1.0, 2.0
MIN_REFLECTION_WEIGHT = F(2e-3)  # a weaker mirror image is not kept
_CAMERA, _PATH = np.int32(CAMERA_MASK), np.int32(PATH_MASK)


@njit(inline="always", **KERNEL_OPTIONS)
def _write_sky(plane, d, i, points, paint):
    """Make row i of a layer one of sky, and of the far ground where the camera sees that."""
    paint[i, PIXEL_KIND] = F(SKY_PIXEL)
    for k in range(3):
        points[i, POINT_NORMAL + k] = F(0)
    points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2] = d
    points[i, SKY_U], points[i, SKY_V] = dome_coordinates(d[0], d[1], max(d[2], F(0)))
    points[i, GROUND_FADE] = horizon_fade(plane, d[2])


@njit(inline="always", **KERNEL_OPTIONS)
def _write_hit(materials, plane, found, scale, i, points, paint):
    """Write what a look found into row i of a layer."""
    kind, p, n, s, d, w, ground, _aside = found
    for k in range(3):
        paint[i, PATH_WEIGHT + k] = scale * w[k]
        points[i, POINT_NORMAL + k] = F(0)
    paint[i, PIXEL_KIND] = F(EMPTY_PIXEL)
    if kind == ESCAPED:
        _write_sky(plane, d, i, points, paint)
    if kind == HIT:
        m = ground[0]
        paint[i, PIXEL_KIND] = F(SURFACE_PIXEL)
        paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2] = ground[4], ground[5], ground[6]
        points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2] = p
        points[i, POINT_NORMAL], points[i, POINT_NORMAL + 1], points[i, POINT_NORMAL + 2] = s
        (
            points[i, FACE_NORMAL],
            points[i, FACE_NORMAL + 1],
            points[i, FACE_NORMAL + 2],
        ) = n
        points[i, POINT_TO_VIEWER], points[i, POINT_TO_VIEWER + 1], points[i, POINT_TO_VIEWER + 2] = (
            -d[0],
            -d[1],
            -d[2],
        )
        points[i, POINT_ALPHA], points[i, POINT_SPECULAR], points[i, POINT_METALNESS] = F(1), F(0), F(0)
        points[i, POINT_TRANSLUCENCY] = materials[m, TRANSLUCENCY]
        paint[i, DIFFUSE_ALBEDO_SCALE] = F(1)
        alpha = ground[7] * ground[7]
        if materials[m, MATERIAL_KIND] != F(MATT) and alpha >= MIRROR_ALPHA:
            points[i, POINT_ALPHA], points[i, POINT_METALNESS] = alpha, ground[8]
            points[i, POINT_SPECULAR] = materials[m, SPECULAR]
            nv = -(s[0] * d[0] + s[1] * d[1] + s[2] * d[2])
            paint[i, DIFFUSE_ALBEDO_SCALE] = (F(1) - ground[8]) * (
                F(1) - points[i, POINT_SPECULAR] * directional_albedo(1, nv, alpha)
            )


@njit(inline="always", **KERNEL_OPTIONS)
def _fades_into_sky(plane, found):
    """Whether a look ended on the far edge of the ground, which melts into the sky."""
    return found[0] == HIT and found[6][1] < 0 and horizon_fade(plane, found[4][2]) < F(1)


@njit(inline="always", **KERNEL_OPTIONS)
def _split_with_sky(plane, d, i, points, paint, aside_points, aside_paint):
    """Less of the ground in the first layer, and sky beside it in the second."""
    share = horizon_fade(plane, d[2])
    for k in range(3):
        aside_paint[i, PATH_WEIGHT + k] = paint[i, PATH_WEIGHT + k] * (F(1) - share)
        paint[i, PATH_WEIGHT + k] *= share
    _write_sky(plane, d, i, aside_points, aside_paint)
    aside_points[i, GROUND_FADE] = F(0)


@njit(**KERNEL_OPTIONS)
def fill_gbuffer(scene, arrays, camera, width, height, y0, y1, points, paint, aside_points, aside_paint):
    """Fill rows y0..y1 of both layers; returns how many pixels have a mirror image."""
    materials, plane = arrays.materials, arrays.plane
    count = 0
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            ox, oy, oz, dx, dy, dz = camera_ray(camera, x, y, width, height, F(0.5), F(0.5), F(0), F(0))
            away = ax = ay = az = bx = by = bz = F(0)
            for layer in range(2):
                if layer == 0:
                    found = trace_specular_chain(scene, arrays, _CAMERA, np.uint64(0), ox, oy, oz, dx, dy, dz)
                    away, ax, ay, az, bx, by, bz = found[7]
                    _write_hit(materials, plane, found, F(1), i, points, paint)
                    aside_paint[i, PIXEL_KIND] = F(EMPTY_PIXEL)
                    if _fades_into_sky(plane, found) and away <= MIN_REFLECTION_WEIGHT:
                        _split_with_sky(plane, found[4], i, points, paint, aside_points, aside_paint)
                    elif _fades_into_sky(plane, found):
                        # the second layer is taken: shadows so far out are lost
                        _write_sky(plane, found[4], i, points, paint)
                elif away > MIN_REFLECTION_WEIGHT:
                    count += 1
                    found = trace_specular_chain(scene, arrays, _PATH, np.uint64(0), ax, ay, az, bx, by, bz)
                    _write_hit(materials, plane, found, away, i, aside_points, aside_paint)
                    if _fades_into_sky(plane, found):
                        _write_sky(plane, found[4], i, aside_points, aside_paint)
    return count


@njit(inline="always", **KERNEL_OPTIONS)
def _share_out(best, total, i, shares):
    """Four weights as shares of 255 that add up to it."""
    most, left = 0, 255
    for q in range(4):
        shares[i, q] = np.uint8(int(best[q] / total * F(255))) if total > F(1e-6) else np.uint8(0)
        left -= int(shares[i, q])
        if best[q] > best[most]:
            most = q
    if total > F(1e-6):
        shares[i, most] += np.uint8(left)


@njit(**ALLOCATING_KERNEL_OPTIONS)
def find_upsample_taps(
    points, paint, width, height, big_points, big_paint, big_width, big_height, y0, y1, taps, shares
):
    """For display rows y0..y1 the four record pixels most like each, by place and normal, and their shares."""
    best = np.zeros(4, np.float32)
    for y in range(y0, y1):
        for x in range(big_width):
            i = y * big_width + x
            for q in range(4):
                taps[i, q], shares[i, q] = 0, np.uint8(0)
            if big_paint[i, PIXEL_KIND] != F(SURFACE_PIXEL):
                continue
            u = (F(x) + F(0.5)) * F(width) / F(big_width) - F(0.5)
            v = (F(y) + F(0.5)) * F(height) / F(big_height) - F(0.5)
            cx, cy = int(math.floor(u + F(0.5))), int(math.floor(v + F(0.5)))
            px, py, pz = (
                big_points[i, POINT_POSITION],
                big_points[i, POINT_POSITION + 1],
                big_points[i, POINT_POSITION + 2],
            )
            nx, ny, nz = (
                big_points[i, POINT_NORMAL],
                big_points[i, POINT_NORMAL + 1],
                big_points[i, POINT_NORMAL + 2],
            )
            fx, fy, fz = (
                big_points[i, FACE_NORMAL],
                big_points[i, FACE_NORMAL + 1],
                big_points[i, FACE_NORMAL + 2],
            )
            for attempt in range(3):
                # near, then wide, at last any surface: a thread or leaf may have no like pixel in the record
                reach, any_surface = 1 if attempt == 0 else 4, attempt == 2
                total = F(0)
                best[:] = F(0)
                for b in range(max(0, cy - reach), min(height, cy + reach + 1)):
                    for a in range(max(0, cx - reach), min(width, cx + reach + 1)):
                        j = b * width + a
                        if paint[j, PIXEL_KIND] != F(SURFACE_PIXEL):
                            continue
                        like = nx * points[j, POINT_NORMAL] + ny * points[j, POINT_NORMAL + 1]
                        like += nz * points[j, POINT_NORMAL + 2]
                        if any_surface:
                            like = F(1)
                        if like <= F(0.3):
                            continue
                        ex, ey = points[j, POINT_POSITION] - px, points[j, POINT_POSITION + 1] - py
                        ez = points[j, POINT_POSITION + 2] - pz
                        apart = abs(ex * fx + ey * fy + ez * fz)
                        far = math.sqrt(ex * ex + ey * ey + ez * ez) + F(1e-6)
                        su, sv = F(a) - u, F(b) - v
                        like *= like
                        like *= like
                        # a plane's pixels may lie far apart at a slant; what is off it may not
                        w = like * math.exp(
                            -(F(0) if any_surface else F(6)) * apart / far
                            - (su * su + sv * sv) * (F(1.2) if reach == 1 else F(0.3))
                        )
                        least = 0
                        for q in range(1, 4):
                            if best[q] < best[least]:
                                least = q
                        if w > best[least]:
                            best[least], taps[i, least] = w, j
                for q in range(4):
                    total += best[q]
                if total > F(0.05):
                    break
            _share_out(best, total, i, shares)
