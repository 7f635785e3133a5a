"""What the desk tells of a panorama: its light on level ground, its sun, and what was taken out of it.

A `PanoramaLight` and the gains of the lights enter; a `PanoramaSolved` leaves.
"""

from __future__ import annotations

import numpy as np

from gloamet.colour.spaces import luminance
from gloamet.document.lights import Gains
from gloamet.output.document_to_panorama import PanoramaLight
from gloamet.preview.events import PanoramaSolved


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
        scale * float(luminance(prepared.lifted_level)),
        scale * float(luminance(prepared.lifted)),
        panorama.turn_deg,
        prepared.picture.clipped or (sun is not None and sun.clipped),
        prepared.picture.notes,
    )
