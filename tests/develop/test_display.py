"""Developing: exposure, white balance and views against published values."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import (
    AP1_LUMINANCE,
    AP1_TO_REC709,
    AP1_TO_XYZ,
    D60_WHITE,
    REC709_TO_AP1,
    XYZ_TO_AP1,
    linear_to_srgb,
    srgb_to_linear,
    xy_to_xyz,
)
from gloamet.colour.temperature import correlated_temperature, planckian_uv, white_xy
from gloamet.develop.display import VIEWS, DevelopSettings, develop_exact, develop_screen, exposure_scale
from gloamet.meter.light import illuminance_ev, luminance_ev
from gloamet.meter.picture import NIGHT_EV, automatic_ev, limit_night_exposure


def card(ev: float) -> np.ndarray:
    return np.full((1, 1, 3), 0.125 * 2.0**ev, np.float32)


@pytest.mark.parametrize(("view", "code"), [("ACES 2.0", 0.349), ("ACES 1.3", 0.356), ("plain sRGB", 0.357)])
def test_the_metered_grey_stands_where_the_views_say(view: str, code: float) -> None:
    # 18 % grey of the ACES SDR renderings; plain sRGB: 0.125 / 1.2 of saturation (ISO 12232) encoded
    out = develop_exact(card(12.0), DevelopSettings(12.0, view=view))[0, 0]
    assert out == pytest.approx([code] * 3, abs=0.003)


@pytest.mark.parametrize("view", VIEWS)
def test_a_stop_of_light_equals_a_stop_of_exposure(view: str) -> None:
    a = develop_exact(card(10.0), DevelopSettings(10.0, view=view))
    assert np.allclose(a, develop_exact(card(13.0), DevelopSettings(13.0, view=view)), atol=1e-5)


@pytest.mark.parametrize("view", VIEWS)
def test_the_screen_is_within_a_few_codes_of_the_exact_view(view: str) -> None:
    rng = np.random.default_rng(1)
    grey = 2.0 ** rng.uniform(-7, 5, (64, 64, 1))
    picture = (grey * rng.uniform(0.6, 1.4, (64, 64, 3))).astype(np.float32)
    recipe = DevelopSettings(0.0, 5200.0, 3.0, view)
    exact = develop_exact(picture, recipe) * 255.0
    screen = develop_screen(picture, recipe)[..., :3].astype(float)
    apart = np.abs(screen - exact)
    assert np.quantile(apart, 0.995) <= 4.0
    assert apart.mean() < 0.6


def test_not_a_number_and_infinity_do_not_spread() -> None:
    picture = np.full((2, 2, 3), 0.1, np.float32)
    picture[0, 0], picture[0, 1] = np.nan, np.inf
    for view in VIEWS:
        screen = develop_screen(picture, DevelopSettings(0.0, view=view))
        assert screen[0, 0, :3].max() == 0
        assert screen[0, 1, 0] > 200
        assert np.isfinite(develop_exact(picture, DevelopSettings(0.0, view=view))).all()


def test_light_of_the_chosen_kelvin_develops_neutral() -> None:
    for kelvin in (3000.0, 5600.0, 9000.0):
        light = (XYZ_TO_AP1 @ xy_to_xyz(white_xy(kelvin, 0.0))).astype(np.float32)
        out = develop_exact(light.reshape(1, 1, 3) * 0.1, DevelopSettings(0.0, kelvin, 0.0, "plain sRGB"))[
            0, 0
        ]
        assert out.max() - out.min() < 0.002


def test_warmer_light_at_a_fixed_balance_comes_out_warmer() -> None:
    warm = (XYZ_TO_AP1 @ xy_to_xyz(white_xy(4000.0, 0.0))).astype(np.float32).reshape(1, 1, 3) * 0.1
    out = develop_exact(warm, DevelopSettings(0.0, 6000.0, 0.0, "plain sRGB"))[0, 0]
    assert out[0] > out[1] > out[2]


def test_ap1_primaries_are_those_of_the_standard() -> None:
    # SMPTE ST 2065-1 / ACES TB-2014-004: AP1 to XYZ
    assert AP1_TO_XYZ[1] == pytest.approx([0.2722287, 0.6740818, 0.0536895], abs=1e-5)
    assert AP1_TO_XYZ @ np.ones(3) == pytest.approx(xy_to_xyz(D60_WHITE))
    assert AP1_LUMINANCE.sum() == pytest.approx(1.0)


def test_rec709_round_trip_and_white() -> None:
    assert pytest.approx(np.eye(3), abs=1e-12) == AP1_TO_REC709 @ REC709_TO_AP1
    assert REC709_TO_AP1 @ np.ones(3) == pytest.approx(np.ones(3), abs=1e-9)
    x = np.linspace(0, 1, 64)
    assert srgb_to_linear(linear_to_srgb(x)) == pytest.approx(x, abs=1e-9)


def test_planckian_locus_and_temperatures_agree_with_a_colour_library() -> None:
    import colour

    for kelvin in (1900.0, 2850.0, 4000.0, 6500.0, 10000.0):
        spectrum = colour.sd_blackbody(kelvin, colour.SpectralShape(380, 780, 5))
        xyz = colour.sd_to_XYZ(spectrum) / 100.0
        uv = colour.UCS_to_uv(colour.XYZ_to_UCS(xyz))
        assert planckian_uv(kelvin) == pytest.approx(uv, abs=3e-4)
        assert correlated_temperature(xyz) == pytest.approx(kelvin, rel=0.01)


def test_exposure_values_of_the_light_meter() -> None:
    # ISO 2720: L = 0.125 * 2**EV, E = 2.5 * 2**EV; bright daylight is about EV 15 (practice)
    assert luminance_ev(4096.0) == pytest.approx(15.0)
    assert illuminance_ev(81920.0) == pytest.approx(15.0)
    assert exposure_scale(3.0, "plain sRGB") * 1.2 * 8.0 == pytest.approx(1.0)


def test_the_picture_meter_follows_the_light_stop_by_stop() -> None:
    rng = np.random.default_rng(4)
    picture = rng.uniform(100, 3000, (40, 60, 3)).astype(np.float32)
    assert automatic_ev(picture * 8) - automatic_ev(picture) == pytest.approx(3.0, abs=0.01)
    assert automatic_ev(np.zeros((4, 4, 3), np.float32)) == -8.0


@pytest.mark.parametrize("share", [0.01, 0.02, 0.03])
def test_a_lamp_a_little_larger_in_the_picture_does_not_make_the_meter_leap(share: float) -> None:
    def lamplit(share: float) -> np.ndarray:
        picture = np.full((100, 100, 3), 0.2, np.float32)
        picture.reshape(-1, 3)[: round(share * 10_000)] = 6.0
        return picture

    assert abs(automatic_ev(lamplit(share + 0.0005)) - automatic_ev(lamplit(share - 0.0005))) < 0.25


def test_automatic_exposure_leaves_dusk_dim_and_day_as_it_is() -> None:
    assert limit_night_exposure(14.7) == 14.7
    assert limit_night_exposure(NIGHT_EV) == NIGHT_EV
    evs = np.linspace(-8.0, 8.0, 33)
    kept = np.array([limit_night_exposure(float(ev)) for ev in evs])
    assert np.all(np.diff(kept) > 0.0)  # a darker scene never comes out brighter
    assert kept[0] - evs[0] == pytest.approx(3.85)


def test_an_enlarged_picture_lies_between_its_pixels() -> None:
    rng = np.random.default_rng(2)
    picture = rng.uniform(0.05, 0.4, (9, 14, 3)).astype(np.float32)
    recipe = DevelopSettings(0.0)
    small = develop_screen(picture, recipe).astype(float)
    large = develop_screen(picture, recipe, (35, 24))
    assert large.shape == (24, 35, 4) and (large[..., 3] == 255).all()
    y = np.clip((np.arange(24) + 0.5) * 9 / 24 - 0.5, 0, 8)
    x = np.clip((np.arange(35) + 0.5) * 14 / 35 - 0.5, 0, 13)
    # reference: bilinear interpolation by NumPy, a line at a time
    across = np.stack(
        [[np.interp(x, np.arange(14), row[:, n]) for row in small] for n in range(4)], -1
    )  # (9, 35, 4)
    wanted = np.stack(
        [[np.interp(y, np.arange(9), across[:, k, n]) for k in range(35)] for n in range(4)], -1
    ).transpose(1, 0, 2)
    assert np.abs(large.astype(float) - wanted).max() <= 1.5
    assert abs((large - wanted)[..., :3].mean()) < 0.1  # rounded, not cut down


def test_a_picture_of_the_wished_size_is_left_as_it_is() -> None:
    picture = np.full((6, 8, 3), 0.2, np.float32)
    assert np.array_equal(
        develop_screen(picture, DevelopSettings(0.0), (8, 6)), develop_screen(picture, DevelopSettings(0.0))
    )
