# SPDX-License-Identifier: Apache-2.0
"""Inspection pictures: false colour in stops, clipping, and the coverage of a mask.

Light in AP1 cd/m2 or developed pixels (H, W, 4) enter; pixels of the same size leave.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.settings import DevelopSettings, exposure_scale
from gloamet.develop.tone import GREY_CARD

Floats = NDArray[np.float32]
Pixels = NDArray[np.uint8]
CLIPPED, CRUSHED = 250, 3  # codes from which a channel clips, and up to which all channels are black
CLIP_COLOUR, CRUSH_COLOUR, MASK_COLOUR = (201, 106, 82), (217, 199, 122), (240, 164, 92)
MASK_COVER = 0.6
WHITE_STOPS = math.log2(1.0 / GREY_CARD)


class Zone(NamedTuple):
    """A luminance zone: its upper limit in stops over a grey card, its colour, and its label."""

    up_to: float
    colour: tuple[int, int, int]
    label: str


# from cold and dark to warm and light, grey where the grey card is: each stop can be told from its neighbours
ZONES = (
    Zone(-7.0, (18, 16, 28), "black"),
    Zone(-6.0, (38, 30, 74), "−6"),
    Zone(-5.0, (46, 46, 112), "−5"),
    Zone(-4.0, (44, 72, 142), "−4"),
    Zone(-3.0, (44, 102, 158), "−3"),
    Zone(-2.0, (60, 134, 160), "−2"),
    Zone(-1.0, (96, 160, 158), "−1"),
    Zone(-0.25, (120, 150, 138), "−½"),
    Zone(0.25, (128, 128, 128), "grey card"),
    Zone(1.0, (160, 152, 116), "+1"),
    Zone(2.0, (192, 166, 94), "+2"),
    Zone(WHITE_STOPS, (226, 190, 98), "white card"),
    Zone(3.5, (240, 214, 150), "above white"),
    Zone(5.0, (236, 160, 92), "+5"),
    Zone(8.0, (218, 104, 70), "+8"),
    Zone(math.inf, (176, 44, 44), "sun, lamps"),
)


def stops_over_grey(picture: Floats, ev: float) -> Floats:
    """log2 of luminance over that of an 18 % card in the light that is exposed for, (H, W)."""
    light = np.nan_to_num(picture, nan=0.0, posinf=1e9, neginf=0.0) @ AP1_LUMINANCE.astype(np.float32)
    scaled = light * np.float32(exposure_scale(ev) / GREY_CARD)
    return np.asarray(np.log2(np.maximum(scaled, np.float32(2.0**-20))), np.float32)


def false_colour(picture: Floats, settings: DevelopSettings) -> Pixels:
    """Show the exposure zone of each pixel.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    settings : DevelopSettings
        How to develop.

    Returns
    -------
    ndarray
        Zone colours, 8-bit RGBX (H, W, 4), before all links but the exposure.
    """
    limits = np.array([zone.up_to for zone in ZONES[:-1]], np.float32)
    colours = np.array([(*zone.colour, 255) for zone in ZONES], np.uint8)
    return colours[np.searchsorted(limits, stops_over_grey(picture, settings.ev), side="right")]


def clipping(pixels: Pixels) -> Pixels:
    """Mark clipped and crushed pixels.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).

    Returns
    -------
    ndarray
        The pixels with marks, (H, W, 4).
    """
    out = pixels.copy()
    out[(pixels[..., :3] >= CLIPPED).any(-1), :3] = CLIP_COLOUR
    out[(pixels[..., :3] <= CRUSHED).all(-1), :3] = CRUSH_COLOUR
    return out


def fractions_at_the_ends(pixels: Pixels) -> tuple[float, float]:
    """Measure the fractions of clipped and of crushed pixels.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).

    Returns
    -------
    tuple of float
        Fractions 0 to 1: clipped, crushed.
    """
    clipped, crushed = (pixels[..., :3] >= CLIPPED).any(-1), (pixels[..., :3] <= CRUSHED).all(-1)
    return float(clipped.mean()), float(crushed.mean())


def mask_overlay(pixels: Pixels, weights: Floats) -> Pixels:
    """Overlay a mask on developed pixels.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).
    weights : ndarray
        Weight of the mask 0 to 1, (H, W).

    Returns
    -------
    ndarray
        Pixels with the mask colour, (H, W, 4).
    """
    out = pixels.copy()
    cover = (MASK_COVER * weights)[..., None].astype(np.float32)
    mixed = pixels[..., :3] + cover * (np.array(MASK_COLOUR, np.float32) - pixels[..., :3])
    out[..., :3] = np.round(mixed)
    return out
