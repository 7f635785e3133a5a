# SPDX-License-Identifier: Apache-2.0
"""Lat-long panoramas: reading from open picture formats, and their radiance by direction.

A file enters; a `PanoramaPicture` in AP1 leaves: H : W as 1 : 2, zenith on top, its middle column facing north and east
to the right of it. Integer files are decoded as sRGB (IEC 61966-2-1) and said to be clipped.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.colour.spaces import chromaticities_to_ap1, srgb_to_linear
from gloamet.errors import GloametError
from gloamet.jit import IEEE_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.thread_pool import shared_pool

F = np.float32
Floats = NDArray[np.float32]
Codes = NDArray[np.uint16]
ENDINGS = (".exr", ".hdr", ".tif", ".tiff", ".png", ".jpg", ".jpeg")
WIDEST = 32768
SEEN_WIDTH = 8192  # wider ones are averaged down as they are read: no screen shows more of a whole turn
LIGHT_WIDTH = 2048  # of the picture that light is measured and made of
STRIP_ROWS = 256
HIGHEST = 1e12  # values beyond are no light but a fault; the sun's disc has 1.5e9 cd/m2


@dataclass(frozen=True, eq=False)
class PanoramaPicture:
    """A panorama: codes (H, W, 3), fourth roots of shares of `scale`, as it is seen, and light (h, w, 3) float32, the
    same of at most LIGHT_WIDTH; AP1, cd/m2 where the file says what its white is (absolute), else as they stand.
    clipped: its values end where its format ends. notes: sentences on what was mended in reading."""

    codes: Codes
    scale: float
    light: Floats
    absolute: bool
    clipped: bool
    notes: tuple[str, ...] = ()


@njit(**IEEE_KERNEL_OPTIONS)
def mend_rows(pixels, matrix, white, clip, out, counts):
    """Convert pixels to AP1 and remove invalid values.

    Parameters
    ----------
    pixels : float32 array
        Pixels of the file, (H, W, 3).
    matrix : float32 array
        Matrix to AP1, (3, 3).
    white : float32
        Luminance of the file's white, cd/m².
    clip : float32
        Largest value.
    out : float32 array
        Receives AP1 without negative, infinite or NaN values, (H, W, 3).
    counts : int64 array
        Receives the number of NaN, infinite and negative values, (3,).
    """
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            for k in range(3):
                v = pixels[y, x, k]
                if v != v:
                    counts[0] += 1
                    pixels[y, x, k] = F(0)
                elif v > clip:
                    counts[1] += 1
                    pixels[y, x, k] = clip
                elif v < F(0):
                    counts[2] += 1
                    pixels[y, x, k] = F(0)
            for k in range(3):
                v = (
                    matrix[k, 0] * pixels[y, x, 0]
                    + matrix[k, 1] * pixels[y, x, 1]
                    + matrix[k, 2] * pixels[y, x, 2]
                )
                out[y, x, k] = max(v, F(0)) * white


@njit(**KERNEL_OPTIONS)
def encode_rows(light, scale, codes):
    """Pack light into 16-bit codes.

    Parameters
    ----------
    light : float32 array
        Light, (H, W, 3).
    scale : float32
        Light of the largest code.
    codes : uint16 array
        Receives fourth roots in steps of 1/65535, (H, W, 3).
    """
    inverse = F(1) / scale
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            for k in range(3):
                codes[y, x, k] = np.uint16(F(65535) * math.sqrt(math.sqrt(light[y, x, k] * inverse)) + F(0.5))


def decode(codes: Codes, scale: float) -> Floats:
    """Decode packed panorama pixels.

    Parameters
    ----------
    codes : ndarray
        16-bit codes, (H, W, 3).
    scale : float
        Light of the largest code.

    Returns
    -------
    ndarray
        Light, (H, W, 3).
    """
    return np.asarray((codes.astype(np.float32) / F(65535)) ** 4 * F(scale), np.float32)


def read_environment_map(path: Path) -> PanoramaPicture:
    """Read a panorama. Raises GloametError for a file that is missing, damaged, of another kind or shape, or without
    light."""
    import OpenImageIO as oiio

    if path.suffix.lower() not in ENDINGS:
        raise GloametError(f"{path.name}: a panorama is read from .exr, .hdr, .tif, .png or .jpg.")
    if not path.is_file():
        raise GloametError(f"The panorama {path.name} is not in {path.parent}: choose it again.")
    oiio.attribute("imageinput:strict", 0)
    file = oiio.ImageInput.open(str(path))
    oiio.geterror()  # fetched, or the library prints it at the end
    if file is None:
        raise _unreadable(path)
    spec = file.spec()
    try:
        _check_shape(path, spec)
        light, counts = _read_light(path, file, spec)
    finally:
        file.close()
        file.geterror()
    integer = str(spec.format) not in ("float", "half", "double")
    top = float(light.max())
    if not light[: len(light) // 2].any():
        raise GloametError(f"{path.name} is black above the horizon: choose another panorama.")
    codes = np.empty(light.shape, np.uint16)
    _in_strips(lambda a, b: encode_rows(light[a:b], F(top), codes[a:b]), len(light))
    absolute = spec.getattribute("whiteLuminance") is not None
    return PanoramaPicture(
        codes, top, downscale(light, LIGHT_WIDTH), absolute, integer, _notes(path, counts, integer)
    )


def _unreadable(path: Path) -> GloametError:
    return GloametError(f"{path.name} cannot be read as a panorama: save it again as .exr or .hdr.")


def _notes(path: Path, counts: NDArray[np.int64], integer: bool) -> tuple[str, ...]:
    """What was mended in reading, in sentences."""
    out = []
    names_wrong = ("that are not a number", "that are infinite", "below zero")
    messages = [
        f"{count} values {word}" for count, word in zip(counts.tolist(), names_wrong, strict=True) if count
    ]
    if messages:
        out.append(
            f"{path.name} holds {' and '.join(messages)}: they are replaced by black or by the brightest value."
        )
    if integer:
        out.append(
            f"{path.name} has integer pixels: everything brighter than white is clipped, so its sun and lamps are "
            "too dim."
        )
    return tuple(out)


def _check_shape(path: Path, spec: Any) -> None:
    """Raise GloametError for what is not a lat-long panorama, with its likely layout."""
    width, height = spec.width, spec.height
    if spec.nchannels < 3:
        raise GloametError(f"{path.name} has no colours: a panorama has red, green and blue.")
    full = spec.full_width, spec.full_height
    if full != (width, height) and abs(full[0] - 2 * full[1]) <= 2:
        raise GloametError(
            f"{path.name} is cropped: it holds {width} × {height} px of {full[0]} × {full[1]}. Save all of it."
        )
    if abs(width - 2 * height) <= 2 and height >= 16 and width <= WIDEST:
        return
    looks = ""
    if abs(3 * width - 4 * height) <= 4 or abs(4 * width - 3 * height) <= 4:
        looks = " It looks like a cross of six faces: convert it to lat-long."
    elif abs(width - 6 * height) <= 6 or abs(height - 6 * width) <= 6:
        looks = " It looks like a strip of six faces: convert it to lat-long."
    raise GloametError(
        f"{path.name} is {width} × {height} px: a lat-long panorama is twice as wide as high.{looks}"
    )


def _read_light(path: Path, file: Any, spec: Any) -> tuple[Floats, NDArray[np.int64]]:
    """AP1 light (H, W, 3), averaged down to SEEN_WIDTH, and how many values were mended."""
    times = math.ceil(spec.width / SEEN_WIDTH)
    height, width = spec.height // times, spec.width // times
    out = np.empty((height, width, 3), np.float32)
    matrix = chromaticities_to_ap1(spec.getattribute("chromaticities")).astype(np.float32)
    white = F(spec.getattribute("whiteLuminance") or 1.0)
    integer = str(spec.format) not in ("float", "half", "double")
    rows, counts = max(1, STRIP_ROWS // times) * times, np.zeros(3, np.int64)
    whole = rows if spec.tile_width == 0 else spec.height  # tiles are read at once
    for begin in range(0, height * times, whole):
        end = min(begin + whole, height * times)
        if spec.tile_width == 0:
            strip = file.read_scanlines(begin, end, 0, 0, 3, "float")
        else:
            strip = file.read_image(0, 0, 0, 3, "float")
        if strip is None:
            file.geterror()
            raise _unreadable(path)
        pixels = np.ascontiguousarray(strip, np.float32).reshape(-1, spec.width, 3)[: end - begin]
        if integer:
            pixels = np.asarray(srgb_to_linear(pixels), np.float32)
        if times > 1:
            pixels = downscale(pixels[:, : width * times], width)
        _mend_strip(pixels, matrix, white, out[begin // times : begin // times + len(pixels)], counts)
    if file.geterror():
        raise _unreadable(path)
    return out, counts


def _mend_strip(
    pixels: Floats, matrix: Floats, white: np.float32, out: Floats, counts: NDArray[np.int64]
) -> None:
    """Rows as they were read to AP1 in out."""
    _in_strips(lambda a, b: mend_rows(pixels[a:b], matrix, white, F(HIGHEST), out[a:b], counts), len(pixels))


def _in_strips(work: Any, rows: int) -> None:
    """Do rows a..b of something on all threads."""
    pool = shared_pool()
    list(pool.map(lambda a: work(a, min(rows, a + STRIP_ROWS // 4)), range(0, rows, STRIP_ROWS // 4)))


def downscale(pixels: Floats, widest: int) -> Floats:
    """Averaged over squares until it is at most so wide."""
    times = math.ceil(pixels.shape[1] / widest)
    height, width = (side // times for side in pixels.shape[:2])
    if times == 1:
        return pixels
    out = np.zeros((height, width, 3), np.float32)
    for y in range(times):
        for x in range(times):
            out += pixels[y : height * times : times, x : width * times : times]
    return np.asarray(out / F(times * times), np.float32)


def mtime_ns(path: Path) -> int:
    """Return the modification time of a file.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    int
        Nanoseconds; 0 when it does not exist.
    """
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0


@lru_cache(maxsize=2)
def _cached(path: Path, _stamp: int) -> PanoramaPicture:
    return read_environment_map(path)


def cached_panorama(path: Path) -> PanoramaPicture:
    """Read a panorama, or return it from the cache.

    Parameters
    ----------
    path : Path
        The file; it is read again when it has changed.

    Returns
    -------
    PanoramaPicture
        The panorama.

    Raises
    ------
    GloametError
        The file cannot be read as a panorama.
    """
    return _cached(path, mtime_ns(path))
