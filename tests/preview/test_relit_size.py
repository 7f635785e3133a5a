# SPDX-License-Identifier: Apache-2.0
"""The budget of a picture while a hand moves: what is left for relighting says how many pixels are relit."""

from __future__ import annotations

import pytest

from gloamet.preview.relit_size import RelitSize


def settled(speed: float, rest_s: float, pixels: int = 200_000) -> RelitSize:
    """After so many pictures that the first guess no longer counts."""
    size = RelitSize()
    for _ in range(200):
        size.relit(pixels, pixels / speed)
        size.shown(pixels / speed + rest_s)
    return size


def test_the_pixels_fill_what_the_rest_leaves_of_33_ms() -> None:
    assert settled(12e6, 0.013).pixels() == pytest.approx(240_000, rel=0.01)  # 20 ms at 12 million a second
    assert settled(12e6, 0.008).pixels() == pytest.approx(300_000, rel=0.01)


@pytest.mark.parametrize(("speed", "rest_s", "pixels"), [(1e5, 0.5, 160_000), (1e9, 0.0, 400_000)])
def test_the_slowest_and_the_fastest_machine_get_the_ends(speed: float, rest_s: float, pixels: int) -> None:
    assert settled(speed, rest_s).pixels() == pixels


def test_a_picture_that_was_not_relit_says_nothing_of_the_rest() -> None:
    size = settled(12e6, 0.013)
    for _ in range(100):
        size.shown(2.0)
    assert size.pixels() == pytest.approx(240_000, rel=0.01)
