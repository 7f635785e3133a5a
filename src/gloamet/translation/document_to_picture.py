"""From a document to what balances and develops a picture: gains of the lights, exposure, and how it is developed.

A document, and for the exposure a picture, enter. It needs no kernel.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import colour_tuple, saturation_gain, tint_gain, warmth_gain
from gloamet.develop.backdrop import NOTHING, Backdrop
from gloamet.develop.settings import DevelopSettings
from gloamet.document.fill import FillState
from gloamet.document.model import Document
from gloamet.light_layers import EVEN, LIGHTS, Colour, Gain, Gains, LightLayer, even_gain
from gloamet.meter.metering import metered_ev
from gloamet.meter.picture import HIGHEST_EV, LOWEST_EV, SeenSurfaces

Floats = NDArray[np.float32]


def gain_of_light(fill: FillState, light: LightLayer, sky_colour: Colour) -> Gain:
    """What the fill makes of one light; sky_colour (AP1) is that of the sky's light, whose saturation is a factor."""
    if not getattr(fill, light.field("on")) or fill.solo not in ("", light.name):
        return even_gain(0.0)
    colour = warmth_gain(getattr(fill, light.field("mired")))
    colour = colour * tint_gain(
        getattr(fill, light.field("tint")), getattr(fill, light.field("tint_strength"))
    )
    if light.name == "sky":
        colour = colour * saturation_gain(sky_colour, fill.sky_saturation)
    direct = colour * 2.0 ** getattr(fill, light.field("stops"))
    indirect = direct * 2.0 ** getattr(fill, light.field("indirect_stops"))
    return Gain(colour_tuple(direct), colour_tuple(indirect))


def gains_from_document(document: Document, sky_colour: Colour = EVEN) -> Gains:
    """Factors of the lights per AP1 channel. sky_colour is that of the sky's light on level ground, of any brightness;
    without it the saturation of the sky fill is left as it is, which is enough where only brightness matters."""
    return Gains(*(gain_of_light(document.fill, light, sky_colour) for light in LIGHTS))


def backdrop_from_document(document: Document) -> Backdrop | None:
    """What stands behind the scene, None for the sky."""
    sky = document.sky
    plain = Backdrop(sky.backdrop_colour, sky.backdrop_colour)
    gradient = Backdrop(sky.backdrop_colour, sky.backdrop_top_colour)
    return {"sky": None, "colour": plain, "gradient": gradient, "none": NOTHING}[sky.backdrop]


class Exposure(NamedTuple):
    """EV100 that a picture is developed with, and what the document's way of metering asks for, compensation
    included."""

    ev: float
    metered_ev: float


def exposure_from_document(
    document: Document,
    picture: Floats,
    seen: SeenSurfaces,
    incident_ev: Callable[[], float],
    held_ev: float | None = None,
) -> Exposure:
    """By the meter or by hand, as the document says; an exposure that is held stays where it was while it is automatic.

    incident_ev gives what a meter on level ground reads, for a document that is metered so.
    """
    e = document.expose
    asked = metered_ev(e, picture, seen, incident_ev)
    if not e.automatic:
        return Exposure(e.ev, asked)
    asked = min(max(asked - e.compensation, LOWEST_EV), HIGHEST_EV)
    return Exposure(asked if held_ev is None else held_ev, asked)


def develop_settings(document: Document, ev: float) -> DevelopSettings:
    """How the document develops."""
    e = document.expose
    return DevelopSettings(
        ev,
        e.kelvin,
        e.tint,
        e.view,
        balanced=e.balance,
        warmth_kept=e.warmth_kept,
        glare=e.glare,
        masks=e.masks,
        tone=e.tone,
        colour=e.colour,
        lens=e.lens,
    )
