# SPDX-License-Identifier: Apache-2.0
"""The light meter: horizontal illuminance of sun, sky and panorama, in stops, kelvin and EV.

Domes and the gains of Fill enter; a `LightReading` leaves.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_TO_XYZ, luminance, xyz_to_xy
from gloamet.colour.temperature import correlated_temperature
from gloamet.light_layers import UNIT_GAINS, Gains

if TYPE_CHECKING:
    from gloamet.sky.dome import SkyDome

INCIDENT_C = 250.0  # ISO 2720 incident-light constant (flat receptor)
REFLECTED_K = 12.5  # ISO 2720 reflected-light constant
CARD = 0.18


@dataclass(frozen=True)
class LightReading:
    """Illuminance in lx, luminance in cd/m2, temperatures in kelvin (nan where there is no light).

    sun_sky_stops is log2(key / fill) on horizontal ground: the sun, a panorama's own too, over the sky and the rest
    of the panorama; -inf without sun. light_cct_k is that of all together, shade_cct_k of the fill; incident_ev the
    EV100 of an incident reading on horizontal ground; card_ev of a reflected reading off an 18 % card there.
    """

    sun_normal_lx: float
    sun_horizontal_lx: float
    sky_horizontal_lx: float
    sun_sky_stops: float
    sun_cct_k: float
    sky_cct_k: float
    zenith_cd_m2: float
    zenith_xy: tuple[float, float]
    incident_ev: float
    card_ev: float
    panorama_horizontal_lx: float = 0.0
    panorama_cct_k: float = math.nan
    light_cct_k: float = math.nan
    shade_cct_k: float = math.nan


def luminance_ev(cd_m2: float) -> float:
    """Compute the EV of a reflected reading.

    Parameters
    ----------
    cd_m2 : float
        Luminance, cd/m².

    Returns
    -------
    float
        EV at ISO 100: L = 0.125 · 2^EV; −inf for darkness.

    References
    ----------
    .. [1] ISO 2720 (K = 12.5).
    """
    return math.log2(cd_m2 * 100.0 / REFLECTED_K) if cd_m2 > 0.0 else -math.inf


def illuminance_ev(lx: float) -> float:
    """Compute the EV of an incident reading.

    Parameters
    ----------
    lx : float
        Illuminance, lux.

    Returns
    -------
    float
        EV at ISO 100: E = 2.5 · 2^EV.

    References
    ----------
    .. [1] ISO 2720 (C = 250).
    """
    return math.log2(lx * 100.0 / INCIDENT_C) if lx > 0.0 else -math.inf


def read_light(dome: SkyDome, gains: Gains = UNIT_GAINS, panorama: SkyDome | None = None) -> LightReading:
    """Read the light meter on horizontal ground.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    gains : Gains, optional
        Gains of the lights.
    panorama : SkyDome or None, optional
        Dome of the panorama; None without one.

    Returns
    -------
    LightReading
        Illuminances, colour temperatures and exposure values.
    """
    by_sun, by_sky, by_panorama = (np.array(g.direct) for g in (gains.sun, gains.sky, gains.panorama))
    sun, sky = by_sun * dome.sun_horizontal, by_sky * dome.sky_horizontal
    own, more = np.zeros(3), np.zeros(3)
    if panorama is not None:
        own, more = by_panorama * panorama.sun_horizontal, by_panorama * panorama.sky_horizontal
    normal = dome.sun_visible * float(luminance(by_sun * dome.sun_irradiance))
    key, fill = float(luminance(sun + own)), float(luminance(sky + more))
    zenith = AP1_TO_XYZ @ (by_sky * dome.table[-1, 0].astype(float))
    x, y = xyz_to_xy(AP1_TO_XYZ @ dome.table[-1, 0].astype(float)).tolist()
    return LightReading(
        normal,
        float(luminance(sun)),
        float(luminance(sky)),
        math.log2(key / fill) if key > 0.0 and fill > 0.0 else -math.inf,
        temperature_of(sun),
        temperature_of(sky),
        float(zenith[1]),
        (x, y),
        illuminance_ev(key + fill),
        luminance_ev((key + fill) * CARD / math.pi),
        float(luminance(own + more)),
        temperature_of(own + more),
        temperature_of(sun + own + sky + more),
        temperature_of(sky + more),
    )


def temperature_of(light: NDArray[np.float64]) -> float:
    """Correlated colour temperature of AP1 light in kelvin, nan for none."""
    return correlated_temperature(AP1_TO_XYZ @ light) if float(luminance(light)) > 0.0 else math.nan
