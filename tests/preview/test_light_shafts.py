# SPDX-License-Identifier: Apache-2.0
"""Light shafts in the viewport: films that follow one another."""

from __future__ import annotations

import numpy as np

from gloamet.light_layers import UNIT_GAINS
from gloamet.preview.light_shafts import LightShaftPreview
from gloamet.trace.light_shafts import LightShaftFilm


def lit_film(light: float) -> LightShaftFilm:
    """A film of 16 × 12 pixels with one sample of even light."""
    film = LightShaftFilm(16, 12)
    film.layers.counts[:] = 1.0
    film.layers.sun[:] = light
    return film


def test_a_second_film_of_one_size_replaces_the_denoised_light_of_the_first() -> None:
    # two films of one size: an exposure that eases asks for the picture many times while films are replaced
    preview, dark = LightShaftPreview(), np.zeros((12, 16, 3), np.float32)
    means = []
    for light in (3.0, 6.0):
        preview._film = lit_film(light)
        means += [preview.over(dark, UNIT_GAINS, lambda: False).mean() for _ in range(2)]
    assert means[0] == means[1] > 0.0
    np.testing.assert_allclose(means[2:], 2.0 * np.array(means[:2]), rtol=0.02)
