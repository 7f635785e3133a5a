# SPDX-License-Identifier: Apache-2.0
"""Light readings for the window: the meter under the fill, the physical values, and the panorama's.

A document, its sky and domes and its panorama enter; `LightSolved` and `PanoramaSolved` leave.
"""

from __future__ import annotations

import numpy as np

from gloamet.colour.balance import colour_tuple
from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.light_layers import Gains
from gloamet.meter.light import read_light
from gloamet.meter.ratio import NaturalRange
from gloamet.preview.events import LightSolved, PanoramaSolved
from gloamet.sky.dome import SkyDome
from gloamet.sky.sky_models import caveat
from gloamet.translation.document_to_light import SkyInputs
from gloamet.translation.document_to_panorama import PanoramaLight
from gloamet.translation.document_to_picture import gains_from_document


def panorama_solved(panorama: PanoramaLight, gains: Gains) -> PanoramaSolved:
    """The readout of a panorama under its gain."""
    gain = np.array(gains.panorama.direct) * float(panorama.lights)
    dome, prepared = panorama.dome, panorama.prepared
    scale = panorama.scale
    sun = prepared.sun
    return PanoramaSolved(
        float(luminance(gain * dome.sun_horizontal)),
        float(luminance(gain * dome.sky_horizontal)),
        panorama.sun_deg,
        None if sun is None else (sun.azimuth_deg, sun.elevation_deg),
        scale * float(luminance(prepared.removed_level)),
        panorama.rotation_deg,
        prepared.picture.clipped or (sun is not None and sun.clipped),
        prepared.picture.notes,
    )


def light_solved(
    document: Document,
    sky: SkyInputs,
    domes: tuple[SkyDome, SkyDome],
    panorama: PanoramaLight | None,
    band: NaturalRange | None,
) -> LightSolved:
    """The readout of a sky, physical and adjusted (domes), and of a panorama."""
    nature, dome = domes
    gains, plain = gains_from_document(document, colour_tuple(dome.sky_horizontal)), read_light(nature)
    second = None if panorama is None else panorama.lighting
    given = gains != Gains() or second is not None or dome.table is not nature.table
    moonlit = sky.moon is not None and abs(dome.sun_elevation_deg - sky.elevation_deg) > 0.01
    air = sky.air
    return LightSolved(
        read_light(dome, gains, second) if given else plain,
        plain,
        sky.azimuth_deg,
        sky.elevation_deg,
        air.visibility_km,
        float(air.linke_turbidity),
        air.aod550,
        caveat(sky.model, air, sky.elevation_deg),
        moonlit and sky.elevation_deg < 0.0 and dome.sun_elevation_deg > -1.0,
        colour_tuple(dome.sky_horizontal),
        band,
        None if panorama is None else panorama_solved(panorama, gains),
    )
