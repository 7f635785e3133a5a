# SPDX-License-Identifier: Apache-2.0
"""Gains, exposure and developing settings of a document.

A document, and for the exposure a picture, enter. It needs no kernel.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import colour_tuple, saturation_gain, tint_gain, warmth_gain
from gloamet.develop.backdrop import NOTHING, Backdrop
from gloamet.develop.links import HueBand, Links, Mask
from gloamet.develop.settings import DevelopSettings
from gloamet.document.expose import ExposeState, MaskState
from gloamet.document.field_types import DocumentModel
from gloamet.document.fill import FillState
from gloamet.document.model import Document
from gloamet.light_layers import EVEN, LIGHTS, Colour, Gain, Gains, LightLayer, even_gain
from gloamet.meter.metering import MeteringSettings, metered_ev
from gloamet.meter.picture import HIGHEST_EV, LOWEST_EV, SeenSurfaces

Floats = NDArray[np.float32]
NEUTRAL = Links()


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
    """Make the gains of the lights.

    Parameters
    ----------
    document : Document
        The document.
    sky_colour : Colour, optional
        Colour of the sky's light on horizontal ground, AP1, any brightness; grey leaves the saturation of the
        fill out.

    Returns
    -------
    Gains
        Gains per AP1 channel.
    """
    return Gains(*(gain_of_light(document.fill, light, sky_colour) for light in LIGHTS))


def backdrop_from_document(document: Document) -> Backdrop | None:
    """Make the backdrop of a document.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    Backdrop or None
        The backdrop; None for the sky.
    """
    sky = document.sky
    plain = Backdrop(sky.backdrop_colour, sky.backdrop_colour)
    gradient = Backdrop(sky.backdrop_colour, sky.backdrop_top_colour)
    return {"sky": None, "colour": plain, "gradient": gradient, "none": NOTHING}[sky.backdrop]


class Exposure(NamedTuple):
    """EV100 of a picture, and the EV that the metering gives, compensation included."""

    ev: float
    metered_ev: float


def exposure_from_document(
    document: Document,
    picture: Floats,
    seen: SeenSurfaces,
    incident_ev: Callable[[], float],
    held_ev: float | None = None,
) -> Exposure:
    """Compute the exposure of a document.

    Parameters
    ----------
    document : Document
        The document.
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    seen : SeenSurfaces
        Albedo and distances of what is seen.
    incident_ev : callable
        Gives the incident reading on horizontal ground; called only when needed.
    held_ev : float or None, optional
        EV to keep while the exposure is automatic; None meters again.

    Returns
    -------
    Exposure
        Used and metered EV.
    """
    e = document.expose
    asked = metered_ev(
        metering_settings(e),
        picture,
        seen,
        incident_ev,
    )
    if not e.automatic:
        return Exposure(e.ev, asked)
    asked = min(max(asked - e.compensation, LOWEST_EV), HIGHEST_EV)
    return Exposure(asked if held_ev is None else held_ev, asked)


def metering_settings(expose: ExposeState) -> MeteringSettings:
    """Make the metering settings of a document.

    Parameters
    ----------
    expose : ExposeState
        Fields of the Expose step.

    Returns
    -------
    MeteringSettings
        The settings.
    """
    return MeteringSettings(
        expose.metering, expose.ev, expose.spot_x, expose.spot_y, expose.allowed_clipping, expose.view
    )


# a drag changes one link: those of the others are the same objects, and what was made by them is found again
@lru_cache(maxsize=64)
def _link(name: str, state: DocumentModel) -> Any:
    """The link of a name in `Links`, with the fields of the document's."""
    values = dict(state)
    if name == "colour":
        values["bands"] = tuple(HueBand(**dict(band)) for band in values["bands"])
    return type(getattr(NEUTRAL, name))(**values)


@lru_cache(maxsize=32)
def _mask(state: MaskState) -> Mask:
    return Mask(**dict(state))


def masks_from_document(document: Document) -> tuple[Mask, ...]:
    """Make the masks of a document.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    tuple of Mask
        The masks, in their order.
    """
    return tuple(_mask(state) for state in document.expose.masks)


def develop_settings(document: Document, ev: float) -> DevelopSettings:
    """Make the developing settings of a document.

    Parameters
    ----------
    document : Document
        The document.
    ev : float
        Exposure value at ISO 100.

    Returns
    -------
    DevelopSettings
        The settings.
    """
    e = document.expose
    links = {
        link.name: _link(link.name, getattr(e, link.name)) for link in fields(Links) if link.name != "masks"
    }
    return DevelopSettings(
        ev,
        e.kelvin,
        e.tint,
        e.view,
        balanced=e.balance,
        warmth_kept=e.warmth_kept,
        masks=masks_from_document(document),
        **links,
    )
