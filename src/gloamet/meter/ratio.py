# SPDX-License-Identifier: Apache-2.0
"""Key to fill: the ratio of sunlit to shaded illuminance, and the gains that reach a ratio.

Illuminances and stops enter and leave. The ratio is log2(key / fill) on horizontal ground, in stops, where key is the
light that draws shadows and fill all that softens them; the lit side gets both.
"""

from __future__ import annotations

import math
from typing import NamedTuple


class StartingPoint(NamedTuple):
    """A starting ratio: its label, stops, and the reason (common practice)."""

    word: str
    stops: float
    reason: str


STARTING_POINTS = (
    StartingPoint(
        "on white", 1.5, "A product on white: shade open enough that nothing is lost, 1 to 2 stops."
    ),
    StartingPoint("clear day", 2.5, "A building in clear sun, as the eye knows it: 2 to 3 stops."),
    StartingPoint("dramatic", 4.5, "Little fill: forms by their edges alone, 4 to 5 stops."),
)
WIDE_DEG = 0.5  # of sun elevations that share a band


class NaturalRange(NamedTuple):
    """Lowest and highest physical ratio, in stops."""

    low: float
    high: float

    def off(self, stops: float) -> float:
        """Distance of a ratio from the range, in stops; negative below."""
        return min(0.0, stops - self.low) + max(0.0, stops - self.high)


def key_to_fill(key_lx: float, fill_lx: float) -> float:
    """Compute the key-to-fill ratio.

    Parameters
    ----------
    key_lx : float
        Illuminance of the key, lux.
    fill_lx : float
        Illuminance of the fill, lux.

    Returns
    -------
    float
        Stops; −inf without key, inf without fill.

    Examples
    --------
    >>> key_to_fill(80_000.0, 10_000.0)
    3.0
    """
    if key_lx <= 0.0:
        return -math.inf
    return math.log2(key_lx / fill_lx) if fill_lx > 0.0 else math.inf


def change_of_fill(now: float, wanted: float) -> float:
    """Compute the change of the fill that reaches a key-to-fill ratio.

    Parameters
    ----------
    now : float
        Present ratio, stops.
    wanted : float
        Wanted ratio, stops.

    Returns
    -------
    float
        Stops to add to the fill; the negative for the key.

    Examples
    --------
    >>> change_of_fill(3.0, 2.0)
    1.0
    """
    return now - wanted


def change_of_lit_side(now: float, wanted: float, moves_key: bool = False) -> float:
    """Compute the change of the lit side when the ratio changes.

    Parameters
    ----------
    now : float
        Present ratio, stops.
    wanted : float
        Wanted ratio, stops.
    moves_key : bool, optional
        Whether the key changes instead of the fill.

    Returns
    -------
    float
        Stops by which key and fill together become brighter.

    Examples
    --------
    >>> round(change_of_lit_side(3.0, 3.0), 6)
    0.0
    """
    before, after = 1.0 + 2.0**-now, 1.0 + 2.0**-wanted  # lit side over key
    change = math.log2(after / before)
    return change + (wanted - now if moves_key else 0.0)
