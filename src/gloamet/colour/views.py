# SPDX-License-Identifier: Apache-2.0
"""The view transforms, from scene light to screen colour, as one table: a view transform is a row.

Scene light (..., 3) enters as linear AP1 in reflectances under the metered light: 0.18 is a grey card, 1 a perfect
white diffuser. Display code values in 0..1 leave, for an sRGB screen. Every view shows the card as code 118 of 255
(common practice); the ACES renderings need a gain for that, found by solving their transform for it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_TO_REC709, linear_to_srgb
from gloamet.errors import GloametError

Floats = NDArray[np.float32]
REC709_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
# The film curve W x^n / (x^n + s): n is its slope on log axes at the toe, W what it would reach with endless light, and
# s puts the grey card where it is. Chosen by eye: slope 1.4 at grey, white some three stops above it.
FILM_SLOPE, FILM_WHITE, GREY_CARD = 1.7, 1.06, 0.18
FILM_SPEED = GREY_CARD**FILM_SLOPE * (FILM_WHITE / GREY_CARD - 1.0)
# Channels are drawn together before the curve and apart again after it, by these shares of their mean: bright colours
# go to white on a straight path instead of by way of the nearest primary.
FILM_INSET, FILM_OUTSET = 0.13, 0.07
BRIGHTEST = 1e6  # white long before
# Full names are pinned: "latest" aliases would change pictures with an update. (config, display, view)
_ACES_2 = (
    "ocio://cg-config-v4.0.0_aces-v2.0_ocio-v2.5",
    "sRGB - Display",
    "ACES 2.0 - SDR 100 nits (Rec.709)",
)
_ACES_1 = ("ocio://cg-config-v2.2.0_aces-v1.3_ocio-v2.4", "sRGB - Display", "ACES 1.0 - SDR Video")


def film_curve(x: NDArray[Any]) -> NDArray[Any]:
    """Display light of scene light: 0.18 stays 0.18, white is neared, never passed by more than FILM_WHITE."""
    raised = np.maximum(x, 0.0) ** FILM_SLOPE
    return np.asarray(FILM_WHITE * raised / (raised + FILM_SPEED))


def film(picture: Floats) -> Floats:
    """Apply the program's own film curve.

    A toe, a straight part and a long shoulder; colours outside the display gamut move towards grey of the same
    luminance.

    Parameters
    ----------
    picture : ndarray
        Linear AP1 light after exposure, (..., 3).

    Returns
    -------
    ndarray
        Display codes 0 to 1, (..., 3).
    """
    x = np.minimum(np.maximum(picture.astype(np.float32), 0.0), BRIGHTEST)
    mean = x.mean(-1, keepdims=True)
    y = film_curve(x + FILM_INSET * (mean - x))
    mean = y.mean(-1, keepdims=True)
    y = (y - FILM_OUTSET * mean) / (1.0 - FILM_OUTSET)
    display = y @ AP1_TO_REC709.T.astype(np.float32)
    grey = (display @ REC709_LUMINANCE.astype(np.float32))[..., None]
    lowest = display.min(-1, keepdims=True)
    inside = np.where(lowest < 0.0, grey / np.maximum(grey - lowest, 1e-9), 1.0)
    return np.asarray(linear_to_srgb(grey + (display - grey) * inside), np.float32)


def plain(picture: Floats) -> Floats:
    """The sRGB encoding alone: a white diffuser is just white, what is brighter is cut off."""
    return linear_to_srgb(picture @ AP1_TO_REC709.T.astype(np.float32)).astype(np.float32)


@lru_cache(maxsize=4)
def _processor(names: tuple[str, str, str]) -> Any:
    import PyOpenColorIO as ocio

    config_name, display, view = names
    try:
        config = ocio.Config.CreateFromFile(config_name)
        transform = ocio.DisplayViewTransform("ACEScg", display, view)
        return config.getProcessor(transform).getDefaultCPUProcessor()
    except ocio.Exception as error:
        raise GloametError(f"The view “{view}” is not available ({error}): choose another one.") from None


def _ocio(names: tuple[str, str, str], gain: float) -> Callable[[Floats], Floats]:
    def apply(picture: Floats) -> Floats:
        out = np.ascontiguousarray(picture * np.float32(gain), np.float32)
        _processor(names).applyRGB(out)
        return out

    return apply


class ViewTransform(NamedTuple):
    """A view transform: its name, what it is good for, scene light to code values, and whether it is the sRGB curve
    alone, which needs no table."""

    name: str
    description: str
    apply: Callable[[Floats], Floats]
    curve_alone: bool = False


VIEWS = {
    view.name: view
    for view in (
        ViewTransform(
            "film", "A film-like curve: sunlight bright, shade clear, highlights that roll off softly.", film
        ),
        ViewTransform("ACES 2.0", "The rendering of ACES 2.0 for an SDR screen.", _ocio(_ACES_2, 1.7245)),
        ViewTransform("ACES 1.3", "The rendering of ACES 1.3 for an SDR screen.", _ocio(_ACES_1, 1.4778)),
        ViewTransform(
            "plain sRGB", "No rendering: what is brighter than a white card is cut off.", plain, True
        ),
    )
}
DEFAULT_VIEW = "film"
