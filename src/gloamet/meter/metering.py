# SPDX-License-Identifier: Apache-2.0
"""Metering modes: by the light on visible surfaces, by an incident reading, by the luminance of pixels.

A picture in AP1 cd/m2 with what is seen in it, and the document's wishes enter; EV100 leaves. A reflected reading takes
what it reads for an 18 % card in the light of that EV, so that such a card is the same code under every way of
metering.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, AP1_TO_REC709
from gloamet.colour.views import DEFAULT_VIEW, GREY_CARD, VIEWS
from gloamet.meter.light import INCIDENT_C
from gloamet.meter.picture import (
    HIGHEST_EV,
    LOWEST_EV,
    SeenSurfaces,
    automatic_ev,
    limit_night_exposure,
)

Floats = NDArray[np.float32]
SPOT_RADIUS = 0.012  # of the picture's height: about a degree across at a normal focal length
CENTRE_SIGMA = 0.22  # of the picture's height: how far the centre's weight reaches
# The brightest fraction of pixels that an average leaves out: the sun's disc alone is worth a picture of them.
LEFT_OUT = 0.01
CLIPPED_CODE = 250.0 / 255.0  # from which a highlight counts as clipped
DARK_CD_M2 = 1e-6


class MeteringSettings(NamedTuple):
    """How to meter: mode (scene, incident, spot, centre, average, whites or manual), the manual EV100, the spot as
    fractions of width and height, the percent of pixels that may clip, and the view transform."""

    mode: str = "scene"
    ev: float = 14.0
    spot_x: float = 0.5
    spot_y: float = 0.5
    allowed_clipping: float = 0.5
    view: str = DEFAULT_VIEW


def card_ev(cd_m2: float) -> float:
    """Compute the EV in whose light an 18 % card has a luminance.

    L = 0.18 · E / π and E = 2.5 · 2^EV (ISO 2720, C = 250).

    Parameters
    ----------
    cd_m2 : float
        Luminance of the card, cd/m².

    Returns
    -------
    float
        EV at ISO 100.
    """
    lux = max(cd_m2, DARK_CD_M2) * math.pi / GREY_CARD
    return math.log2(lux * 100.0 / INCIDENT_C)


@lru_cache(maxsize=8)
def clipping_reflectance(view: str) -> float:
    """Scene light of a neutral, in reflectances, that a view shows as CLIPPED_CODE."""
    low, high = 0.05, 1000.0
    for _ in range(40):
        middle = math.sqrt(low * high)
        code = VIEWS[view].apply(np.full((1, 1, 3), middle, np.float32))[0, 0, 1]
        low, high = (low, middle) if code > CLIPPED_CODE else (middle, high)
    return low


def _clean(picture: Floats) -> Floats:
    return np.nan_to_num(picture, nan=0.0, posinf=1e9, neginf=0.0)


def _spot(picture: Floats, metering: MeteringSettings) -> float:
    height, width = picture.shape[:2]
    y, x = metering.spot_y * height, metering.spot_x * width
    r = max(1.0, SPOT_RADIUS * height)
    rows = slice(max(0, int(y - r)), min(height, int(y + r) + 1))
    columns = slice(max(0, int(x - r)), min(width, int(x + r) + 1))
    return card_ev(float((_clean(picture[rows, columns]) @ AP1_LUMINANCE).mean()))


def _centre(picture: Floats) -> float:
    height, width = picture.shape[:2]
    y = ((np.arange(height) + 0.5) / height - 0.5)[:, None]
    x = (((np.arange(width) + 0.5) / width - 0.5) * width / height)[None]
    weights = np.exp(-0.5 * (y * y + x * x) / CENTRE_SIGMA**2)
    return card_ev(float(np.average(_without_brightest(picture), weights=weights)))


def _without_brightest(picture: Floats) -> NDArray[np.float64]:
    """Luminances (H, W); the brightest fraction of them no brighter than the rest."""
    light = _clean(picture) @ AP1_LUMINANCE
    return np.minimum(light, np.quantile(light, 1.0 - LEFT_OUT))


def _whites(picture: Floats, metering: MeteringSettings) -> float:
    """The EV at which so many pixels have a channel that clips, and no more."""
    brightest = (_clean(picture) @ AP1_TO_REC709.T.astype(np.float32)).max(-1)
    level = max(float(np.quantile(brightest, 1.0 - metering.allowed_clipping / 100.0)), DARK_CD_M2)
    lux = level * math.pi / clipping_reflectance(metering.view)
    return math.log2(lux * 100.0 / INCIDENT_C)


def metered_ev(
    metering: MeteringSettings, picture: Floats, seen: SeenSurfaces, incident_ev: Callable[[], float]
) -> float:
    """Compute the EV of a metering mode, before compensation.

    Parameters
    ----------
    metering : MeteringSettings
        Mode, spot, allowed clipping, view and manual EV.
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    seen : SeenSurfaces
        Albedo and distances of what is seen.
    incident_ev : callable
        Gives the incident reading on horizontal ground; called only when needed.

    Returns
    -------
    float
        EV at ISO 100; where the incident reading is not finite, the scene meter replaces it.
    """
    way, ev = metering.mode, math.nan
    if way == "manual":
        return metering.ev
    if way == "incident":
        ev = incident_ev()
    elif way == "spot":
        ev = _spot(picture, metering)
    elif way == "centre":
        ev = _centre(picture)
    elif way == "average":
        ev = card_ev(float(_without_brightest(picture).mean()))
    elif way == "whites":
        ev = _whites(picture, metering)
    if math.isnan(ev):
        ev = limit_night_exposure(automatic_ev(picture, seen))
    return min(max(ev, LOWEST_EV), HIGHEST_EV)
