# SPDX-License-Identifier: Apache-2.0
"""The g-buffer: surfaces seen by the camera, without light, at the cache's and at the display's size.

Rows are laid out in `points`. The first layer is what lies straight ahead through panes and holes, the second what the
first pane, water, varnish or mirror reflects. taps (n, 4) int32 and shares (n, 4) uint8, in 255ths, lead from a display
pixel to pixels of the cache (joint bilateral upsampling: Kopf et al. 2007).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.sky.dome import dome_coordinates
from gloamet.trace.geometry.camera_rays import camera_ray
from gloamet.trace.geometry.embree import CAMERA_MASK, PATH_MASK
from gloamet.trace.geometry.vec import BLACK, dot, neg, put, scale, sub, triple
from gloamet.trace.relight.points import (
    ALBEDO,
    DIFFUSE_ALBEDO_SCALE,
    EMPTY_PIXEL,
    FACE_NORMAL,
    GROUND_FADE,
    MIRRORED_SKY,
    ON_GROUND,
    PATH_WEIGHT,
    PIXEL_KIND,
    POINT_ALPHA,
    POINT_METALNESS,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_SPECULAR,
    POINT_TO_VIEWER,
    POINT_TRANSLUCENCY,
    SKY_PIXEL,
    SKY_U,
    SKY_V,
    SURFACE_PIXEL,
)
from gloamet.trace.relight.specular_chain import AHEAD, ESCAPED, HIT, trace_specular_chain
from gloamet.trace.surfaces.bsdf import DIELECTRIC_LOBE, MIRROR_ALPHA, directional_albedo
from gloamet.trace.surfaces.ground_plane import horizon_fade
from gloamet.trace.surfaces.materials import KIND, MATT, SPECULAR, TRANSLUCENCY

# light may come from a plane a little apart, colours may not
LIGHT_STRICTNESS, PICTURE_STRICTNESS = F(6), F(40)
MIN_REFLECTION_WEIGHT = F(2e-3)  # a weaker reflection is not kept
_CAMERA, _PATH = np.int32(CAMERA_MASK), np.int32(PATH_MASK)
_MIDDLE, _PINHOLE = (F(0.5), F(0.5)), (F(0), F(0))


@njit(**INLINE_KERNEL_OPTIONS)
def _write_sky(scene, direction, i, layer, ahead):
    """Make row i of a layer one of sky, and of the far ground where the camera sees that; SKY_U is kept below zero for
    a sky that is seen in a mirror."""
    points = layer.points
    layer.shading[i, PIXEL_KIND] = F(SKY_PIXEL)
    put(points, i, POINT_NORMAL, BLACK)
    put(points, i, POINT_POSITION, direction)
    u, v = dome_coordinates(direction[0], direction[1], max(direction[2], F(0)))
    points[i, SKY_U], points[i, SKY_V] = u if ahead else u - F(MIRRORED_SKY), v
    points[i, GROUND_FADE] = horizon_fade(scene.plane, direction[2])


@njit(**INLINE_KERNEL_OPTIONS)
def _write_hit(scene, end, weight, i, layer, ahead):
    """Write what a specular chain found, straight ahead or not, under a weight, into row i of a layer."""
    points, shading, materials = layer.points, layer.shading, scene.materials
    put(shading, i, PATH_WEIGHT, scale(end.weight, weight))
    put(points, i, POINT_NORMAL, BLACK)
    shading[i, PIXEL_KIND] = F(EMPTY_PIXEL)
    if end.kind == ESCAPED:
        _write_sky(scene, end.direction, i, layer, ahead)
    if end.kind == HIT:
        m, surface = end.material, end.surface
        shading[i, PIXEL_KIND] = F(SURFACE_PIXEL)
        put(shading, i, ALBEDO, surface.albedo)
        shading[i, ON_GROUND] = F(1) if end.triangle < 0 else F(0)
        put(points, i, POINT_POSITION, end.position)
        put(points, i, POINT_NORMAL, surface.normal)
        put(points, i, FACE_NORMAL, end.normal)
        put(points, i, POINT_TO_VIEWER, neg(end.direction))
        points[i, POINT_ALPHA], points[i, POINT_SPECULAR], points[i, POINT_METALNESS] = F(1), F(0), F(0)
        points[i, POINT_TRANSLUCENCY] = materials[m, TRANSLUCENCY]
        shading[i, DIFFUSE_ALBEDO_SCALE] = F(1)
        alpha = surface.roughness * surface.roughness
        if materials[m, KIND] != F(MATT) and alpha >= MIRROR_ALPHA:
            specular, nv = materials[m, SPECULAR], -dot(surface.normal, end.direction)
            points[i, POINT_ALPHA], points[i, POINT_METALNESS] = alpha, surface.metalness
            points[i, POINT_SPECULAR] = specular
            taken = specular * directional_albedo(DIELECTRIC_LOBE, nv, alpha)
            shading[i, DIFFUSE_ALBEDO_SCALE] = (F(1) - surface.metalness) * (F(1) - taken)


@njit(**INLINE_KERNEL_OPTIONS)
def _fades_into_sky(scene, end):
    """Whether a chain ended on the far edge of the ground, which melts into the sky."""
    return end.kind == HIT and end.triangle < 0 and horizon_fade(scene.plane, end.direction[2]) < F(1)


@njit(**INLINE_KERNEL_OPTIONS)
def _split_with_sky(scene, direction, i, layer, reflected):
    """Reduce the ground in the first layer and put sky into the second."""
    fraction, weight = horizon_fade(scene.plane, direction[2]), triple(layer.shading, i, PATH_WEIGHT)
    put(reflected.shading, i, PATH_WEIGHT, scale(weight, F(1) - fraction))
    put(layer.shading, i, PATH_WEIGHT, scale(weight, fraction))
    _write_sky(scene, direction, i, reflected, True)
    reflected.points[i, GROUND_FADE] = F(0)


@njit(**KERNEL_OPTIONS)
def fill_gbuffer(scene, camera, y0, y1, layer, reflected):
    """Fill rows y0..y1 of both layers, `points.GBufferArrays`; returns how many pixels have a reflection."""
    size, count = (layer.width, layer.height), 0
    for y in range(y0, y1):
        for x in range(layer.width):
            i, ray = y * layer.width + x, camera_ray(camera, (x, y), size, _MIDDLE, _PINHOLE)
            away = F(0)
            for step in range(2):
                if step == 1 and away <= MIN_REFLECTION_WEIGHT:
                    break
                end = trace_specular_chain(scene, _CAMERA if step == 0 else _PATH, AHEAD, ray)
                fades = _fades_into_sky(scene, end)
                if step == 0:
                    _write_hit(scene, end, F(1), i, layer, True)
                    reflected.shading[i, PIXEL_KIND] = F(EMPTY_PIXEL)
                    away, ray = end.reflection
                    if fades and away <= MIN_REFLECTION_WEIGHT:
                        _split_with_sky(scene, end.direction, i, layer, reflected)
                    elif fades:
                        # the second layer is in use: shadows at this distance are lost
                        _write_sky(scene, end.direction, i, layer, True)
                else:
                    count += 1
                    _write_hit(scene, end, away, i, reflected, False)
                    if fades:
                        _write_sky(scene, end.direction, i, reflected, False)
    return count


@njit(**INLINE_KERNEL_OPTIONS)
def _distribute(best, total, i, fractions):
    """Four weights as fractions of 255 that add up to it."""
    most, left = 0, 255
    for q in range(4):
        fractions[i, q] = np.uint8(int(best[q] / total * F(255))) if total > F(1e-6) else np.uint8(0)
        left -= int(fractions[i, q])
        if best[q] > best[most]:
            most = q
    if total > F(1e-6):
        fractions[i, most] += np.uint8(left)


@njit(**INLINE_KERNEL_OPTIONS)
def _tap_weight(big, i, small, j, any_surface, strictness):
    """How like the surface of cache pixel j is to that of display pixel i; 0 for no tap."""
    like = dot(triple(big.points, i, POINT_NORMAL), triple(small.points, j, POINT_NORMAL))
    if any_surface:
        like = F(1)
    if like <= F(0.3):
        return F(0)
    offset = sub(triple(small.points, j, POINT_POSITION), triple(big.points, i, POINT_POSITION))
    apart = abs(dot(offset, triple(big.points, i, FACE_NORMAL)))
    far = math.sqrt(dot(offset, offset)) + F(1e-6)
    like *= like
    like *= like
    # at a grazing angle pixels of one plane may be far apart; others may not
    return like * math.exp(-(F(0) if any_surface else strictness) * apart / far)


@njit(**INLINE_KERNEL_OPTIONS)
def _keep_best(weight, j, i, best, taps):
    """Let a tap take the place of the weakest of four."""
    least = 0
    for q in range(1, 4):
        if best[q] < best[least]:
            least = q
    if weight > best[least]:
        best[least], taps[i, least] = weight, j


@njit(**ALLOCATING_KERNEL_OPTIONS)
def find_upsample_taps(small, big, y0, y1, taps, fractions, strictness):
    """For display rows y0..y1 the four cache pixels most like each, by place and normal, and their fractions.

    strictness is how fast weights fall with the distance from a pixel's plane: LIGHT_STRICTNESS or
    PICTURE_STRICTNESS."""
    best, width, height = np.zeros(4, np.float32), small.width, small.height
    for y in range(y0, y1):
        for x in range(big.width):
            i = y * big.width + x
            for q in range(4):
                taps[i, q], fractions[i, q] = 0, np.uint8(0)
            if big.shading[i, PIXEL_KIND] != F(SURFACE_PIXEL):
                continue
            u = (F(x) + F(0.5)) * F(width) / F(big.width) - F(0.5)
            v = (F(y) + F(0.5)) * F(height) / F(big.height) - F(0.5)
            cx, cy, total = int(math.floor(u + F(0.5))), int(math.floor(v + F(0.5))), F(0)
            for attempt in range(3):
                # near, then wide, at last any surface: a thread or leaf may have no like pixel in the cache
                reach, fall_off = (1, F(1.2)) if attempt == 0 else (4, F(0.3))
                total = F(0)
                best[:] = F(0)
                for b in range(max(0, cy - reach), min(height, cy + reach + 1)):
                    for a in range(max(0, cx - reach), min(width, cx + reach + 1)):
                        j = b * width + a
                        if small.shading[j, PIXEL_KIND] == F(SURFACE_PIXEL):
                            su, sv = F(a) - u, F(b) - v
                            near = math.exp(-fall_off * (su * su + sv * sv))
                            _keep_best(
                                near * _tap_weight(big, i, small, j, attempt == 2, strictness),
                                j,
                                i,
                                best,
                                taps,
                            )
                for q in range(4):
                    total += best[q]
                if total > F(0.05):
                    break
            _distribute(best, total, i, fractions)
