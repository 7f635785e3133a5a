# SPDX-License-Identifier: Apache-2.0
"""Names and neutral values that the document and developing share: points of a free curve, and the eight hue bands."""

from __future__ import annotations

CurvePoints = tuple[tuple[float, float], ...]
STRAIGHT: CurvePoints = ((0.0, 0.0), (1.0, 1.0))
HUE_BANDS = ("red", "orange", "yellow", "green", "cyan", "blue", "violet", "magenta")
