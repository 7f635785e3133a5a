# SPDX-License-Identifier: Apache-2.0
"""The air in front of a preliminary picture: Koschmieder's law, lit as the horizon behind it is.

A picture with its distances and a sky enter; the picture through the air leaves. Extinction is that of the air at the
ground, the same along the whole sight, which the solved aerial perspective refines.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.preview.preliminary.surfaces import VisibleSurfaces
from gloamet.sky.air import AEROSOL_HEIGHT_KM, Air, optical_depths
from gloamet.sky.dome import SkyDome
from gloamet.sky.preliminary_sky import radiance_at
from gloamet.sky.sky_solver import BANDS_TO_AP1
from gloamet.trace.aerial_perspective import AerialSettings

Floats = NDArray[np.float32]
RAYLEIGH_HEIGHT_KM = 8.4  # scale height of the atmosphere (common practice)


class AirInFront(NamedTuple):
    """The air, the settings of its aerial perspective, and the gain (3,) of the light it adds."""

    air: Air
    settings: AerialSettings
    gain: NDArray[np.float64]


def extinction_per_km(air: Air) -> NDArray[np.float64]:
    """Compute the extinction of air at the ground per AP1 channel.

    Parameters
    ----------
    air : Air
        The air.

    Returns
    -------
    ndarray
        Per kilometre, (3,).
    """
    depths = optical_depths(air)
    bands = depths.rayleigh / RAYLEIGH_HEIGHT_KM + depths.aerosol / AEROSOL_HEIGHT_KM
    bands = bands + depths.haze / air.haze_height_km
    weights = np.maximum(BANDS_TO_AP1, 0.0)
    return np.asarray(bands @ weights / weights.sum(0))


def through_air(picture: Floats, surfaces: VisibleSurfaces, dome: SkyDome, front: AirInFront) -> Floats:
    """See a picture through the air.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    surfaces : VisibleSurfaces
        Distances and directions of its pixels.
    dome : SkyDome
        The sky, whose horizon lights the air.
    front : AirInFront
        The air and its settings.

    Returns
    -------
    ndarray
        Light, AP1 cd/m², (H, W, 3).
    """
    settings, far = front.settings, surfaces.far
    if not len(far):
        return picture
    beyond_km = np.maximum(surfaces.depth.ravel()[far] - settings.begin_m, 0.0) / 1000.0
    depth = beyond_km[:, None] * (settings.density * extinction_per_km(front.air)).astype(np.float32)
    lost = np.float32(settings.strength) * (1.0 - np.exp(-depth))
    light = radiance_at(dome, surfaces.far_positions) * (front.gain * settings.sun_gain).astype(np.float32)
    out = picture.reshape(-1, 3).copy()
    out[far] += (light - out[far]) * lost
    return out.reshape(picture.shape)
