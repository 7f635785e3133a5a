# SPDX-License-Identifier: Apache-2.0
"""Quality levels of the viewport: noise goal, bounces and size."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Quality:
    """noise is the relative error at which a place may stop (see `noise`); scale fractions of the full size."""

    noise: float
    bounces: int
    scale: float


QUALITIES = {
    "draft": Quality(0.08, 12, 0.5),
    "standard": Quality(0.03, 12, 1.0),
    "final": Quality(0.01, 32, 1.0),
}
FEWEST_SAMPLES = 8  # before this many the noise is not believed
