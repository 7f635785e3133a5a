# SPDX-License-Identifier: Apache-2.0
"""Depth of field: near and far limit for an aperture, a focus distance and a field of view.

The frame is 24 mm high and what is blurred by less than a thousandth and a half of its height is sharp: common
practice. Thin lens.
"""

from __future__ import annotations

import math

from gloamet.stage.assembly import FILM_HEIGHT_MM, focal_mm

CONFUSION = 1.0 / 1500.0 * (43.27 / 24.0)  # of the frame's height: a 1500th of its diagonal (common practice)


def sharp_range(f_number: float, focus_m: float, fov_deg: float) -> tuple[float, float, float]:
    """Compute the depth of field.

    Parameters
    ----------
    f_number : float
        Aperture.
    focus_m : float
        Focus distance, metres.
    fov_deg : float
        Vertical field of view, degrees.

    Returns
    -------
    tuple of float
        Near and far limit in metres (infinite beyond the hyperfocal distance), and the circle of confusion in
        millimetres.
    """
    blur = CONFUSION * FILM_HEIGHT_MM
    f = focal_mm(fov_deg)
    hyperfocal = f * f / (f_number * blur) + f
    s = 1000.0 * focus_m
    near = s * (hyperfocal - f) / (hyperfocal + s - 2.0 * f)
    far = s * (hyperfocal - f) / (hyperfocal - s) if s < hyperfocal else math.inf
    return near / 1000.0, far / 1000.0, blur
