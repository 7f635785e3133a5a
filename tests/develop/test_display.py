# SPDX-License-Identifier: Apache-2.0
"""Developing: exposure, white balance and views against published values."""

from __future__ import annotations

from pathlib import Path

import colour
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
from gloamet.colour.temperature import (
    balance_matrix,
    balance_on,
    correlated_temperature,
    planckian_uv,
    white_xy,
)
from gloamet.colour.views import VIEWS, film, film_curve
from gloamet.develop import display
from gloamet.develop.display import develop_screen
from gloamet.develop.exact import develop_exact
from gloamet.develop.settings import DevelopSettings, exposure_scale
from gloamet.meter.light import illuminance_ev, luminance_ev
from gloamet.meter.picture import DUSK_EV, SeenSurfaces, automatic_ev, limit_night_exposure


def card(ev: float) -> np.ndarray:
    return np.full((1, 1, 3), 0.125 * 2.0**ev, np.float32)


def incident(reflectance: float, ev: float) -> np.ndarray:
    """A card in the light that an incident meter reads as EV (ISO 2720, C = 250: E = 2.5 · 2^EV lx; L = ρ E / π)."""
    return np.full((1, 1, 3), reflectance * 2.5 * 2.0**ev / np.pi, np.float32)


@pytest.mark.proof(
    "Every view shows the grey card in the metered light as 118", source="common practice", kind="practice"
)
@pytest.mark.parametrize("view", VIEWS)
def test_a_metered_grey_card_shows_as_118_and_a_white_one_below_clipping(view: str) -> None:
    # code 118 of 255 for an 18 % card: common practice
    grey, white = (
        develop_exact(incident(r, 12.0), DevelopSettings(12.0, view=view))[0, 0] for r in (0.18, 0.9)
    )
    assert 255.0 * grey == pytest.approx([118.0] * 3, abs=3.0)
    assert 190.0 < 255.0 * white[1] < 250.0


@pytest.mark.proof(
    "ACES view transforms of grey", source="published ACES values, OpenColorIO", kind="published"
)
def test_the_transforms_of_aces_are_those_of_the_published_values() -> None:
    # REFERENCE: 18 % grey shows as 0.349 (ACES 2.0 SDR) and 0.356 (ACES 1.3 SDR) before any gain
    for view, code, gain in (("ACES 2.0", 0.349, 1.7245), ("ACES 1.3", 0.356, 1.4778)):
        out = VIEWS[view].apply(np.full((1, 1, 3), 0.18 / gain, np.float32))
        assert out[0, 0] == pytest.approx([code] * 3, abs=0.003)


def test_the_film_curve_rises_steadily_keeps_grey_grey_and_ends_below_white_light() -> None:
    ramp = np.geomspace(1e-4, 1e3, 400, dtype=np.float32)
    out = film(np.repeat(ramp[:, None], 3, 1))
    assert np.ptp(out, axis=1).max() < 2e-3
    assert (np.diff(out[:, 1]) >= 0.0).all()
    assert out[-1, 1] == pytest.approx(1.0, abs=1e-6)  # single precision
    steep = np.diff(np.log(film_curve(ramp))) / np.diff(np.log(ramp))
    assert 1.35 < steep[np.searchsorted(ramp, 0.18)] < 1.5


@pytest.mark.parametrize("hue", [(1.0, 0.35, 0.05), (0.05, 0.3, 1.0), (0.9, 0.8, 0.1)])
def test_a_colour_that_grows_brighter_goes_to_white_without_turning_round(hue: tuple[float, ...]) -> None:
    light = np.geomspace(0.02, 300.0, 120)[:, None] * (REC709_TO_AP1 @ hue)
    display = srgb_to_linear(film(light.astype(np.float32)))
    spread = np.ptp(display, axis=1) / display.max(1)
    past = np.argmax(spread)
    assert (np.diff(spread[past:]) < 1e-3).all()  # paler and paler
    order = np.argsort(hue)
    inside = display[spread > 0.05]
    assert (np.diff(inside[:, order], axis=1) > -1e-3).all()  # the channels never change places


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


@pytest.mark.proof(
    "AP1 primaries and white", source="ACEScg specification S-2014-004; colour-science", kind="published"
)
def test_ap1_primaries_are_those_of_the_standard() -> None:
    # ACEScg specification (S-2014-004): AP1 to XYZ; the library's own copy beside it
    space = colour.RGB_COLOURSPACES["ACEScg"]
    assert pytest.approx(space.matrix_RGB_to_XYZ, abs=1e-6) == AP1_TO_XYZ
    assert AP1_TO_XYZ[1] == pytest.approx([0.2722287, 0.6740818, 0.0536895], abs=1e-5)
    assert AP1_TO_XYZ @ np.ones(3) == pytest.approx(xy_to_xyz(D60_WHITE))
    assert AP1_LUMINANCE.sum() == pytest.approx(1.0)


def test_rec709_round_trip_and_white() -> None:
    assert pytest.approx(np.eye(3), abs=1e-12) == AP1_TO_REC709 @ REC709_TO_AP1
    assert REC709_TO_AP1 @ np.ones(3) == pytest.approx(np.ones(3), abs=1e-9)
    x = np.linspace(0, 1, 64)
    assert srgb_to_linear(linear_to_srgb(x)) == pytest.approx(x, abs=1e-9)


@pytest.mark.proof(
    "Colour temperature from and to chromaticity",
    source="colour-science (Ohno 2013, Krystek 1985)",
    kind="library",
)
def test_planckian_locus_and_temperatures_agree_with_a_colour_library() -> None:
    import colour

    for kelvin in (1900.0, 2850.0, 4000.0, 6500.0, 10000.0):
        spectrum = colour.sd_blackbody(kelvin, colour.SpectralShape(380, 780, 5))
        xyz = colour.sd_to_XYZ(spectrum) / 100.0
        uv = colour.UCS_to_uv(colour.XYZ_to_UCS(xyz))
        assert planckian_uv(kelvin) == pytest.approx(uv, abs=3e-4)
        assert correlated_temperature(xyz) == pytest.approx(kelvin, rel=0.01)


@pytest.mark.proof(
    "The Planckian locus and its nearest point", source="colour-science, Krystek 1985", kind="library"
)
@pytest.mark.parametrize("kelvin", [1001.0, 1804.0, 2856.0, 5003.3, 6504.7, 12_345.0, 39_000.0])
def test_the_nearest_point_is_found_between_the_steps_of_the_locus(kelvin: float) -> None:
    uv = np.asarray(colour.temperature.CCT_to_uv_Krystek1985(kelvin))
    assert planckian_uv(kelvin) == pytest.approx(uv, abs=1e-7)
    found = correlated_temperature(xy_to_xyz(np.asarray(colour.UCS_uv_to_xy(uv))))
    # a parabola through three points a mired apart leaves a hundredth of one
    assert 1e6 / found == pytest.approx(1e6 / kelvin, abs=0.02)


def test_exposure_values_of_the_light_meter() -> None:
    # ISO 2720: L = 0.125 * 2**EV, E = 2.5 * 2**EV; bright daylight is about EV 15 (practice)
    assert luminance_ev(4096.0) == pytest.approx(15.0)
    assert illuminance_ev(81920.0) == pytest.approx(15.0)
    assert exposure_scale(3.0) * 2.5 * 2.0**3 / np.pi == pytest.approx(
        1.0
    )  # a white card in the metered light


def flat(picture: np.ndarray, albedo: float = 0.18) -> SeenSurfaces:
    """The picture as matt surfaces ten metres away."""
    return SeenSurfaces(np.full_like(picture, albedo), np.full(picture.shape[:2], 10.0, np.float32))


def test_the_scene_meter_follows_the_light_stop_by_stop() -> None:
    rng = np.random.default_rng(4)
    picture = rng.uniform(100, 300, (40, 60, 3)).astype(np.float32)
    once, eightfold = (automatic_ev(p, flat(p)) for p in (picture, picture * 8))
    assert eightfold - once == pytest.approx(3.0, abs=0.01)
    assert automatic_ev(np.zeros((4, 4, 3), np.float32), flat(np.zeros((4, 4, 3), np.float32))) == -8.0


@pytest.mark.parametrize("albedo", [0.1, 0.5, 0.9])
def test_surfaces_of_any_colour_in_one_light_read_as_an_incident_meter_does(albedo: float) -> None:
    # L = albedo * E / pi; E = 2.5 * 2**EV (ISO 2720)
    picture = np.full((50, 80, 3), albedo * 80_000.0 / np.pi, np.float32)
    assert automatic_ev(picture, flat(picture, albedo)) == pytest.approx(np.log2(80_000.0 / 2.5), abs=0.01)


def test_a_bright_sky_behind_a_dim_subject_holds_the_exposure_by_a_stop_and_a_half() -> None:
    picture = np.full((60, 60, 3), 0.3 * 5_000.0 / np.pi, np.float32)
    picture[:30] = 60_000.0
    depth = np.full((60, 60), 10.0, np.float32)
    depth[:30] = 0.0  # sky
    ev = automatic_ev(picture, SeenSurfaces(np.full_like(picture, 0.3), depth))
    assert np.log2(5_000.0 / 2.5) < ev <= np.log2(5_000.0 / 2.5) + 1.61


def test_sun_and_shade_are_exposed_for_the_sun() -> None:
    lux = np.where(np.arange(6000) % 10 < 6, 90_000.0, 11_000.0).reshape(60, 100)
    picture = np.repeat((0.4 * lux / np.pi)[..., None], 3, 2).astype(np.float32)
    assert automatic_ev(picture, flat(picture, 0.4)) == pytest.approx(np.log2(90_000.0 / 2.5), abs=0.3)


@pytest.mark.parametrize("fraction", [0.01, 0.02, 0.03])
def test_a_lamp_a_little_larger_in_the_picture_does_not_make_the_meter_leap(fraction: float) -> None:
    def lamplit(fraction: float) -> float:
        picture = np.full((100, 100, 3), 0.2, np.float32)
        picture.reshape(-1, 3)[: round(fraction * 10_000)] = 6.0
        return automatic_ev(picture, flat(picture))

    assert abs(lamplit(fraction + 0.0005) - lamplit(fraction - 0.0005)) < 0.25


def test_automatic_exposure_leaves_dusk_dim_and_day_as_it_is() -> None:
    assert limit_night_exposure(14.7) == 14.7
    assert limit_night_exposure(DUSK_EV) == DUSK_EV
    evs = np.linspace(-8.0, 8.0, 33)
    kept = np.array([limit_night_exposure(float(ev)) for ev in evs])
    assert np.all(np.diff(kept) > 0.0)  # a darker scene never comes out brighter
    assert 3.5 < kept[0] - evs[0] < 4.5  # the darkest night is shown some four stops dim (chosen by eye)


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
    assert abs((large - wanted)[..., :3].mean()) < 0.15  # rounded, not cut down


def test_a_picture_of_the_wished_size_is_left_as_it_is() -> None:
    picture = np.full((6, 8, 3), 0.2, np.float32)
    assert np.array_equal(
        develop_screen(picture, DevelopSettings(0.0), (8, 6)), develop_screen(picture, DevelopSettings(0.0))
    )


@pytest.mark.proof("CAT16 and its inverse", source="colour-science; Li et al. 2017", kind="library")
@pytest.mark.parametrize(("kelvin", "tint"), [(3200.0, 0.0), (5600.0, 8.0), (11000.0, -12.0)])
def test_white_balance_is_cat16_and_is_found_again_from_the_colour(kelvin: float, tint: float) -> None:
    white = xy_to_xyz(white_xy(kelvin, tint))
    theirs = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        white, xy_to_xyz(D60_WHITE), transform="CAT16"
    )
    assert XYZ_TO_AP1 @ theirs @ AP1_TO_XYZ == pytest.approx(balance_matrix(kelvin, tint), abs=2e-4)
    found = balance_on(white)
    # the locus is searched on a grid of one mired with a parabola; Ohno's tables are no finer
    assert 1e6 / found[0] == pytest.approx(1e6 / kelvin, abs=0.5)
    assert found[1] == pytest.approx(tint, abs=0.15)


@pytest.mark.parametrize("start", [(1.0, 0.25, 0.03), (0.08, 0.2, 1.0)])
def test_the_hue_of_a_light_that_grows_to_white_moves_one_way(start: tuple[float, ...]) -> None:
    # a sunset's red and a twilight's blue, from dim to beyond white, in Oklab (Ottosson 2020) by colour-science
    light = np.geomspace(0.05, 40.0, 80)[:, None] * (REC709_TO_AP1 @ start)
    codes = film(light.astype(np.float32))
    lab = colour.XYZ_to_Oklab(colour.sRGB_to_XYZ(codes))
    chroma, hue = np.hypot(lab[:, 1], lab[:, 2]), np.unwrap(np.arctan2(lab[:, 2], lab[:, 1]))
    moved = np.degrees(np.diff(hue[chroma > 0.03]))
    forth, back = moved[moved > 0.0].sum(), -moved[moved < 0.0].sum()
    # four degrees at a chroma of 0.15 are 0.01 in Oklab, half of what an eye sees as a difference (about 0.02)
    assert min(forth, back) < 5.0
    assert np.abs(moved).max() < 6.0  # no jump


def test_a_baked_view_is_the_view_at_its_colours_and_is_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "folder" / "view.npy"
    monkeypatch.setattr(display, "_cache_file", lambda view: file)
    display.screen_cube.cache_clear()
    try:
        cube = display.screen_cube("ACES 2.0")[:-1].reshape(73, 73, 73, 3)  # blue, green, red
        axis = np.exp2(np.linspace(0.0, 20.0, 73) - 12.0)
        for red, green, blue in ((43, 43, 43), (50, 30, 20), (10, 44, 60)):
            colours = axis[[red, green, blue]].astype(np.float32)[None, None]
            wanted = np.clip(VIEWS["ACES 2.0"].apply(colours)[0, 0], 0.0, 1.0)
            assert cube[blue, green, red] == pytest.approx(wanted, abs=1e-5)
        assert np.array_equal(np.load(file), display.screen_cube("ACES 2.0"))
    finally:
        display.screen_cube.cache_clear()
