# SPDX-License-Identifier: Apache-2.0
"""Lens and film: corners, lines, fringes, sharpness and grain."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import map_coordinates

from gloamet.develop.lens import bend, finish, finish_pixels, parts_that_act, vignette_gain
from gloamet.develop.links import Lens

SHAPE = (120, 200)


def dot(y: int, x: int) -> np.ndarray:
    picture = np.zeros((*SHAPE, 3), np.float32)
    picture[y, x] = 1.0
    return picture


def centre_of(plane: np.ndarray) -> tuple[float, float]:
    y, x = np.mgrid[0 : plane.shape[0], 0 : plane.shape[1]]
    return float((plane * y).sum() / plane.sum()), float((plane * x).sum() / plane.sum())


def test_corners_are_darker_by_the_stops_and_the_middle_is_not() -> None:
    gain = vignette_gain(SHAPE, 2.0)
    assert gain[60, 100] == pytest.approx(1.0, abs=1e-3)
    assert np.log2(gain[0, 0]) == pytest.approx(-2.0, abs=0.05)
    assert vignette_gain(SHAPE, -1.0)[0, 0] == pytest.approx(2.0, rel=0.03)


@pytest.mark.proof("Vignetting follows cos⁴", source="the cos⁴ law of a thin lens", kind="physics")
def test_the_vignette_follows_the_law_of_cos4() -> None:
    gain = vignette_gain((400, 400), 2.0)
    # two stops in the corner: cos⁴ = 1/4 there, so tan² = 1; at half the radius tan² = 1/4
    assert gain[100, 100] == pytest.approx(np.cos(np.arctan(0.5)) ** 4, rel=0.01)


def test_a_barrel_draws_far_places_inwards_and_keeps_corners_and_middle() -> None:
    picture = dot(60, 160)
    barrel, cushion = (centre_of(bend(picture, Lens(distortion=d))[..., 1]) for d in (10.0, -10.0))
    # scaled to fill the picture: the middle of a barrel is larger
    r = 60.0 / (0.5 * np.hypot(*SHAPE))
    moved = {name: (c[1] - 99.5) / 60.5 for name, c in (("barrel", barrel), ("cushion", cushion))}
    # the place shown at r' is r' (1 + k r'²) / (1 + max(k, 0)): solved here by hand for where the dot is shown
    for name, k in (("barrel", 0.1), ("cushion", -0.1)):
        shown = r
        for _ in range(60):
            shown = r * (1.0 + max(k, 0.0)) / (1.0 + k * shown**2)
        assert moved[name] == pytest.approx(shown / r, rel=0.02)
    assert bend(dot(60, 100), Lens(distortion=10.0))[60, 100, 1] > 0.9


@pytest.mark.proof("A picture with lens distortion", source="SciPy's map_coordinates", kind="library")
@pytest.mark.parametrize(("distortion", "fringe"), [(8.0, 0.0), (-8.0, 4.0), (0.0, 4.0)])
def test_a_bent_picture_is_the_straight_one_read_between_its_pixels(distortion: float, fringe: float) -> None:
    picture = np.random.default_rng(3).random((*SHAPE, 3), np.float32)
    out = bend(picture, Lens(distortion=distortion, fringe=fringe))
    y, x = (np.arange(n) + 0.5 - 0.5 * n for n in SHAPE)
    square = (y[:, None] ** 2 + x[None, :] ** 2) / (0.25 * (SHAPE[0] ** 2 + SHAPE[1] ** 2))
    for c, larger in enumerate((-0.5, 0.0, 0.5)):  # red is drawn from nearer the middle, so it shows larger
        scale = (1.0 + larger * fringe / 1000.0) / (1.0 + max(distortion, 0.0) / 100.0)
        factor = scale * (1.0 + distortion / 100.0 * square)
        positions = [y[:, None] * factor + 0.5 * SHAPE[0] - 0.5, x[None, :] * factor + 0.5 * SHAPE[1] - 0.5]
        expected = map_coordinates(picture[..., c], positions, order=1, mode="nearest")
        assert out[..., c] == pytest.approx(
            expected, abs=1e-4
        )  # places in float32: 1e-5 of a pixel at column 200


def test_a_fringe_parts_red_from_blue_along_the_radius() -> None:
    picture = np.zeros((400, 600, 3), np.float32)
    picture[198:203, 560:565] = 1.0
    out = bend(picture, Lens(fringe=5.0))
    red, green, blue = (centre_of(out[..., c])[1] for c in range(3))
    # five thousandths of 262 pixels from the centre
    assert red - blue == pytest.approx(0.005 * 262.0, rel=0.2)
    assert green == pytest.approx(0.5 * (red + blue), abs=0.1)
    assert bend(picture, Lens(fringe=0.0, distortion=0.0)) == pytest.approx(picture)


def test_sharpness_steepens_an_edge_and_leaves_even_places() -> None:
    codes = np.full((60, 80, 3), 0.3, np.float32)
    codes[:, 40:] = 0.6
    out = finish(codes, Lens(sharpness=1.0))
    assert out[30, 40, 0] > 0.6 + 0.02
    assert out[30, 39, 0] < 0.3 - 0.02
    assert out[30, 10] == pytest.approx([0.3] * 3, abs=1e-4)


def test_grain_is_strongest_in_the_middle_tones_has_no_colour_and_stays() -> None:
    spread = []
    for level in (0.02, 0.5, 0.98):
        codes = np.full((200, 300, 3), level, np.float32)
        out = finish(codes, Lens(grain=0.5))
        spread.append(float(out[..., 0].std()))
        assert np.ptp(out, axis=-1).max() < 1e-6
        assert (out == finish(codes, Lens(grain=0.5))).all()
    assert spread[1] > 5.0 * spread[0]
    assert spread[1] > 5.0 * spread[2]


def test_larger_grains_are_rounder_than_a_pixel() -> None:
    codes = np.full((400, 400, 3), 0.5, np.float32)

    def likeness(size: float) -> float:
        noise = finish(codes, Lens(grain=0.5, grain_size=size))[..., 0] - 0.5
        return float((noise[:, 1:] * noise[:, :-1]).mean() / (noise**2).mean())

    assert abs(likeness(0.1)) < 0.05
    assert likeness(1.0) > 0.6


def test_pixels_are_finished_as_codes_are() -> None:
    codes = np.random.default_rng(4).integers(0, 256, (40, 60, 3)).astype(np.uint8)
    packed = np.full((40, 60, 4), 255, np.uint8)
    packed[..., :3] = codes
    words = packed.view(np.uint32)[..., 0]
    lens = Lens(sharpness=0.4, grain=0.3)
    finish_pixels(words, lens)
    exact = 255.0 * finish(codes.astype(np.float32) / np.float32(255.0), lens)
    assert np.abs(words.view(np.uint8).reshape(40, 60, 4)[..., :3] - exact).max() <= 0.51


def test_a_lens_that_is_off_or_neutral_does_nothing() -> None:
    for lens in (
        Lens(),
        Lens(on=False, vignette=1.0, grain=1.0),
        Lens(strength=0.0, distortion=5.0),
    ):
        assert not any(parts_that_act(lens))


def test_a_picture_stored_column_by_column_is_bent_alike() -> None:
    picture = np.random.default_rng(4).random((*SHAPE, 3), np.float32)
    lens = Lens(distortion=4.0)
    assert (bend(np.asfortranarray(picture), lens) == bend(picture, lens)).all()
