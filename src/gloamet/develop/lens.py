# SPDX-License-Identifier: Apache-2.0
"""Lens and film: distortion, chromatic fringe and vignette of scene light; sharpness and grain of the finished
picture.

A picture (H, W, 3) enters and leaves, of the same size. Grain is the same for the same size of picture: it does not
swim while dragging that moves the sun.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.views import REC709_LUMINANCE
from gloamet.develop.links import Lens

Floats = NDArray[np.float32]
GRAIN_CODES = 0.09  # standard deviation of full grain in middle tones, of the range of codes
SHARPEN_HEIGHT, LEAST_SIGMA_PX = 0.0008, 0.7  # reach of sharpness, of the picture's height, and at least
GRAIN_SEED = 7


class LensParts(NamedTuple):
    """Which parts of the link act."""

    bends: bool
    darkens: bool
    finishes: bool


def parts_that_act(lens: Lens) -> LensParts:
    """Bent lines or fringes; the vignette; sharpness or grain."""
    on = lens.on and lens.strength > 0.0
    return LensParts(
        on and (lens.distortion != 0.0 or lens.fringe != 0.0),
        on and lens.vignette != 0.0,
        on and (lens.sharpness > 0.0 or lens.grain > 0.0),
    )


@lru_cache(maxsize=4)
def vignette_gain(shape: tuple[int, int], stops: float) -> Floats:
    """Factors of light (H, W), 1 in the middle and 2**-stops in the corners: the law of cos⁴ as a lens with that much
    fall-off has it."""
    h, w = shape
    y, x = (np.arange(n, dtype=np.float32) + 0.5 - 0.5 * n for n in shape)
    square = (y[:, None] ** 2 + x[None, :] ** 2) / np.float32(0.25 * (h * h + w * w))
    # cos⁴ = (1 + tan²)⁻², tan² growing with the square of the radius; for brighter corners its inverse
    tangent = np.float32(2.0 ** (0.5 * abs(stops)) - 1.0)
    fall = 1.0 / np.square(1.0 + tangent * square)
    return np.asarray(fall if stops >= 0.0 else 1.0 / fall, np.float32)


def bend(picture: Floats, lens: Lens) -> Floats:
    """A picture through a lens that bends lines and shows red larger than blue; edges are drawn out."""
    from gloamet.develop.light_kernels import bend_rows
    from gloamet.develop.threads import THREADS, on_all_threads

    bent = lens.strength * lens.distortion / 100.0
    # a barrel draws far places inwards: scaled so that the corners still show the picture
    fit = 1.0 / (1.0 + max(bent, 0.0))
    fringes = (1.0 - 0.5 * (1 - c) * lens.strength * lens.fringe / 1000.0 for c in range(3))
    scales = np.array([fit * fringe for fringe in fringes], np.float32)
    height, width = picture.shape[:2]
    if min(height, width) < 2:
        return picture  # a line has no two pixels to lie between
    out, firsts = np.empty(picture.shape, np.float32), np.empty((THREADS, width), np.int32)
    fractions, rows = np.empty((THREADS, 2, width), np.float32), out.reshape(height, -1)
    on_all_threads(
        bend_rows, picture.reshape(-1), (height, width), np.float32(bent), scales, firsts, fractions, rows
    )
    return out


@lru_cache(maxsize=2)
def _noise(shape: tuple[int, int], size: float) -> Floats:
    """Grains (H, W) of mean 0 and deviation 1, `size` pixels wide."""
    from scipy.ndimage import gaussian_filter

    noise = np.random.default_rng(GRAIN_SEED).standard_normal(shape, np.float32)
    if size > 1.0:
        noise = gaussian_filter(noise, 0.5 * size)
    return np.asarray((noise - noise.mean()) / max(float(noise.std()), 1e-6), np.float32)


def _details(luminance: Floats, lens: Lens) -> Floats:
    """What sharpness adds to codes of a luminance (H, W) in 0..1."""
    from scipy.ndimage import gaussian_filter

    blurred = gaussian_filter(luminance, max(LEAST_SIGMA_PX, SHARPEN_HEIGHT * len(luminance)), truncate=3.0)
    return np.asarray(np.float32(lens.strength * lens.sharpness) * (luminance - blurred), np.float32)


def _grain(shape: tuple[int, int], lens: Lens) -> tuple[Floats, np.float32]:
    """Grains (H, W), and how strong they are in middle tones, times four."""
    noise = _noise(shape, max(1.0, lens.grain_size / 100.0 * shape[0]))
    return noise, np.float32(4.0 * lens.strength * lens.grain * GRAIN_CODES)


def finish(codes: Floats, lens: Lens) -> Floats:
    """Codes 0..1 (H, W, 3), sharpened and with grain."""
    luminance = codes @ REC709_LUMINANCE.astype(np.float32)
    added = _details(luminance, lens) if lens.sharpness > 0.0 else np.zeros_like(luminance)
    if lens.grain > 0.0:
        noise, amount = _grain((codes.shape[0], codes.shape[1]), lens)
        added += amount * luminance * (1.0 - luminance) * noise
    return np.clip(codes + added[..., None], 0.0, 1.0)


def finish_pixels(pixels: NDArray[np.uint32], lens: Lens) -> None:
    """The same for packed pixels (H, W) in place."""
    from gloamet.develop.pixel_kernels import finish_rows, luminance_rows
    from gloamet.develop.threads import on_all_threads

    weights, nothing = REC709_LUMINANCE.astype(np.float32), np.zeros((0, 0), np.float32)
    detail, noise, amount = nothing, nothing, np.float32(0.0)
    if lens.sharpness > 0.0:
        luminance = np.empty(pixels.shape, np.float32)
        on_all_threads(luminance_rows, pixels, weights, luminance)
        detail = _details(luminance, lens)
    if lens.grain > 0.0:
        noise, amount = _grain((pixels.shape[0], pixels.shape[1]), lens)
    on_all_threads(finish_rows, pixels, weights, detail, noise, amount)
