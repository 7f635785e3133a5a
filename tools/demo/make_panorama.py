# SPDX-License-Identifier: Apache-2.0
"""Make the panoramas that ship with the demos: an evening over the flats, its sun whole, and clipped.

Run from the repository: `python tools/demo/make_panorama.py`. Sky and sun are the program's own at 9 degrees; clouds
are noise of our own, lit from where the sun stands, the far shore a dark line of noise.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter, zoom

from gloamet.colour.spaces import AP1_TO_REC709, linear_to_srgb
from gloamet.document.demo import PANORAMAS
from gloamet.output.environment_export import export_environment_map
from gloamet.output.images import CHROMATICITIES, layer_channels, write_picture
from gloamet.sky.air import Air
from gloamet.sky.panorama_sun import pixel_directions
from gloamet.sky.sky_solver import SkySolver
from gloamet.sun.position import direction

WIDTH, AZIMUTH_DEG, ELEVATION_DEG = 2048, 245.0, 9.0
WHITE_CD_M2 = 20_000.0  # that 1.0 stands for: the sun's disc must fit into half floats
CLIPPED_AT = 18.0  # times the middle of the sky: what a short exposure holds
SEED = 11
Floats = NDArray[np.float32]


def noise(rng: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    """Clouds' cover before it is cut: octaves of smooth noise, stretched along the horizon, periodic in azimuth."""
    total = np.zeros((height, width))
    for octave in range(5):
        rows, columns = 6 * 2**octave, 8 * 2**octave
        grid = gaussian_filter(rng.normal(size=(rows, columns)), 0.8, mode=("nearest", "wrap"))
        factors = (height / rows, width / columns)
        big = zoom(grid, factors, order=1, mode="grid-wrap", grid_mode=True)
        total += 0.55**octave * big[:height, :width]
    return np.asarray((total - total.mean()) / total.std())


def evening() -> Floats:
    """The panorama, AP1 cd/m2."""
    dome = SkySolver().dome(Air(3.2), AZIMUTH_DEG, ELEVATION_DEG)
    picture = export_environment_map(dome, WIDTH, with_sun=False).astype(float)
    height = len(picture)
    azimuth, elevation = pixel_directions(height, WIDTH)
    towards = direction(azimuth[None, :], elevation[:, None])
    cosine = np.clip(towards @ dome.sun_direction, -1.0, 1.0)
    rng = np.random.default_rng(SEED)
    up = np.clip(elevation, 0.5, 90.0)[:, None]
    cover = np.clip(0.9 * noise(rng, height, WIDTH) - 0.35, 0.0, 1.0) * np.clip(up / 12.0, 0.0, 1.0)
    cover *= np.clip(1.3 - up / 70.0, 0.0, 1.0) * np.clip(
        (np.degrees(np.arccos(cosine)) - 5.0) / 8.0, 0.0, 1.0
    )
    # thin edges glow towards the sun (Henyey and Greenstein's lobe), thick middles are grey
    lobe = 0.2 + 1.6 * (1.0 - 0.7**2) / (1.0 + 0.7**2 - 1.4 * cosine) ** 1.5 / 5.0
    sunlit = dome.sun_irradiance / math.pi * lobe[..., None] * 0.55
    lit = sunlit * np.exp(-1.2 * cover[..., None]) + 0.8 * dome.sky_horizontal / math.pi
    thick = np.clip(1.4 * cover, 0.0, 0.92)[..., None]
    above = (elevation > 0.0)[:, None, None]
    picture = np.where(above, picture * (1.0 - thick) + lit * thick, picture)
    line = 0.9 + 0.5 * noise(rng, 4, WIDTH)[0] + 0.25 * noise(rng, 4, WIDTH)[2]
    shore = (elevation[:, None] < np.clip(line, 0.15, 2.2)[None]) & (elevation[:, None] > -0.4)
    dark = np.array([0.05, 0.055, 0.06]) * (dome.sky_horizontal / math.pi)
    picture[shore] = 0.7 * dark + 0.3 * picture[shore]
    return with_sun(picture, dome)


def with_sun(picture: NDArray[np.float64], dome) -> Floats:  # type: ignore[no-untyped-def]
    """The picture with the sun's disc in it."""
    with_disc, without = (export_environment_map(dome, WIDTH, with_sun=on) for on in (True, False))
    return np.asarray(picture + (with_disc - without), np.float32)


def main() -> None:
    """Write both."""
    picture = evening()
    pixels, names = layer_channels({"": picture / np.float32(WHITE_CD_M2)})
    attributes = {"compression": "piz", "whiteLuminance": WHITE_CD_M2, "chromaticities": CHROMATICITIES}
    write_picture(PANORAMAS / "evening.exr", pixels, "half", attributes, names)
    middle = float(np.median(picture[: len(picture) // 2, :, 1]))
    shown = np.clip(picture @ AP1_TO_REC709.T / (CLIPPED_AT * middle), 0.0, 1.0)
    codes = np.round(255.0 * linear_to_srgb(shown)).astype(np.uint8)
    Image.fromarray(codes).save(PANORAMAS / "evening_clipped.jpg", quality=88)
    for name in ("evening.exr", "evening_clipped.jpg"):
        print(name, (PANORAMAS / name).stat().st_size)


if __name__ == "__main__":
    main()
