# SPDX-License-Identifier: Apache-2.0
"""Small pictures of what each light alone gives, before there is a traced picture."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.develop.settings import DevelopSettings
from gloamet.light_layers import Gains, even_gain, even_gains
from gloamet.preview.source_pictures import SOURCE_WIDTH, relit_source_pictures

SUN, SKY, LAMPS = 4000.0, 900.0, 150.0  # cd/m2


def pictures_of(present: list[str], gains: Gains, ev: float) -> dict[str, np.ndarray]:
    made = relit_source_pictures(lit, present, gains, DevelopSettings(ev))
    assert made is not None
    return made.pictures


def lit(gains: Gains) -> np.ndarray:
    """A flat picture under three lights."""
    parts = (SUN * gains.sun.direct[1], SKY * gains.sky.direct[1], LAMPS * gains.lamps.direct[1])
    return np.full((300, 1000, 3), sum(parts), np.float32)


@pytest.mark.parametrize("ev", [11.0, 14.0])
def test_each_light_is_shown_alone_under_its_own_gain_as_the_whole_is_exposed(ev: float) -> None:
    gains = even_gains(sun=0.5)._replace(sky=even_gain(2.0))
    pictures = pictures_of(["sun", "sky", "lamps"], gains, ev)
    codes = {name: int(pixels[5, 5, 1]) for name, pixels in pictures.items()}
    assert list(codes) == ["sun", "sky", "lamps"]
    assert codes["sun"] > codes["sky"] > codes["lamps"]  # 2000, 1800 and 150 cd/m2
    grey = pictures_of(["sun"], even_gains(sun=0.45), ev)["sun"]
    assert codes["sky"] == int(grey[5, 5, 1])  # 1800 cd/m2 too


def test_they_are_small() -> None:
    pictures = pictures_of(["sun"], Gains(), 14.0)
    assert pictures["sun"].shape[1] <= SOURCE_WIDTH and pictures["sun"].shape[0] == 300 // 8


def test_a_hand_that_moves_again_stops_them() -> None:
    assert relit_source_pictures(lit, ["sun", "sky"], Gains(), DevelopSettings(14.0), lambda: True) is None
