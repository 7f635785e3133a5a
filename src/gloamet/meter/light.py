"""The light meter: what sun, sky and a panorama give on level ground and what that means in stops, kelvin and EV.

Domes and the gains of Fill enter; a `LightReading` leaves.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from gloamet.colour.spaces import AP1_TO_XYZ, luminance, xyz_to_xy
from gloamet.colour.temperature import correlated_temperature

if TYPE_CHECKING:
    from gloamet.sky.dome import SkyDome

INCIDENT_C = 250.0  # ISO 2720 incident-light constant (flat receptor)
REFLECTED_K = 12.5  # ISO 2720 reflected-light constant
CARD = 0.18


@dataclass(frozen=True)
class LightReading:
    """Illuminance in lx, luminance in cd/m2, temperatures in kelvin (nan where there is no light).

    sun_sky_stops is log2(sun on level ground / sky and panorama there), -inf without sun; incident_ev the
    EV100 of an incident reading on level ground; card_ev of a reflected reading off an 18 % card there.
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


def luminance_ev(cd_m2: float) -> float:
    """EV100 at which a reflected meter places this luminance; -inf for darkness."""
    return math.log2(cd_m2 * 100.0 / REFLECTED_K) if cd_m2 > 0.0 else -math.inf


def illuminance_ev(lx: float) -> float:
    """EV100 of an incident reading; E = 2.5 * 2**EV."""
    return math.log2(lx * 100.0 / INCIDENT_C) if lx > 0.0 else -math.inf


def read_light(
    dome: SkyDome,
    sun_gain: float = 1.0,
    sky_gain: float = 1.0,
    panorama: SkyDome | None = None,
    panorama_gain: float = 1.0,
) -> LightReading:
    """What a meter on level ground reads under this sky and this panorama; gains are linear."""
    normal = sun_gain * dome.sun_visible * float(luminance(dome.sun_irradiance))
    sun = sun_gain * float(luminance(dome.sun_horizontal))
    sky = sky_gain * float(luminance(dome.sky_horizontal))
    more = 0.0 if panorama is None else panorama_gain * float(luminance(panorama.sky_horizontal))
    fill, whole = sky + more, sun + sky + more
    zenith = AP1_TO_XYZ @ dome.table[-1, 0].astype(float)
    x, y = xyz_to_xy(zenith).tolist()
    return LightReading(
        normal,
        sun,
        sky,
        math.log2(sun / fill) if sun > 0.0 and fill > 0.0 else -math.inf,
        correlated_temperature(AP1_TO_XYZ @ dome.sun_irradiance) if sun > 0.0 else math.nan,
        correlated_temperature(AP1_TO_XYZ @ dome.sky_horizontal),
        sky_gain * float(zenith[1]),
        (x, y),
        illuminance_ev(whole),
        luminance_ev(whole * CARD / math.pi),
        more,
        math.nan if panorama is None else correlated_temperature(AP1_TO_XYZ @ panorama.sky_horizontal),
    )
