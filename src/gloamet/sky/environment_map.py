"""A lat-long panorama as a source of light: read from an open picture format, and laid into a dome.

A file enters as AP1 pixels (H, W, 3), H : W as 1 : 2, zenith on top, its middle column facing north and east to the
right of it; a `SkyDome` without a sun leaves. Below the horizon the scene's own ground is lit instead of what the
panorama shows there.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import (
    AP1_LUMINANCE,
    D60_WHITE,
    REC709_TO_AP1,
    XYZ_TO_AP1,
    adaptation_matrix,
    rgb_to_xyz_matrix,
    xy_to_xyz,
)
from gloamet.errors import GloametError
from gloamet.sky.dome import COLUMNS, ROWS, SUN_DIAMETER_DEG, SkyDome, assemble_dome

Floats = NDArray[np.float32]
ENDINGS = (".exr", ".hdr")
WIDTH = 2048  # wider ones are averaged down: a dome's cells are 1.4 degrees
FINE = 16  # samples across the two cells that a node of a dome answers for, each way
HIGHEST = 65504.0 * 1e4  # values beyond are no light but a fault


def read_environment_map(path: Path) -> Floats:
    """Pixels (H, W, 3) float32 in AP1; cd/m2 where the file says what its white is, else as they stand.

    Raises GloametError for a file that is missing, damaged, of another kind or shape, or without light.
    """
    import OpenImageIO as oiio

    if path.suffix.lower() not in ENDINGS:
        raise GloametError(f"{path.name}: a panorama is read from {' or '.join(ENDINGS)}.")
    if not path.is_file():
        raise GloametError(f"The panorama {path.name} is not in {path.parent}: choose it again.")
    buffer = oiio.ImageBuf(str(path))
    if not buffer.read(0, 0, True, oiio.FLOAT) or buffer.nchannels < 3:
        raise GloametError(f"{path.name} cannot be read as a panorama: save it again as .exr or .hdr.")
    spec = buffer.spec()
    height, width = spec.height, spec.width
    if abs(width - 2 * height) > 2 or height < 16:
        raise GloametError(
            f"{path.name} is {width} × {height} px: a lat-long panorama is twice as wide as high."
        )
    pixels = np.asarray(buffer.get_pixels(oiio.FLOAT), np.float32).reshape(height, width, -1)[..., :3]
    pixels = _downscale(np.clip(np.nan_to_num(pixels, nan=0.0), 0.0, HIGHEST))
    white = spec.getattribute("whiteLuminance")
    picture = pixels @ _to_ap1(spec.getattribute("chromaticities")).T.astype(np.float32)
    picture = np.maximum(picture, np.float32(0.0)) * np.float32(white or 1.0)
    if not picture[: len(picture) // 2].any():
        raise GloametError(f"{path.name} holds no light above the horizon: choose another panorama.")
    return picture


def _to_ap1(chromaticities: Any) -> NDArray[np.float64]:
    """The matrix of a file's primaries and white, eight numbers (OpenEXR), or of Rec. 709 when it names none."""
    if chromaticities is None or len(chromaticities) != 8:
        return REC709_TO_AP1
    pairs = np.asarray(chromaticities, float).reshape(4, 2)
    adapted = adaptation_matrix(xy_to_xyz(pairs[3]), xy_to_xyz(D60_WHITE))
    return np.asarray(XYZ_TO_AP1 @ adapted @ rgb_to_xyz_matrix(pairs[:3], pairs[3]))


def _downscale(pixels: Floats) -> Floats:
    """Averaged over squares until it is at most WIDTH wide."""
    times = math.ceil(pixels.shape[1] / WIDTH)
    height, width = (side // times for side in pixels.shape[:2])
    if times == 1:
        return pixels
    cut = pixels[: height * times, : width * times]
    return np.asarray(cut.reshape(height, times, width, times, 3).mean((1, 3)), np.float32)


def tabulate_environment_map(picture: Floats) -> Floats:
    """The upper half of a panorama as a dome's table (ROWS, COLUMNS, 3), light kept: each node is the average of the
    directions about it, weighted by solid angle and by what the dome's interpolation gives the node there."""
    height, width = picture.shape[:2]
    within = (np.arange(FINE) + 0.5) / FINE * 2.0 - 1.0
    tent = 1.0 - np.abs(within)
    u = np.clip((np.arange(ROWS)[:, None] + within) / (ROWS - 1), 0.0, 1.0)
    weight = tent * u * np.cos(np.pi / 2 * u * u)
    outside = np.arange(ROWS)[:, None] + within
    weight[(outside < 0) | (outside > ROWS - 1)] = 0.0
    above = picture[: (height + 1) // 2]  # what lies below the horizon does not shine into the lowest sky
    rows = _mean_radiance(above, (0.5 - 0.5 * u * u) * height - 0.5, weight, periodic=False)
    turns = (np.arange(COLUMNS)[:, None] + within) / COLUMNS + 0.5
    across = np.broadcast_to(tent, (COLUMNS, FINE))
    out = _mean_radiance(rows.transpose(1, 0, 2), turns * width - 0.5, across, periodic=True)
    return np.ascontiguousarray(out.transpose(1, 0, 2), np.float32)


def _mean_radiance(
    lines: Floats, places: NDArray[np.float64], weight: NDArray[np.float64], periodic: bool
) -> Floats:
    """Weighted means (nodes, W, 3) of lines (H, W, 3) read in between at places (nodes, FINE), in pixels."""
    count = len(lines)
    low = np.floor(places).astype(int)
    part = places - low
    matrix = np.zeros((len(places), count))
    nodes = np.broadcast_to(np.arange(len(places))[:, None], places.shape)
    for index, share in ((low, 1.0 - part), (low + 1, part)):
        index = index % count if periodic else np.clip(index, 0, count - 1)
        np.add.at(matrix, (nodes, index), weight * share)
    matrix /= matrix.sum(1, keepdims=True)
    return np.asarray(np.tensordot(matrix.astype(np.float32), lines, (1, 0)), np.float32)


def rotate_table(table: Floats, turn_deg: float) -> Floats:
    """A dome's table turned clockwise seen from above; between two columns it is mixed."""
    columns = turn_deg / 360.0 * COLUMNS
    whole = math.floor(columns)
    part = np.float32(columns - whole)
    near = np.roll(table, whole, axis=1)
    return near if part == 0.0 else near + part * (np.roll(near, 1, axis=1) - near)


def environment_dome(
    table: Floats, turn_deg: float, ground_reflectance: float, level_lx: float = 0.0
) -> SkyDome:
    """The dome of a panorama's table turned by turn_deg; with level_lx, made to light level ground with so much."""
    turned = rotate_table(table, turn_deg)
    dome = assemble_dome(turned, 0.0, -90.0, SUN_DIAMETER_DEG, np.zeros(3), ground_reflectance)
    if level_lx <= 0.0:
        return dome
    scale = level_lx / float(dome.sky_horizontal @ AP1_LUMINANCE)
    return replace(
        dome,
        table=turned * np.float32(scale),
        sky_horizontal=dome.sky_horizontal * scale,
        ground_sky=dome.ground_sky * scale,
    )


@lru_cache(maxsize=2)
def _cached_table(path: Path, _stamp: int) -> Floats:
    return tabulate_environment_map(read_environment_map(path))


def mtime_ns(path: Path) -> int:
    """When a file was changed last, in nanoseconds; 0 when it is not there."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0


def cached_table(path: Path) -> Floats:
    """The table of a panorama's file, read again when the file has changed.

    Errors are those of `read_environment_map`.
    """
    return _cached_table(path, mtime_ns(path))
