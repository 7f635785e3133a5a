# SPDX-License-Identifier: Apache-2.0
"""The panorama of a document: as a dome that lights, and as a visible background.

A document and the sky of its moment enter; a `PanoramaLight` leaves, or None where the document has no panorama.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import luminance
from gloamet.document.fill import PanoramaState
from gloamet.document.model import Document
from gloamet.sky.dome import SkyDome
from gloamet.sky.environment_map import PanoramaPicture, cached_panorama, mtime_ns
from gloamet.sky.panorama_dome import (
    LightOptions,
    Placing,
    PreparedPanorama,
    illuminance_scale,
    panorama_dome,
    prepare_panorama,
    suns_of,
)
from gloamet.sky.panorama_sun import PanoramaSun
from gloamet.trace.lights.environment import SeenPicture


class PanoramaFile(NamedTuple):
    """A file and when it was changed."""

    path: Path
    stamp_ns: int

    @classmethod
    def of(cls, name: str) -> PanoramaFile:
        """That of a path in a document."""
        path = Path(name)
        return cls(path, mtime_ns(path))


class PanoramaInputs(NamedTuple):
    """What the light of a panorama is made of; a file's time stamp stands for what it holds. rotation_deg is None
    where it follows the sun, whose azimuth in the scene is sun_deg; behind is another file that is seen."""

    file: PanoramaFile
    options: LightOptions
    rotation_deg: float | None
    sun_deg: float
    ground_reflectance: float
    illuminance_lx: float
    lights: bool
    reflected: bool
    seen: bool
    behind: PanoramaFile | None

    @classmethod
    def of(cls, document: Document, sky: SkyDome, sun_azimuth_deg: float) -> PanoramaInputs | None:
        """Those of a document under the sky of its moment, the sun in the scene; None without a panorama."""
        p = document.panorama
        if not p.file:
            return None
        level = p.illuminance_lx
        if p.illuminance_from_sky:
            level = float(luminance(sky.sky_horizontal))
            level += 0.0 if p.sun_removed else float(luminance(sky.sun_horizontal))
            level = float(f"{level:.3g}")  # the same for a sky and for one that lies between two solved ones
        turn = None if p.locked_to_sun and p.sun_found else p.rotation_deg + document.sun.north_deg
        behind = PanoramaFile.of(p.background_file) if p.background_file else None
        return cls(
            PanoramaFile.of(p.file),
            light_options(p),
            turn,
            sun_azimuth_deg if turn is None else 0.0,
            document.air.ground_reflectance,
            level,
            p.lights_scene,
            p.in_reflections,
            p.as_background,
            behind,
        )


def light_options(p: PanoramaState) -> LightOptions:
    """Make the light options of a panorama.

    Parameters
    ----------
    p : PanoramaState
        Settings of the panorama.

    Returns
    -------
    LightOptions
        Options without rotation and illuminance.
    """
    picked = (p.sun_azimuth_deg, p.sun_elevation_deg) if p.sun_found else None
    return LightOptions(
        Placing(0.0, p.tilt_deg, p.mirrored, p.elevation_scale), p.blur_deg, p.sun_removed, picked
    )


@dataclass(frozen=True, eq=False)
class PanoramaLight:
    """A panorama as it lights and as it is seen; rotation_deg is the one it has, scale how many times the
    file's own values."""

    dome: SkyDome
    prepared: PreparedPanorama
    picture: SeenPicture
    rotation_deg: float
    scale: float
    lights: bool

    @property
    def lighting(self) -> SkyDome | None:
        """The dome by which it lights, None where it is only seen."""
        return self.dome if self.lights else None

    @property
    def sun_deg(self) -> tuple[float, float] | None:
        """Azimuth and elevation of its own sun in the scene, None where there is none."""
        sun = self.prepared.sun
        if sun is None:
            return None
        placing = self.prepared.options.placing._replace(rotation_deg=self.rotation_deg)
        return placing.to_world(sun.azimuth_deg, sun.elevation_deg)


def rotation_to_sun(options: LightOptions, sun: PanoramaSun, sun_azimuth_deg: float) -> float:
    """The turn by which a panorama's sun stands at an azimuth of the scene, -180..180 degrees."""
    azimuth, _elevation = options.placing.to_world(sun.azimuth_deg, sun.elevation_deg)
    return (sun_azimuth_deg - azimuth + 180.0) % 360.0 - 180.0


@lru_cache(maxsize=2)
def _suns(file: PanoramaFile) -> tuple[PanoramaSun, ...]:
    return suns_of(cached_panorama(file.path))


@lru_cache(maxsize=2)
def _prepared(file: PanoramaFile, options: LightOptions) -> PreparedPanorama:
    return prepare_panorama(cached_panorama(file.path), options, _suns(file))


def read_panorama(inputs: PanoramaInputs) -> PanoramaLight:
    """Read a panorama and prepare it as a light.

    Parameters
    ----------
    inputs : PanoramaInputs
        File, options and illuminance.

    Returns
    -------
    PanoramaLight
        The panorama.

    Raises
    ------
    GloametError
        The panorama cannot be read.
    """
    cached_panorama(inputs.file.path)
    prepared = _prepared(inputs.file, inputs.options)
    turn = inputs.rotation_deg
    if turn is None:
        turn = 0.0
        if prepared.sun is not None:
            turn = rotation_to_sun(inputs.options, prepared.sun, inputs.sun_deg)
    dome = panorama_dome(prepared, turn, inputs.ground_reflectance, inputs.illuminance_lx)
    fractions = float(inputs.seen), float(inputs.reflected)
    placing = inputs.options.placing._replace(rotation_deg=turn)
    scale = illuminance_scale(dome, prepared)
    picture = seen_picture(prepared.seen, prepared.picture.scale * scale, placing, *fractions)
    if inputs.behind is not None:
        other = cached_panorama(inputs.behind.path)
        picture = seen_picture(other.codes, _other_scale(other, prepared, scale), placing, *fractions)
    return PanoramaLight(dome, prepared, picture, turn, scale, inputs.lights)


def _other_scale(other: PanoramaPicture, prepared: PreparedPanorama, scale: float) -> float:
    """The scale of another panorama that is seen, as bright on the whole as the one that lights."""
    means = [
        float(np.median(picture.light[: len(picture.light) // 2])) for picture in (prepared.picture, other)
    ]
    return other.scale * scale * (means[0] / means[1] if means[1] > 0.0 else 1.0)


def seen_picture(
    codes: NDArray[np.uint16], scale: float, placing: Placing, ahead: float, mirrored: float
) -> SeenPicture:
    """A panorama for the kernels, as it is seen ahead and in mirrors."""
    east, north, up = ((np.float32(x), np.float32(y), np.float32(z)) for x, y, z in placing.rows())
    level, elevation_scale = np.float32(scale), np.float32(1.0 / placing.elevation_scale)
    fractions = np.float32(ahead), np.float32(mirrored)
    return SeenPicture(codes, (level, level, level), east, north, up, elevation_scale, *fractions)
