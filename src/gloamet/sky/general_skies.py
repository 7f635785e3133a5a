# SPDX-License-Identifier: Apache-2.0
"""Skies by formula: the fifteen general skies of the CIE and Preetham's clear sky.

Directions and a sun enter as angles, luminances leave: of the CIE's relative to the zenith, of Preetham's in cd/m2
with CIE 1931 chromaticities. Both are fits to measured or computed skies; `Preetham` says where its own fails.

Tables and constants are from memory.

[1] ISO 15469:2004 (CIE S 011/E:2003), Spatial distribution of daylight - CIE standard general sky.
[2] Preetham, Shirley, Smits, "A practical analytic model for daylight", SIGGRAPH 1999.
[3] IESNA Lighting Handbook, 9th ed., ch. 8, daylight availability.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


class GeneralSky(NamedTuple):
    """A row of table 1 of [1]: its name there, gradation a, b and indicatrix c, d, e."""

    name: str
    a: float
    b: float
    c: float
    d: float
    e: float


CIE_GENERAL_SKIES = (
    GeneralSky("overcast, steep gradation", 4.0, -0.70, 0.0, -1.0, 0.0),
    GeneralSky("overcast, steep gradation, brighter around the sun", 4.0, -0.70, 2.0, -1.5, 0.15),
    GeneralSky("overcast, moderate gradation", 1.1, -0.8, 0.0, -1.0, 0.0),
    GeneralSky("overcast, moderate gradation, brighter around the sun", 1.1, -0.8, 2.0, -1.5, 0.15),
    GeneralSky("uniform", 0.0, -1.0, 0.0, -1.0, 0.0),
    GeneralSky("partly cloudy, no gradation, brighter around the sun", 0.0, -1.0, 2.0, -1.5, 0.15),
    GeneralSky("partly cloudy, no gradation, bright around the sun", 0.0, -1.0, 5.0, -2.5, 0.30),
    GeneralSky("partly cloudy, no gradation, distinct corona", 0.0, -1.0, 10.0, -3.0, 0.45),
    GeneralSky("partly cloudy, obscured sun", -1.0, -0.55, 2.0, -1.5, 0.15),
    GeneralSky("partly cloudy, bright around the sun", -1.0, -0.55, 5.0, -2.5, 0.30),
    GeneralSky("white-blue, distinct corona", -1.0, -0.55, 10.0, -3.0, 0.45),
    GeneralSky("clear, low turbidity", -1.0, -0.32, 10.0, -3.0, 0.45),
    GeneralSky("clear, polluted", -1.0, -0.32, 16.0, -3.0, 0.30),
    GeneralSky("cloudless turbid, broad corona", -1.0, -0.15, 16.0, -3.0, 0.30),
    GeneralSky("white-blue turbid, broad corona", -1.0, -0.15, 24.0, -2.8, 0.15),
)
OVERCAST, PARTLY = range(1, 6), range(6, 11)  # numbers of the table; the rest are clear
IES_SUN_LX = 127_500.0  # of [3], the sun's illuminance above the air


def cie_relative_luminance(number: int, elevation: Array, cos_sun: Array, sun_elevation: float) -> Array:
    """Luminance over that of the zenith, of sky 1-15, by [1], eq. 1-3.

    elevation: of the direction, 0..pi/2; cos_sun: cosine of its angle to the sun; both of one shape. sun_elevation:
    0..pi/2. Radians.
    """
    sky = CIE_GENERAL_SKIES[number - 1]
    height = np.maximum(np.sin(elevation), 1e-9)
    gradation = (1.0 + sky.a * np.exp(sky.b / height)) / (1.0 + sky.a * math.exp(sky.b))

    def indicatrix(angle: Array | float) -> Array | float:
        rise = np.exp(sky.d * angle) - math.exp(sky.d * math.pi / 2.0)
        return 1.0 + sky.c * rise + sky.e * np.cos(angle) ** 2

    angle = np.arccos(np.clip(cos_sun, -1.0, 1.0))
    return np.asarray(gradation * indicatrix(angle) / indicatrix(math.pi / 2.0 - sun_elevation))


def natural_sky_lux(number: int, sun_elevation_deg: float) -> float:
    """What a sky of this kind commonly gives horizontal ground, lx, by [3]: overcast, partly cloudy, clear.

    >>> round(natural_sky_lux(1, 30.0)), round(natural_sky_lux(12, 90.0))
    (10800, 16300)
    """
    height = math.sin(math.radians(max(0.0, sun_elevation_deg)))
    if number in OVERCAST:
        return 300.0 + 21_000.0 * height
    if number in PARTLY:
        return 300.0 + 45_000.0 * height
    return 800.0 + 15_500.0 * math.sqrt(height)


def natural_sun_fraction(number: int, sun_elevation_deg: float) -> float:
    """Fraction of the sun above the air that a sky of this kind lets through, by [3]: exp(-c m), none when overcast."""
    if number in OVERCAST or sun_elevation_deg <= 0.0:
        return 0.0
    extinction = 0.80 if number in PARTLY else 0.21
    return math.exp(-extinction / math.sin(math.radians(sun_elevation_deg)))


# Rows A to E of Perez' function for Y, x and y, each slope * T + offset; table 2 of [2]
PREETHAM_PEREZ = np.array(
    [
        [[0.1787, -1.4630], [-0.3554, 0.4275], [-0.0227, 5.3251], [0.1206, -2.5771], [-0.0670, 0.3703]],
        [[-0.0193, -0.2592], [-0.0665, 0.0008], [-0.0004, 0.2125], [-0.0641, -0.8989], [-0.0033, 0.0452]],
        [[-0.0167, -0.2608], [-0.0950, 0.0092], [-0.0079, 0.2102], [-0.0441, -1.6537], [-0.0109, 0.0529]],
    ]
)
# Rows T^2, T, 1 times columns of the sun's zenith angle cubed, squared, itself, 1; appendix A.2 of [2]
PREETHAM_ZENITH_X = np.array(
    [
        [0.00166, -0.00375, 0.00209, 0.0],
        [-0.02903, 0.06377, -0.03202, 0.00394],
        [0.11693, -0.21196, 0.06052, 0.25886],
    ]
)
PREETHAM_ZENITH_Y = np.array(
    [
        [0.00275, -0.00610, 0.00317, 0.0],
        [-0.04214, 0.08970, -0.04153, 0.00516],
        [0.15346, -0.26756, 0.06670, 0.26688],
    ]
)


def preetham_zenith(turbidity: float, sun_elevation: float) -> tuple[float, float, float]:
    """Luminance in cd/m2 and chromaticities x, y of the zenith. Radians; turbidity 2-6 in [2]."""
    zenith = math.pi / 2.0 - sun_elevation
    chi = (4.0 / 9.0 - turbidity / 120.0) * (math.pi - 2.0 * zenith)
    luminance = (4.0453 * turbidity - 4.9710) * math.tan(chi) - 0.2155 * turbidity + 2.4192
    powers = np.array([turbidity**2, turbidity, 1.0])
    angles = np.array([zenith**3, zenith**2, zenith, 1.0])
    x, y = (float(powers @ table @ angles) for table in (PREETHAM_ZENITH_X, PREETHAM_ZENITH_Y))
    return 1000.0 * luminance, x, y


def preetham_xyy(
    turbidity: float, elevation: Array, cos_sun: Array, sun_elevation: float
) -> tuple[Array, Array, Array]:
    """Luminance in cd/m2 and chromaticities x, y by [2]. elevation 0..pi/2 and cos_sun of one shape, radians."""
    height = np.maximum(np.sin(elevation), 0.01)  # the formula runs away at the very horizon
    angle = np.arccos(np.clip(cos_sun, -1.0, 1.0))
    out = []
    for zenith, rows in zip(preetham_zenith(turbidity, sun_elevation), PREETHAM_PEREZ, strict=True):
        a, b, c, d, e = rows @ np.array([turbidity, 1.0])

        def perez(
            height: Array | float,
            angle: Array | float,
            a: float = a,
            b: float = b,
            c: float = c,
            d: float = d,
            e: float = e,
        ) -> Array | float:
            round_sun = 1.0 + c * np.exp(d * angle) + e * np.cos(angle) ** 2
            return (1.0 + a * np.exp(b / height)) * round_sun

        out.append(np.asarray(zenith * perez(height, angle) / perez(1.0, math.pi / 2.0 - sun_elevation)))
    return out[0], out[1], out[2]


def preetham_caveat(turbidity: float, sun_elevation_deg: float) -> str:
    """One sentence where this formula is known to fail, else nothing.

    Zotti, Wilkie, Purgathofer, "A critical review of the Preetham skylight model", WSCG 2007.
    """
    if sun_elevation_deg < 0.0:
        return "Preetham's formula has no twilight: choose the atmosphere for a sun below the horizon."
    if turbidity < 2.0:
        return "Preetham's formula is too dark, even negative, below turbidity 2: choose 2 or more."
    if turbidity > 6.0:
        return "Preetham's formula was fitted to turbidities from 2 to 6: above, it is too bright at the horizon."
    if sun_elevation_deg < 20.0:
        return "Preetham's formula is up to three times too bright under a low sun and has no red horizon."
    return ""
