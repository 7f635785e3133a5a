# SPDX-License-Identifier: Apache-2.0
"""The scene meter: which pixels it reads, and what it does when there is little to read."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.meter.picture import (
    DUSK_EV,
    LOWEST_EV,
    NIGHT_EV,
    SeenSurfaces,
    automatic_ev,
    light_on_surfaces,
    limit_night_exposure,
)

CARD = 0.18


def ev_of(lux: float) -> float:
    return math.log2(lux / 2.5)  # ISO 2720, C = 250


def seen(height: int, width: int, albedo: float = CARD, depth: float = 5.0) -> SeenSurfaces:
    return SeenSurfaces(
        np.full((height, width, 3), albedo, np.float32), np.full((height, width), depth, np.float32)
    )


def lit(lux: np.ndarray, albedo: float = CARD) -> np.ndarray:
    return np.repeat((lux * albedo / math.pi)[..., None], 3, -1).astype(np.float32)


def test_sky_and_what_is_endlessly_far_are_not_read() -> None:
    lux = np.full((60, 80), 10_000.0)
    picture, surfaces = lit(lux), seen(60, 80)
    for depth in (0.0, 1e6):
        surfaces.depth[:20] = depth
        picture[:20] = 2000.0  # a sky darker than a white card
        assert automatic_ev(picture, surfaces) == pytest.approx(ev_of(10_000.0), abs=0.02)
    surfaces.depth[:] = 5.0
    assert automatic_ev(picture, surfaces) != pytest.approx(ev_of(10_000.0), abs=0.02)


def test_black_things_and_broken_pixels_are_not_read() -> None:
    picture, surfaces = lit(np.full((60, 80), 10_000.0)), seen(60, 80)
    surfaces.albedo[:10], picture[:10] = 0.02, 400.0  # gloss on tar reflects more than its colour
    picture[30, 40] = np.nan
    assert automatic_ev(picture, surfaces) == pytest.approx(ev_of(10_000.0), abs=0.02)


def test_with_hardly_a_surface_in_view_the_picture_is_read_as_grey() -> None:
    picture, surfaces = lit(np.full((60, 80), 4_000.0)), seen(60, 80, depth=0.0)
    assert automatic_ev(picture, surfaces) == pytest.approx(ev_of(4_000.0), abs=0.02)
    surfaces.depth[:1, :40] = 3.0  # forty pixels are not enough to go by
    picture[:1, :40] *= 30.0
    assert automatic_ev(picture, surfaces) < ev_of(4_000.0) + 0.5
    assert automatic_ev(np.zeros((60, 80, 3), np.float32), surfaces) == LOWEST_EV


def test_in_sun_and_shade_the_key_lies_between_and_nearer_to_the_sun() -> None:
    lux = np.full((60, 80), 8_000.0)
    lux[:, :30] = 80_000.0
    ev = automatic_ev(lit(lux), seen(60, 80))
    assert 0.5 * (ev_of(8_000.0) + ev_of(80_000.0)) < ev < ev_of(80_000.0)


@pytest.mark.parametrize(
    ("sky", "held"),
    # a sky may be a stop over white, and then holds back no more than 0.8; lamps and glints hold from white on
    [(True, (0.0, 0.0, math.log2(3.0) - 1.0, 0.8)), (False, (0.0, 1.0, math.log2(3.0), 1.6))],
)
def test_bright_parts_hold_the_exposure_back_but_not_for_ever(sky: bool, held: tuple[float, ...]) -> None:
    lux = np.full((60, 80), 10_000.0)
    plain, surfaces = lit(lux), seen(60, 80)
    if sky:
        surfaces.depth[:, :16] = 0.0  # a fifth of the picture is sky
    else:
        surfaces.albedo[:, :16] = 0.0  # or shines by itself: what falls on it is not read
    for times, stops in zip((0.5, 2.0, 3.0, 100.0), held, strict=True):
        picture = plain.copy()
        picture[:, :16] = times * 10_000.0 / math.pi  # so many times a white card
        assert automatic_ev(picture, surfaces) == pytest.approx(ev_of(10_000.0) + stops, abs=0.02)


def test_night_is_exposed_only_part_of_the_way() -> None:
    evs = np.linspace(-6.0, 14.0, 401)
    taken = np.array([limit_night_exposure(float(ev)) for ev in evs])
    slopes = np.diff(taken) / np.diff(evs)
    assert (taken >= evs - 1e-9).all() and (slopes > 0.5).all()  # never brighter than metered, never back
    assert np.abs(np.diff(taken)).max() < 0.06  # no step at dusk or night
    assert taken[evs > DUSK_EV] == pytest.approx(evs[evs > DUSK_EV])
    assert slopes[evs[:-1] < NIGHT_EV - 0.1].max() < 1.0


@pytest.mark.parametrize(("height", "width"), [(1, 7), (7, 1), (3, 5), (40, 30)])
def test_every_pixel_of_a_small_picture_is_read_once(height: int, width: int) -> None:
    lux = 1000.0 + np.arange(height * width, dtype=float).reshape(height, width)
    reading = light_on_surfaces(lit(lux), seen(height, width))
    assert reading.lux == pytest.approx(lux.ravel(), rel=1e-5)
    assert reading.cd_m2 == pytest.approx(lux.ravel() * CARD / math.pi, rel=1e-5)
    assert reading.surface.all()


def test_exposure_lies_a_quarter_of_the_way_nearer_to_the_sun_than_to_the_shade() -> None:
    lux = np.full((60, 80), 10_000.0)
    lux[:24] *= 2.0  # two fifths in the sun, a stop brighter
    # of the readings from the middle one to the last but five hundredths three quarters are the sun's
    ev = automatic_ev(lit(lux), seen(60, 80))
    assert ev == pytest.approx(ev_of(10_000.0) + 0.75 + 0.25, abs=0.02)
