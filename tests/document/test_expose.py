# SPDX-License-Identifier: Apache-2.0
"""Curves that the document takes and refuses."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from gloamet.colour.curves import STRAIGHT
from gloamet.document.expose import ToneState


@pytest.mark.parametrize(
    "points",
    [
        ((0.0, 0.5), (1.0, 0.4)),
        ((0.0, 0.0), (0.5, 0.9), (0.5, 1.0), (1.0, 1.0)),
        ((0.1, 0.0), (1.0, 1.0)),
        ((0.0, 0.0), (1.0, 1.2)),
    ],
)
def test_a_curve_that_falls_or_leaves_its_square_is_refused(points: tuple[tuple[float, float], ...]) -> None:
    with pytest.raises(ValidationError):
        ToneState(curve=points)
    assert ToneState(curve=STRAIGHT).curve == STRAIGHT


def test_points_of_a_curve_stand_a_thousandth_apart_and_never_fall() -> None:
    ToneState(curve=((0.0, 0.0), (0.5, 0.4), (0.50105, 0.4), (1.0, 1.0)))
    for points in (
        ((0.0, 0.0), (0.5, 0.4), (0.5009, 0.4), (1.0, 1.0)),
        ((0.0, 0.5), (0.5, 0.4), (1.0, 1.0)),
        ((0.01, 0.0), (1.0, 1.0)),
        ((0.0, 0.0), (0.99, 1.0)),
        ((0.0, 0.0), (1.0, 1.01)),
    ):
        with pytest.raises(ValidationError):
            ToneState(curve=points)
