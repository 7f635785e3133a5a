# SPDX-License-Identifier: Apache-2.0
"""What masks are given on the desk: planes of a film, of a relit picture, and the same ones while nothing changes."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np

from gloamet.develop.links import Mask
from gloamet.light_layers import Gains
from gloamet.preview.mask_source import MaskSource
from gloamet.trace.film import Film


def film(sun: float) -> Film:
    made = Film(20, 10)
    made.layers["counts"][:] = 1.0
    made.layers["sun"][:], made.layers["sky"][:], made.layers["depth"][:] = sun, 1.0, 5.0
    return made


def masks(kind: str) -> tuple[Mask, ...]:
    return (Mask(kind=kind),)  # type: ignore[arg-type]


def test_nothing_is_made_for_masks_that_ask_for_nothing() -> None:
    source: Any = MaskSource(SimpleNamespace(depth=lambda: 1 / 0))  # type: ignore[arg-type]
    view: Any = SimpleNamespace()
    for kind in ("round", "gradient", "painted"):
        assert not any(
            plane is not None for plane in source.planes(masks(kind), film(1.0), Gains(), view)[:3]
        )


def test_distance_comes_from_the_film_and_from_the_cache_of_a_relit_picture() -> None:
    cached = np.full((5, 10), 9.0, np.float32)
    source: Any = MaskSource(SimpleNamespace(depth=lambda: cached))  # type: ignore[arg-type]
    view: Any = SimpleNamespace()
    assert (source.planes(masks("distance"), film(1.0), Gains(), view).depth == 5.0).all()
    assert source.planes(masks("distance"), None, Gains(), view).depth is cached


def test_the_suns_share_of_the_last_film_stays_for_relit_pictures() -> None:
    source: Any = MaskSource(SimpleNamespace(depth=lambda: 1 / 0))  # type: ignore[arg-type]
    view: Any = SimpleNamespace()
    assert source.planes(masks("sunlit"), None, Gains(), view).sun_fraction is None
    exposed = film(3.0)
    first = source.planes(masks("sunlit"), exposed, Gains(), view).sun_fraction
    assert np.allclose(first, 0.75)
    assert source.planes(masks("sunlit"), exposed, Gains(), view).sun_fraction is first
    assert source.planes(masks("shaded"), None, Gains(), view).sun_fraction is first
    exposed.layers["counts"][:], exposed.layers["sun"][:], exposed.layers["sky"][:] = 2.0, 2.0, 2.0
    assert np.allclose(source.planes(masks("sunlit"), exposed, Gains(), view).sun_fraction, 0.5)
