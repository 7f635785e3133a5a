# SPDX-License-Identifier: Apache-2.0
"""Position, illuminated fraction and illuminance of the moon at an instant and a site.

Unix seconds and degrees enter, `Moon` leaves. The main terms of the lunar theory keep the place within 0.05
degrees; light is that of the whole disc, however much of it is lit.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gloamet.sun.position import DEG, delta_t_s, ecliptic, refraction_deg

# Meeus, Astronomical Algorithms (1998), tables 47.A and 47.B, from memory; checked against astropy by a test.
# Multiples of D, M, M', F; sine of longitude (1e-6 deg); cosine of distance (1e-3 km). Terms below 3600 left out.
LONGITUDE_TERMS = np.array(
    [
        (0, 0, 1, 0, 6288774, -20905355),
        (2, 0, -1, 0, 1274027, -3699111),
        (2, 0, 0, 0, 658314, -2955968),
        (0, 0, 2, 0, 213618, -569925),
        (0, 1, 0, 0, -185116, 48888),
        (0, 0, 0, 2, -114332, -3149),
        (2, 0, -2, 0, 58793, 246158),
        (2, -1, -1, 0, 57066, -152138),
        (2, 0, 1, 0, 53322, -170733),
        (2, -1, 0, 0, 45758, -204586),
        (0, 1, -1, 0, -40923, -129620),
        (1, 0, 0, 0, -34720, 108743),
        (0, 1, 1, 0, -30383, 104755),
        (2, 0, 0, -2, 15327, 10321),
        (0, 0, 1, 2, -12528, 0),
        (0, 0, 1, -2, 10980, 79661),
        (4, 0, -1, 0, 10675, -34782),
        (0, 0, 3, 0, 10034, -23210),
        (4, 0, -2, 0, 8548, -21636),
        (2, 1, -1, 0, -7888, 24208),
        (2, 1, 0, 0, -6766, 30824),
        (1, 0, -1, 0, -5163, -8379),
        (1, 1, 0, 0, 4987, -16675),
        (2, -1, 1, 0, 4036, -12831),
        (2, 0, 2, 0, 3994, -10445),
        (4, 0, 0, 0, 3861, -11650),
        (2, 0, -3, 0, 3665, 14403),
    ]
)
LATITUDE_TERMS = np.array(
    [
        (0, 0, 0, 1, 5128122),
        (0, 0, 1, 1, 280602),
        (0, 0, 1, -1, 277693),
        (2, 0, 0, -1, 173237),
        (2, 0, -1, 1, 55413),
        (2, 0, -1, -1, 46271),
        (2, 0, 0, 1, 32573),
        (0, 0, 2, 1, 17198),
        (2, 0, 1, -1, 9266),
        (0, 0, 2, -1, 8822),
        (2, -1, 0, -1, 8216),
        (2, 0, -2, -1, 4324),
        (2, 0, 1, 1, 4200),
    ]
)
MEAN_KM, EARTH_KM, AU_KM = 385000.56, 6378.14, 149597870.7
FULL_MAGNITUDE = -12.73  # Krisciunas & Schaefer 1991, at the mean distance
LUX_ZERO = -14.18  # magnitude that gives one lux (Allen, Astrophysical Quantities, from memory)
SOLAR_LUX = 133_100.0  # outside the air
# the moon reflects less of the blue: B-V 0.92 against the sun's 0.65 (from memory); luminance stays
MOON_TINT = np.array([1.09, 0.99, 0.80])


@dataclass(frozen=True)
class Moon:
    """azimuth_deg and apparent elevation_deg; lit share 0..1, waxing or not; illuminance outside the air in lux."""

    azimuth_deg: float
    elevation_deg: float
    lit: float
    waxing: bool
    illuminance_lx: float
    distance_km: float

    @property
    def phase(self) -> str:
        """The phase in words.

        >>> Moon(0.0, 0.0, 0.5, True, 0.1, 384400.0).phase
        'first quarter'
        """
        if self.lit < 0.03:
            return "new moon"
        if self.lit > 0.97:
            return "full moon"
        if 0.42 < self.lit < 0.58:
            return "first quarter" if self.waxing else "last quarter"
        size = "crescent" if self.lit < 0.5 else "gibbous"
        return f"{'waxing' if self.waxing else 'waning'} {size}"


def _geocentric(centuries: float) -> tuple[float, float, float]:
    """Mean-equinox ecliptic longitude and latitude (rad) and distance (km)."""
    t = centuries
    mean = 218.3164477 + 481267.88123421 * t
    angles = np.radians(
        [
            297.8501921 + 445267.1114034 * t,
            357.5291092 + 35999.0502909 * t,
            134.9633964 + 477198.8675055 * t,
            93.2720950 + 483202.0175233 * t,
        ]
    )
    fading = 1.0 - 0.002516 * t  # of the earth's eccentricity, for terms with M
    along = LONGITUDE_TERMS[:, :4] @ angles
    scale = fading ** np.abs(LONGITUDE_TERMS[:, 1])
    longitude = mean + 1e-6 * float((scale * LONGITUDE_TERMS[:, 4] * np.sin(along)).sum())
    distance = MEAN_KM + 1e-3 * float((scale * LONGITUDE_TERMS[:, 5] * np.cos(along)).sum())
    scale = fading ** np.abs(LATITUDE_TERMS[:, 1])
    latitude = 1e-6 * float((scale * LATITUDE_TERMS[:, 4] * np.sin(LATITUDE_TERMS[:, :4] @ angles)).sum())
    return math.radians(longitude), math.radians(latitude), distance


def _spherical(longitude: float, latitude: float) -> NDArray[np.float64]:
    c = math.cos(latitude)
    return np.array([c * math.cos(longitude), c * math.sin(longitude), math.sin(latitude)])


def magnitude(phase_deg: float, distance_km: float) -> float:
    """Visual magnitude of the moon outside the air; phase_deg 0 is full.

    Krisciunas & Schaefer, "A model of the brightness of moonlight", PASP 103 (1991), equation 9.
    """
    m = FULL_MAGNITUDE + 0.026 * abs(phase_deg) + 4e-9 * phase_deg**4
    return m + 5.0 * math.log10(distance_km / 384400.0)


def moon_at(unix_s: float, latitude_deg: float, longitude_deg: float) -> Moon:
    """Compute the moon as seen from a site.

    Parameters
    ----------
    unix_s : float
        Seconds since 1970-01-01 UTC.
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.

    Returns
    -------
    Moon
        Position, phase and illuminance.

    References
    ----------
    .. [1] J. Meeus, "Astronomical Algorithms", 1998; K. Krisciunas, B. Schaefer, 1991 (brightness).
    """
    centuries = (unix_s + float(delta_t_s(unix_s)) - 946728000.0) / (86400.0 * 36525.0)
    longitude, latitude, distance = _geocentric(centuries)
    sun_longitude, _mean, obliquity, nutation, sun_au = (float(v) for v in ecliptic(unix_s))
    seen_from_earth = _spherical(longitude + nutation, latitude)
    apart = math.acos(max(-1.0, min(1.0, float(seen_from_earth @ _spherical(sun_longitude, 0.0)))))
    # Meeus 48.3: the angle at the moon between sun and earth
    sun_km = sun_au * AU_KM
    phase = math.atan2(sun_km * math.sin(apart), distance - sun_km * math.cos(apart))
    c, s = math.cos(obliquity), math.sin(obliquity)
    x, y, z = seen_from_earth
    equatorial = distance * np.array([x, c * y - s * z, s * y + c * z])
    days = (unix_s - 946728000.0) / 86400.0
    sidereal = math.radians((280.46061837 + 360.98564736629 * days + longitude_deg) % 360.0) + nutation * c
    lat = math.radians(latitude_deg)
    up = _spherical(sidereal, lat)
    seen = equatorial - EARTH_KM * up
    east = np.array([-math.sin(sidereal), math.cos(sidereal), 0.0])
    north = np.cross(up, east)
    e, n, u = float(seen @ east), float(seen @ north), float(seen @ up)
    true = DEG * math.atan2(u, math.hypot(e, n))
    far = float(np.linalg.norm(seen))
    phase_deg = math.degrees(phase)
    light = 10.0 ** (-0.4 * (magnitude(phase_deg, far) - LUX_ZERO))
    return Moon(
        DEG * math.atan2(e, n) % 360.0,
        true + float(refraction_deg(true)),
        0.5 * (1.0 + math.cos(phase)),
        math.sin(longitude - sun_longitude) > 0.0,
        light,
        far,
    )
