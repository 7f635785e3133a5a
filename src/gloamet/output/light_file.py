# SPDX-License-Identifier: Apache-2.0
"""Reading of HDR pictures to develop and measure: OpenEXR, Radiance HDR and float TIFF.

A file enters; a `LightFile` in AP1 leaves, with what is seen in it where the file has such layers. Colours are taken by
the file's own chromaticities, Rec. 709 where it names none (the standard's default), its white made neutral.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import chromaticities_to_ap1
from gloamet.errors import GloametError
from gloamet.meter.picture import SeenSurfaces

Floats = NDArray[np.float32]
ENDINGS = (".exr", ".hdr", ".tif", ".tiff")
MOST_PIXELS = 16384 * 16384


class LightFile(NamedTuple):
    """Light (H, W, 3), in cd/m2 where the file says what its white is (`absolute`), else as its values stand; what is
    seen: black and of no distance where the file does not tell; the sun's fraction of the light, None if unknown."""

    picture: Floats
    seen: SeenSurfaces
    sun_fraction: Floats | None
    absolute: bool


def _layer(pixels: Floats, names: list[str], wanted: tuple[str, ...]) -> Floats | None:
    """Some channels of a picture side by side, None unless all are there."""
    lower = [name.lower() for name in names]
    if not all(name in lower for name in wanted):
        return None
    return np.ascontiguousarray(pixels[..., [lower.index(name) for name in wanted]])


def _read(path: Path) -> tuple[Floats, Any]:
    import OpenImageIO as oiio

    if path.suffix.lower() not in ENDINGS:
        raise GloametError(f"{path.name}: light is read from {', '.join(ENDINGS)}.")
    if not path.is_file():
        raise GloametError(f"{path.name} is not in {path.parent}: check the path.")
    file = oiio.ImageInput.open(str(path))
    oiio.geterror()  # fetched, or the library prints it at the end
    if file is None:
        raise GloametError(f"{path.name} could not be read: it is damaged or another kind of file.")
    spec = file.spec()
    try:
        if spec.width * spec.height > MOST_PIXELS:
            raise GloametError(f"{path.name} is too large: at most 16384 × 16384 pixels.")
        pixels = file.read_image("float")
        if pixels is None or file.geterror():
            raise GloametError(f"{path.name} is damaged: part of it could not be read.")
    finally:
        file.close()
        file.geterror()
    return pixels, spec


def read_light_file(path: Path) -> LightFile:
    """Read an HDR picture.

    Parameters
    ----------
    path : Path
        An .exr, .hdr or float .tif file.

    Returns
    -------
    LightFile
        The light in AP1, with surfaces and sun fraction where the file has them.

    Raises
    ------
    GloametError
        The file is missing, damaged or has no colours.
    """
    pixels, spec = _read(path)
    names = list(spec.channelnames)
    colours = _layer(pixels, names, ("r", "g", "b"))
    if colours is None:
        raise GloametError(f"{path.name} holds no red, green and blue: choose a picture.")
    white = spec.getattribute("whiteLuminance")
    scale = np.float32(white) if white else np.float32(1.0)
    matrix = (chromaticities_to_ap1(spec.getattribute("chromaticities")) * scale).astype(np.float32)
    if not np.isfinite(matrix).all():
        raise GloametError(f"{path.name} names colours that cannot be: export it again.")
    picture = np.ascontiguousarray(colours @ matrix.T)
    albedo = _layer(pixels, names, ("albedo.r", "albedo.g", "albedo.b"))
    depth = _layer(pixels, names, ("depth.z",))
    sun, indirect = (_layer(pixels, names, tuple(f"{n}.{c}" for c in "rgb")) for n in ("sun", "sun_indirect"))
    fraction = None
    if sun is not None:
        direct = sun - indirect if indirect is not None else sun
        fraction = np.clip(direct.sum(-1) / np.maximum(colours.sum(-1), 1e-12), 0.0, 1.0).astype(np.float32)
    shape = picture.shape[:2]
    seen = SeenSurfaces(
        np.zeros((*shape, 3), np.float32) if albedo is None else albedo,
        np.zeros(shape, np.float32) if depth is None else depth[..., 0],
    )
    return LightFile(picture, seen, fraction, bool(white))
