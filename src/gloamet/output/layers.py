# SPDX-License-Identifier: Apache-2.0
"""Light layers of a rendered picture in one small file, to balance and develop it again without rendering.

A film's clean layers enter, AP1 cd/m2; a half-float OpenEXR file leaves, DWA compressed, and comes back as
`StoredLayers`. Values are kept in units of `whiteLuminance`, because a glint of the sun is beyond the range of half.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.light_layers import LIGHT_LAYERS, Gains
from gloamet.meter.picture import SeenSurfaces
from gloamet.output.images import layer_channels, write_picture

if TYPE_CHECKING:
    from gloamet.trace.film import Film  # the first picture must not wait for its kernels

Floats = NDArray[np.float32]
WHITE_CD_M2 = 1000.0  # that 1.0 stands for
LARGEST_HALF = 65504.0
LOSS = "dwaa:45"  # the usual level, at which no eye sees a loss
SURFACE_LAYERS = ("albedo", "normal", "depth")


class StoredLayers(NamedTuple):
    """Lights by name, AP1 cd/m2 (H, W, 3), albedo and normal (H, W, 3), depth
    (H, W) in metres, 0 for sky."""

    lights: dict[str, Floats]
    albedo: Floats
    normal: Floats
    depth: Floats

    def light(self, gains: Gains) -> Floats:
        """The picture: the sum of the lights under gains, cd/m2 in AP1."""
        out = np.zeros_like(self.albedo)
        for name, light in self.lights.items():
            gain = gains[LIGHT_LAYERS.index(name)]
            out += light * np.array(gain.direct, np.float32)
        return out

    def seen(self) -> SeenSurfaces:
        """Surfaces for the scene meter."""
        return SeenSurfaces(self.albedo, self.depth)


def layers_of_film(film: Film) -> StoredLayers:
    """Return the light layers of a film.

    Parameters
    ----------
    film : Film
        The film.

    Returns
    -------
    StoredLayers
        Lights before gains, with noise, and albedo, normal and depth.
    """
    lights: dict[str, Floats] = {name: film.mean(name) for name in LIGHT_LAYERS if film.layers[name].any()}
    return StoredLayers(lights, film.mean("albedo"), film.mean("normal"), film.mean("depth"))


def save_layers(path: Path, layers: StoredLayers) -> None:
    """Write the layers, lights that are dark left out. Raises GloametError when the file cannot be written."""
    planes = {
        name: np.minimum(light / np.float32(WHITE_CD_M2), np.float32(LARGEST_HALF))
        for name, light in layers.lights.items()
        if light.any()
    }
    planes |= {name: getattr(layers, name) for name in SURFACE_LAYERS}
    pixels, names = layer_channels(planes)
    write_picture(path, pixels, "half", {"compression": LOSS, "whiteLuminance": WHITE_CD_M2}, names)


def read_layers(path: Path) -> StoredLayers:
    """Read the layers that `save_layers` wrote.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    StoredLayers
        The layers.

    Raises
    ------
    GloametError
        The file is missing or is another kind of picture.
    """
    import OpenImageIO as oiio

    picture = oiio.ImageInput.open(str(path))
    pixels = None if picture is None else picture.read_image("float")
    if picture is None or pixels is None:
        raise GloametError(f"{path.name} could not be read: {oiio.geterror().strip() or 'no picture'}.")
    spec = picture.spec()
    picture.close()
    white = np.float32(spec.getattribute("whiteLuminance") or 1.0)
    columns: dict[str, list[int]] = {}
    # the file sorts its channels by name: B, G, R
    for letter in "RXGYBZ":
        for k, channel in enumerate(spec.channelnames):
            if channel.endswith(f".{letter}"):
                columns.setdefault(channel.rpartition(".")[0], []).append(k)
    if not columns.keys() >= {*SURFACE_LAYERS, LIGHT_LAYERS[0]}:
        raise GloametError(f"{path.name} holds no layers of a rendered picture: save layers again.")
    lights: dict[str, Floats] = {
        name: pixels[..., columns[name]] * white for name in LIGHT_LAYERS if name in columns
    }
    albedo, normal, depth = (pixels[..., columns[name]] for name in SURFACE_LAYERS)
    return StoredLayers(lights, albedo, normal, depth[..., 0])
