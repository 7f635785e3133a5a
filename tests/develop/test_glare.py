# SPDX-License-Identifier: Apache-2.0
"""Glare of the lens: energy, the law of its veil, the rays of its star, and nothing while it is neutral."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import D60_WHITE
from gloamet.develop.glare import WAVELENGTHS_NM, glare_picture, star_kernel
from gloamet.develop.links import Glare

BRIGHT = 1000.0


def spot(
    height: int = 240, width: int = 320, colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
) -> np.ndarray:
    picture = np.zeros((height, width, 3), np.float32)
    picture[height // 2, width // 2] = BRIGHT * np.array(colour)
    return picture


def test_without_glare_the_picture_is_the_very_one() -> None:
    picture = spot()
    assert glare_picture(picture, Glare()) is picture
    assert glare_picture(picture, Glare(on=False, veiling_glare=5.0)) is picture
    assert glare_picture(picture, Glare(strength=0.0, glow=50.0)) is picture


@pytest.mark.parametrize(
    "glare",
    [Glare(glow=40.0, glow_size=2.0), Glare(flare=3.0), Glare(glow=20.0, flare=1.0)],
)
def test_light_that_stays_in_the_picture_is_kept(glare: Glare) -> None:
    # the light in the middle: the glow's foot and the ghosts of a spot there lie inside
    before, after = spot(), glare_picture(spot(), glare)
    assert after.sum(dtype=float) == pytest.approx(before.sum(dtype=float), rel=0.005)
    assert after[120, 160, 0] < before[120, 160, 0]
    assert after.min() >= 0.0


def test_a_veil_takes_its_share_and_loses_only_what_leaves_the_picture() -> None:
    after = glare_picture(spot(), Glare(veiling_glare=10.0))
    assert after[120, 160, 0] == pytest.approx(0.9 * BRIGHT, rel=0.02)
    assert 0.95 * BRIGHT < after[..., 0].sum(dtype=float) <= BRIGHT * 1.001


def test_a_star_takes_its_share_of_the_point_and_lays_it_along_its_rays() -> None:
    after = glare_picture(spot(), Glare(starburst=10.0))
    core = star_kernel((480, 560), 240, Glare())[0, 0, 0]  # of that share the middle keeps this
    assert after[120, 160, 0] == pytest.approx(BRIGHT * (0.9 + 0.1 * core), rel=0.01)
    assert after.sum(dtype=float) == pytest.approx(3.0 * BRIGHT, rel=0.02)  # but for what leaves the picture


@pytest.mark.proof(
    "Veiling glare falls with the square of the angle", source="Stiles–Holladay; CIE 146", kind="published"
)
def test_the_veil_falls_with_the_square_of_the_distance() -> None:
    after = glare_picture(spot(480, 640), Glare(veiling_glare=10.0))[..., 1]
    near, far = after[240, 320 + 40], after[240, 320 + 160]
    assert near / far == pytest.approx(
        16.0, rel=0.1
    )  # four times as far away; the core rounds the nearest off


def test_strength_scales_what_is_scattered() -> None:
    whole, half = (glare_picture(spot(), Glare(veiling_glare=8.0, strength=s))[10, 10, 0] for s in (1.0, 0.5))
    assert half == pytest.approx(0.5 * whole, rel=1e-4)


def test_only_light_above_the_threshold_glows() -> None:
    dim, glare = np.full((60, 80, 3), 0.9, np.float32), Glare(glow=50.0, glow_threshold=0.5)
    assert glare_picture(dim, glare) == pytest.approx(dim, abs=1e-5)
    bright = dim.copy()
    bright[30, 40] = 50.0
    glowing = glare_picture(bright, glare)
    assert glowing[30, 44, 0] > 0.9 + 0.01


def test_a_wider_glow_reaches_farther() -> None:
    wide, narrow = (
        glare_picture(spot(), Glare(glow=30.0, glow_size=s))[120, 160 + 24, 0] for s in (15.0, 2.0)
    )
    assert wide > 2.0 * narrow


@pytest.mark.proof(
    "An aperture of n blades gives a starburst of n rays, 2 n for odd n",
    source="Fraunhofer diffraction at straight edges",
    kind="physics",
)
@pytest.mark.parametrize(("blades", "rays"), [(6, 6), (8, 8), (5, 10), (7, 14)])
def test_the_star_has_as_many_rays_as_the_blades_say(blades: int, rays: int) -> None:
    n, radius = 360, 40
    kernel = np.fft.fftshift(
        star_kernel((n, n), n // 2, Glare(starburst=1.0, blades=blades, starburst_rotation_deg=7.0))[1]
    )
    angle = np.linspace(0.0, 2.0 * np.pi, 1440, endpoint=False)
    rows = np.round(n / 2 - radius * np.sin(angle)).astype(int)
    columns = np.round(n / 2 + radius * np.cos(angle)).astype(int)
    on_circle = kernel[rows, columns]
    bright = on_circle > 0.3 * on_circle.max()
    assert int((bright & ~np.roll(bright, 1)).sum()) == rays


def test_red_is_bent_farther_than_blue_and_no_light_is_lost() -> None:
    kernel = star_kernel((360, 360), 180, Glare(starburst=1.0))
    assert kernel.sum((1, 2)) == pytest.approx([1.0, 1.0, 1.0])
    core = kernel[:, 0, 0]
    assert core[0] < core[1] < core[2]


def test_a_channel_spreads_as_far_as_the_hue_of_its_primary_is_long_in_waves() -> None:
    import colour

    primaries = colour.RGB_COLOURSPACES["ACEScg"].primaries
    waves = [float(colour.dominant_wavelength(xy, D60_WHITE)[0]) for xy in primaries]
    # these primaries are no spectral colours: a channel stands for a band about the wave of its hue
    assert pytest.approx(waves, rel=0.05) == WAVELENGTHS_NM


def test_the_flare_of_a_lamp_lies_across_the_centre() -> None:
    picture = np.zeros((240, 320, 3), np.float32)
    picture[60, 80] = BRIGHT  # up and to the left
    added = glare_picture(picture, Glare(flare=3.0))[..., 1]
    added[60, 80] = 0.0
    y, x = np.unravel_index(np.argmax(added), added.shape)
    # mirrored through the centre
    assert y > 120 < 140 < x
    assert (y - 119.5) / (x - 159.5) == pytest.approx(60.0 / 80.0, rel=0.15)


def test_the_disc_of_the_sun_leaves_no_noise_in_deep_shade() -> None:
    picture = np.full((240, 320, 3), 0.004, np.float32)
    picture[40:48, 40:48] = 6e4  # a sun's disc at EV 15
    after = glare_picture(picture, Glare(glow=0.1, glow_size=1.0))
    far = after[180:, 250:]
    assert far == pytest.approx(np.full_like(far, 0.004), rel=0.02)


def test_an_image_in_the_flare_is_a_disc_of_a_twentieth_of_the_height() -> None:
    picture = np.zeros((240, 320, 3), np.float32)
    picture[60, 80] = BRIGHT
    green = glare_picture(picture, Glare(flare=3.0))[..., 1]
    green[60, 80] = 0.0
    near = green[140:165, 190:217]  # the brightest one: more than half as far on the other side of the centre
    disc = near > 0.5 * near.max()
    assert disc.sum() == pytest.approx(np.pi / 4.0 * 12.0**2, rel=0.12)  # a rim of one pixel
    y, x = (float(v.mean()) for v in np.nonzero(disc))
    assert (140.0 + y - 119.5, 190.0 + x - 159.5) == pytest.approx((0.55 * 59.5, 0.55 * 79.5), abs=0.6)
