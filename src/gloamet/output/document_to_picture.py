"""From a document to what balances and develops a picture: gains of the lights, exposure, and how it is developed.

A document, and for the exposure a picture, enter. It needs no kernel.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.backdrop import NOTHING, Backdrop
from gloamet.develop.exact import DevelopSettings
from gloamet.document.lights import LIGHTS, Gains
from gloamet.document.model import Document
from gloamet.meter.picture import SeenSurfaces, automatic_ev, limit_night_exposure

Floats = NDArray[np.float32]


def gains_from_document(document: Document) -> Gains:
    """Factors of the lights."""
    return Gains(*(2.0 ** getattr(document.fill, light.gain_field) for light in LIGHTS))


def backdrop_from_document(document: Document) -> Backdrop | None:
    """What stands behind the scene, None for the sky."""
    sky = document.sky
    plain = Backdrop(sky.backdrop_colour, sky.backdrop_colour)
    gradient = Backdrop(sky.backdrop_colour, sky.backdrop_above)
    return {"sky": None, "colour": plain, "gradient": gradient, "none": NOTHING}[sky.backdrop]


class Exposure(NamedTuple):
    """EV100 that a picture is developed with, and what the scene meter says of it."""

    ev: float
    metered_ev: float


def exposure_from_document(document: Document, picture: Floats, seen: SeenSurfaces) -> Exposure:
    """By the scene meter or by hand, as the document says."""
    e, metered = document.expose, automatic_ev(picture, seen)
    return Exposure(limit_night_exposure(metered) - e.compensation if e.automatic else e.ev, metered)


def develop_settings(document: Document, ev: float) -> DevelopSettings:
    """How the document develops."""
    e = document.expose
    return DevelopSettings(ev, e.kelvin, e.tint, e.view)
