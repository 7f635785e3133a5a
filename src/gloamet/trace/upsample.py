# SPDX-License-Identifier: Apache-2.0
"""Enlarging a small picture along the edges of the scene: joint bilateral upsampling.

A small picture and its features enter, with features of a larger size that an earlier film of the same camera left; a
picture of their size leaves. Light is divided by the small albedo, spread among pixels
of like normal and depth, and multiplied by the large albedo, so texture and outlines stay sharp.

Layouts: pictures, albedo and normal (H, W, 3), depth (H, W), float32.
"""

from __future__ import annotations

import math
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.film import TILE_ROWS, Film, Floats

F = np.float32
DARKEST_ALBEDO = F(0.02)
DEPTH_SHARE = F(0.08)  # pixels whose depths differ by more than this share do not mix


@dataclass(frozen=True)
class FeatureBuffers:
    """What a camera sees, without light: albedo, normal and depth."""

    albedo: Floats
    normal: Floats
    depth: Floats


def features_from_film(film: Film, shrink: int = 2) -> FeatureBuffers:
    """Average the features of a film over squares of pixels.

    Parameters
    ----------
    film : Film
        The film.
    shrink : int, optional
        Side of a square in pixels.

    Returns
    -------
    FeatureBuffers
        Albedo, normal and depth.
    """
    height, width = film.height // shrink * shrink, film.width // shrink * shrink
    if min(height, width) == 0:
        shrink, height, width = 1, film.height, film.width

    def small(name: str) -> Floats:
        layer = film.mean(name)[:height, :width]
        blocks = layer.reshape(height // shrink, shrink, width // shrink, shrink, -1).mean((1, 3))
        return np.ascontiguousarray(blocks.squeeze(-1) if layer.ndim == 2 else blocks, np.float32)

    return FeatureBuffers(small("albedo"), small("normal"), small("depth"))


@njit(**KERNEL_OPTIONS)
def _rows(picture, albedo, normal, depth, big_albedo, big_normal, big_depth, y0, y1, out):
    height, width = picture.shape[0], picture.shape[1]
    for y in range(y0, y1):
        v = (F(y) + F(0.5)) / F(out.shape[0]) * F(height) - F(0.5)
        i0 = int(math.floor(v))
        fy = v - F(i0)
        for x in range(out.shape[1]):
            u = (F(x) + F(0.5)) / F(out.shape[1]) * F(width) - F(0.5)
            j0 = int(math.floor(u))
            fx = u - F(j0)
            r = g = b = total = F(0)
            pr = pg = pb = F(0)
            z = big_depth[y, x]
            for corner in range(4):
                a, c = corner >> 1, corner & 1
                i, j = min(max(i0 + a, 0), height - 1), min(max(j0 + c, 0), width - 1)
                w = (fy if a else F(1) - fy) * (fx if c else F(1) - fx)
                pr += w * picture[i, j, 0]
                pg += w * picture[i, j, 1]
                pb += w * picture[i, j, 2]
                apart = abs(depth[i, j] - z) / (DEPTH_SHARE * max(z, depth[i, j]) + F(1e-3))
                like = big_normal[y, x, 0] * normal[i, j, 0] + big_normal[y, x, 1] * normal[i, j, 1]
                like = max(F(0), like + big_normal[y, x, 2] * normal[i, j, 2])
                like *= like
                like *= like
                if z <= F(0) and depth[i, j] <= F(0):
                    like = F(1)
                w = (w + F(0.02)) * like * like / (F(1) + apart * apart * apart * apart)
                r += w * picture[i, j, 0] / max(albedo[i, j, 0], DARKEST_ALBEDO)
                g += w * picture[i, j, 1] / max(albedo[i, j, 1], DARKEST_ALBEDO)
                b += w * picture[i, j, 2] / max(albedo[i, j, 2], DARKEST_ALBEDO)
                total += w
            if total > F(1e-3):
                s = F(1) / total
                out[y, x, 0] = r * s * max(big_albedo[y, x, 0], DARKEST_ALBEDO)
                out[y, x, 1] = g * s * max(big_albedo[y, x, 1], DARKEST_ALBEDO)
                out[y, x, 2] = b * s * max(big_albedo[y, x, 2], DARKEST_ALBEDO)
            else:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = pr, pg, pb


def upsample(picture: Floats, small: FeatureBuffers, features: FeatureBuffers, pool: Executor) -> Floats:
    """Upsample a small picture along the edges of the scene.

    Joint bilateral upsampling (Kopf et al. 2007).

    Parameters
    ----------
    picture : ndarray
        The small picture, (h, w, 3).
    small : FeatureBuffers
        Features at its size.
    features : FeatureBuffers
        Features at full size.
    pool : Executor
        Threads that run the kernels.

    Returns
    -------
    ndarray
        Picture at the size of the features, (H, W, 3).
    """
    out = np.empty_like(features.albedo)
    before = (np.ascontiguousarray(picture), small.albedo, small.normal, small.depth)
    big = (features.albedo, features.normal, features.depth)

    def rows(y: int) -> None:
        _rows(*before, *big, y, min(len(out), y + TILE_ROWS), out)

    list(pool.map(rows, range(0, len(out), TILE_ROWS)))
    return out


@njit(**KERNEL_OPTIONS)
def _resize_bilinear(picture, out):
    height, width = picture.shape[0], picture.shape[1]
    for y in range(out.shape[0]):
        v = (F(y) + F(0.5)) / F(out.shape[0]) * F(height) - F(0.5)
        i = min(max(int(math.floor(v)), 0), height - 1)
        below, fy = min(i + 1, height - 1), min(max(v - F(i), F(0)), F(1))
        for x in range(out.shape[1]):
            u = (F(x) + F(0.5)) / F(out.shape[1]) * F(width) - F(0.5)
            j = min(max(int(math.floor(u)), 0), width - 1)
            right, fx = min(j + 1, width - 1), min(max(u - F(j), F(0)), F(1))
            for n in range(picture.shape[2]):
                upper = picture[i, j, n] + fx * (picture[i, right, n] - picture[i, j, n])
                lower = picture[below, j, n] + fx * (picture[below, right, n] - picture[below, j, n])
                out[y, x, n] = upper + fy * (lower - upper)


def resize_bilinear(picture: Floats, shape: tuple[int, ...]) -> Floats:
    """Resize a picture bilinearly.

    Parameters
    ----------
    picture : ndarray
        Picture, (h, w, n).
    shape : tuple of int
        Height and width of the result in pixels.

    Returns
    -------
    ndarray
        Picture, (H, W, n).
    """
    if picture.shape[:2] == tuple(shape[:2]):
        return picture
    out = np.empty((shape[0], shape[1], picture.shape[2]), np.float32)
    _resize_bilinear(np.ascontiguousarray(picture, np.float32), out)
    return out
