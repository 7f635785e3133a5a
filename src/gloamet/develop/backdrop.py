# SPDX-License-Identifier: Apache-2.0
"""The background of a developed picture in place of the sky: a colour, a gradient, or transparency.

A picture of light whose background is black and the transparency of each pixel, the fraction of it that sees past all
things, enter; light as of the things alone leaves, and the developed codes over the backdrop. Colours are mixed as
screen codes, as programs that lay one picture over another do it: a backdrop shows the colour that was chosen under
every exposure and view.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import linear_to_srgb

Floats = NDArray[np.float32]
Linear = tuple[float, float, float]
LEAST_COVER = 1e-3  # of a pixel: with less of a thing in it, it shows the backdrop alone
CHECKER_PX, CHECKER = 12, ((0.1, 0.1, 0.1), (0.16, 0.16, 0.16))  # that stands for nothing, linear


class Backdrop(NamedTuple):
    """Linear Rec.709 colours at the lower and the upper edge of the picture; None for nothing."""

    below: Linear | None
    above: Linear | None


NOTHING = Backdrop(None, None)


def unpremultiplied(picture: Floats, transparency: Floats) -> Floats:
    """Divide light by its coverage.

    Parameters
    ----------
    picture : ndarray
        Light of what covers each pixel, (H, W, 3).
    transparency : ndarray
        Uncovered fraction of each pixel, (H, W).

    Returns
    -------
    ndarray
        Light of the covering objects, (H, W, 3); black where nothing covers.
    """
    cover = 1.0 - transparency
    fraction = np.where(cover > LEAST_COVER, 1.0 / np.maximum(cover, LEAST_COVER), 0.0)
    return np.asarray(picture * fraction[..., None], np.float32)


def _codes(backdrop: Backdrop, height: int, width: int) -> Floats:
    """Screen codes 0..1 of the backdrop, (H, 1, 3), or (H, W, 3) of the checkerboard that means transparent."""
    if backdrop.below is None or backdrop.above is None:
        y, x = np.mgrid[0:height, 0:width] // CHECKER_PX
        return linear_to_srgb(np.array(CHECKER))[(x + y) % 2].astype(np.float32)
    up = (1.0 - (np.arange(height) + 0.5) / height)[:, None, None]
    below, above = (linear_to_srgb(np.array(c)) for c in (backdrop.below, backdrop.above))
    return (below + up * (above - below)).astype(np.float32)


def over_backdrop(codes: Floats, transparency: Floats, backdrop: Backdrop) -> Floats:
    """Composite developed codes over a backdrop.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1, (H, W, 3).
    transparency : ndarray
        Fraction of each pixel that shows the backdrop, (H, W).
    backdrop : Backdrop
        Colours of the backdrop.

    Returns
    -------
    ndarray
        Display codes 0 to 1, (H, W, 3).
    """
    behind = _codes(backdrop, *transparency.shape)
    return np.asarray(codes + np.clip(transparency, 0.0, 1.0)[..., None] * (behind - codes), np.float32)
