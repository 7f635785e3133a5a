# SPDX-License-Identifier: Apache-2.0
"""Lens glare on scene light: veiling glare, glow, starburst and flare, energy conserving.

The veil falls with the square of the angle, as the disability glare of an eye does (Stiles, Holladay; CIE 146). The
star is the far tail of Fraunhofer diffraction at the straight edges of the blades: one ray across each edge, both ways,
that falls with the square of the distance and is wider for red. Shares of light are taken from where it fell and laid
around it by Fourier transform, so that all is still there, but for what leaves the picture.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.links import Glare

Floats = NDArray[np.float32]
Array = NDArray[np.float64]
_LUMINANCE = AP1_LUMINANCE.astype(np.float32)
WORK_HEIGHT = 240  # pixels of the picture that is scattered; the rest of the light stays sharp
# in fractions of the picture's height: where the veil's and the star's centre end, and a ghost's width
VEIL_CORE, STAR_CORE, GHOST_WIDTH = 0.01, 0.004, 0.05
STAR_SIGMA_PX = 0.6
FWHM_TO_SIGMA = 1.0 / (2.0 * math.sqrt(2.0 * math.log(2.0)))
WAVELENGTHS_NM = (610.0, 540.0, 465.0)  # of AP1's red, green and blue, about
# Images of bright light reflected by lenses: place as a factor of its own from the centre, and fraction of each
# channel; coatings leave each another colour, and together they are the whole light.
GHOSTS = ((-0.55, (0.4, 0.55, 0.5)), (-1.15, (0.3, 0.25, 0.35)), (0.4, (0.3, 0.2, 0.15)))


def _shape_only(glare: Glare) -> Glare:
    """The glare without its amounts: what the Fourier transforms of its shapes depend on."""
    return Glare(
        blades=glare.blades, glow_size=glare.glow_size, starburst_rotation_deg=glare.starburst_rotation_deg
    )


class Spread(NamedTuple):
    """Fourier transforms of where scattered light goes, (n, m) each: veil, star (3, n, m), glow and ghost."""

    veil: NDArray[np.complex128]
    star: NDArray[np.complex128]
    glow: NDArray[np.complex128]
    ghost: NDArray[np.complex128]


def _offsets(padded: tuple[int, int]) -> tuple[Array, Array]:
    """Distances in pixels from the first pixel, round the edges, down and across."""
    down, across = (np.asarray(np.fft.fftfreq(n, 1.0 / n), float) for n in padded)
    return down[:, None], across[None, :]


def star_kernel(padded: tuple[int, int], height: int, glare: Glare) -> Array:
    """Where the light of a point goes by diffraction at the blades, (3, n, m), each channel's sum 1."""
    y, x = _offsets(padded)
    kernel = np.zeros((3, *padded))
    for k in range(glare.blades):
        # a ray runs across each straight edge
        angle = math.radians(glare.starburst_rotation_deg) + math.pi * (2 * k + 1) / glare.blades
        along = x * math.cos(angle) - y * math.sin(angle)
        aside = x * math.sin(angle) + y * math.cos(angle)
        for c, wavelength in enumerate(WAVELENGTHS_NM):
            core = STAR_CORE * height * wavelength / WAVELENGTHS_NM[1]
            kernel[c] += np.exp(-0.5 * (aside / STAR_SIGMA_PX) ** 2) / (along**2 + core**2 + 0.25)
    kernel[:, (np.abs(y) > height) | (np.abs(x) > height)] = 0.0
    return np.asarray(kernel / kernel.sum((1, 2), keepdims=True))


@lru_cache(maxsize=2)
def _spread(padded: tuple[int, int], height: int, glare: Glare) -> Spread:
    from scipy.fft import rfft2

    y, x = _offsets(padded)
    square = y**2 + x**2
    veil = np.where(square <= height**2, 1.0 / (square + (VEIL_CORE * height) ** 2), 0.0)
    sigma = max(glare.glow_size / 100.0 * height * FWHM_TO_SIGMA, 0.3)
    # a wide foot beside the Gaussian: a glow has no rim
    glow = np.exp(-0.5 * square / sigma**2) + 0.02 * np.exp(-0.5 * square / (4.0 * sigma) ** 2)
    ghost = np.clip(0.5 * GHOST_WIDTH * height - np.sqrt(square) + 0.5, 0.0, 1.0)
    return Spread(
        rfft2(veil / veil.sum()),
        rfft2(star_kernel(padded, height, glare), axes=(1, 2)),
        rfft2(glow / glow.sum()),
        rfft2(ghost / ghost.sum()),
    )


def acts(glare: Glare) -> bool:
    """Whether it changes a picture."""
    return (
        glare.on
        and glare.strength > 0.0
        and any((glare.veiling_glare, glare.glow, glare.starburst, glare.flare))
    )


def _ghosts(bright: Array) -> Array:
    """Light (3, h, w) where lenses throw it: mirrored across the centre, nearer or farther; sums to the light."""
    from scipy.ndimage import affine_transform

    out = np.zeros_like(bright)
    centre = 0.5 * (np.array(bright.shape[1:]) - 1.0)
    for position, fractions in GHOSTS:
        factor = np.full(2, 1.0 / position)
        for c, fraction in enumerate(fractions):
            image = affine_transform(bright[c], factor, centre - factor * centre, order=1)
            out[c] += fraction / position**2 * image
    return out


def glare_picture(picture: Floats, glare: Glare) -> Floats:
    """A picture (H, W, 3) in reflectances with the lens's glare; the picture itself while there is none."""
    if not acts(glare):
        return picture
    from scipy.fft import irfft2, next_fast_len, rfft2

    from gloamet.develop.light_kernels import scatter_rows, shrink_rows
    from gloamet.develop.threads import on_all_threads

    height, width = picture.shape[:2]
    factor = max(1, round(height / WORK_HEIGHT))
    h, w = -(-height // factor), -(-width // factor)
    padded = (next_fast_len(2 * h, real=True), next_fast_len(w + h, real=True))
    spread = _spread(padded, h, _shape_only(glare))
    veil, glow, star, flare = (
        glare.strength * fraction / 100.0
        for fraction in (glare.veiling_glare, glare.glow, glare.starburst, glare.flare)
    )
    small, least = np.empty((h, w, 6), np.float32), np.float32(2.0**glare.glow_threshold)
    on_all_threads(shrink_rows, picture, factor, least, _LUMINANCE, small)
    planes = np.moveaxis(small, -1, 0).astype(float)
    laid = rfft2(planes[:3], padded, workers=-1) * (spread.veil * veil + spread.star * star)
    if glow > 0.0:
        laid += rfft2(planes[3:], padded, workers=-1) * (spread.glow * glow)
    if flare > 0.0:
        laid += rfft2(_ghosts(planes[3:]), padded, workers=-1) * (spread.ghost * flare)
    around = np.maximum(irfft2(laid, padded, workers=-1)[:, :h, :w], 0.0)
    small = np.ascontiguousarray(np.moveaxis(around, 0, -1), np.float32)
    fractions = (np.float32(1.0 - veil - star), np.float32(glow + flare), least)
    out = np.empty_like(picture)
    on_all_threads(scatter_rows, picture, small, factor, fractions, _LUMINANCE, out)
    return out
