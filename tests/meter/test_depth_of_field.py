# SPDX-License-Identifier: Apache-2.0
"""The sharp range of a lens against the formula of a handbook and its limits."""

from __future__ import annotations

import math

import pytest

from gloamet.meter.depth_of_field import sharp_range


@pytest.mark.proof(
    "Depth of field", source="hyperfocal distance of the thin lens, f²/(N c) + f", kind="physics"
)
def test_focused_at_the_hyperfocal_distance_all_from_its_half_is_sharp() -> None:
    fov = math.degrees(2.0 * math.atan(12.0 / 50.0))
    _, _, blur = sharp_range(8.0, 3.0, fov)
    # a 1500th of the diagonal of 24 x 36 mm: common practice
    assert blur == pytest.approx(math.hypot(24.0, 36.0) / 1500.0, rel=1e-3)
    hyperfocal_m = (50.0**2 / (8.0 * blur) + 50.0) / 1000.0
    near, far, _ = sharp_range(8.0, hyperfocal_m * 1.0001, fov)
    assert near == pytest.approx(0.5 * hyperfocal_m, rel=0.01)
    assert far == math.inf


def test_a_wider_aperture_is_sharp_less_deep_and_the_focus_lies_inside() -> None:
    deep, shallow = sharp_range(11.0, 4.0, 30.0), sharp_range(2.0, 4.0, 30.0)
    assert deep[0] < shallow[0] < 4.0 < shallow[1] < deep[1]
