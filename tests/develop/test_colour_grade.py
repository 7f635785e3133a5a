# SPDX-License-Identifier: Apache-2.0
"""Colour after the view: grey stays grey, bands add to one, each control does what it is called."""

from __future__ import annotations

import colour
import numpy as np
import pytest

from gloamet.colour.curves import HUE_BANDS
from gloamet.colour.oklab import linear_to_oklab, oklab_to_linear
from gloamet.colour.spaces import srgb_to_linear
from gloamet.develop.colour_grade import BAND_HUES_DEG, band_colour, grade_codes
from gloamet.develop.links import ColourGrade, HueBand

GREYS = np.repeat(np.linspace(0.0, 1.0, 33, dtype=np.float32)[:, None], 3, 1)


def codes(*colours: tuple[float, float, float]) -> np.ndarray:
    return np.array(colours, np.float32)


def of_hue(hue_deg: float, chroma: float = 0.09) -> np.ndarray:
    """Codes (1, 3) of a colour of middle lightness."""
    hue = np.radians(hue_deg)
    lab = np.array([[0.68, chroma * np.cos(hue), chroma * np.sin(hue)]])
    return np.asarray(colour.models.eotf_inverse_sRGB(oklab_to_linear(lab)), np.float32)


def lch(code: np.ndarray) -> tuple[float, float, float]:
    lightness, a, b = linear_to_oklab(srgb_to_linear(code))
    return float(lightness), float(np.hypot(a, b)), float(np.degrees(np.arctan2(b, a)) % 360.0)


def band(name: str, **values: float) -> ColourGrade:
    return ColourGrade(bands=tuple(HueBand(**values) if n == name else HueBand() for n in HUE_BANDS))


def every_band(**values: float) -> ColourGrade:
    return ColourGrade(bands=(HueBand(**values),) * len(HUE_BANDS))


@pytest.mark.proof("Oklab and its inverse", source="colour-science; Ottosson 2020", kind="library")
def test_oklab_is_that_of_the_library() -> None:
    rgb = np.random.default_rng(2).uniform(0, 1, (50, 3))
    xyz = colour.RGB_to_XYZ(rgb, "sRGB", apply_cctf_decoding=False)
    assert linear_to_oklab(rgb) == pytest.approx(colour.XYZ_to_Oklab(xyz), abs=2e-3)  # it goes by way of XYZ
    assert oklab_to_linear(linear_to_oklab(rgb)) == pytest.approx(rgb, abs=1e-6)


def test_a_neutral_link_is_the_very_picture() -> None:
    picture = np.random.default_rng(3).uniform(0, 1, (8, 8, 3)).astype(np.float32)
    assert grade_codes(picture, ColourGrade()) is picture
    assert grade_codes(picture, ColourGrade(on=False, saturation=0.0)) is picture
    assert grade_codes(picture, ColourGrade(strength=0.0, black_and_white=True)) is picture


@pytest.mark.parametrize(
    "state",
    [
        ColourGrade(saturation=1.8, vibrance=0.8),
        every_band(hue=25.0, saturation=0.9, lightness=0.8),
        ColourGrade(black_and_white=True, filter=(1.0, 0.2, 0.0)),
    ],
)
def test_grey_stays_grey(state: ColourGrade) -> None:
    assert grade_codes(GREYS, state) == pytest.approx(GREYS, abs=0.5 / 255.0)


@pytest.mark.proof(
    "Oklab hues of the hue bands", source="colour-science's sRGB primaries in Oklab", kind="library"
)
def test_the_bands_lie_on_the_full_colours_they_are_named_after() -> None:
    full = [
        (1, 0, 0),
        (1, 128 / 255, 0),
        (1, 1, 0),
        (0, 1, 0),
        (0, 1, 1),
        (0, 0, 1),
        (128 / 255, 0, 1),
        (1, 0, 1),
    ]
    for code, hue in zip(full, BAND_HUES_DEG, strict=True):
        lab = colour.XYZ_to_Oklab(colour.sRGB_to_XYZ(np.array(code, float)))
        assert np.degrees(np.arctan2(lab[2], lab[1])) % 360.0 == pytest.approx(hue, abs=0.6)


def test_the_bands_together_are_the_whole_circle() -> None:
    # all bands moved alike move every hue alike: their weights sum to one
    hues = np.radians(np.arange(0.0, 360.0, 3.0))
    lab = np.stack([np.full_like(hues, 0.7), 0.06 * np.cos(hues), 0.06 * np.sin(hues)], -1)
    before = np.asarray(colour.models.eotf_inverse_sRGB(oklab_to_linear(lab)), np.float32)
    after = grade_codes(before, every_band(saturation=0.5))
    chroma = [(lch(a)[1], lch(b)[1]) for a, b in zip(before, after, strict=True)]
    assert [b / a for a, b in chroma] == pytest.approx([1.5] * len(chroma), rel=0.01)


def test_a_band_fades_into_its_neighbours() -> None:
    # blue lies at 264 degrees, cyan at 195: at 229.5 each has half
    left = [
        lch(grade_codes(of_hue(h), band("blue", saturation=-1.0))[0])[1] / 0.09 for h in (264.1, 229.5, 194.8)
    ]
    assert left == pytest.approx([0.0, 0.5, 1.0], abs=0.02)


def test_a_band_turns_its_hue_and_lightens_its_colour() -> None:
    red = of_hue(29.2)
    turned = lch(grade_codes(red, band("red", hue=20.0))[0])
    # a colour three times as strong as a pale one is turned by nine tenths
    assert turned[2] - lch(red[0])[2] == pytest.approx(20.0 * 0.9, abs=0.5)
    assert lch(grade_codes(red, band("red", lightness=1.0))[0])[0] > lch(red[0])[0] + 0.05


def test_saturation_scales_chroma_and_keeps_hue_and_lightness() -> None:
    start = codes((0.55, 0.42, 0.38))
    lightness, chroma, hue = lch(start[0])
    for factor in (0.0, 0.5, 1.6):
        out = lch(grade_codes(start, ColourGrade(saturation=factor))[0])
        assert out[1] == pytest.approx(factor * chroma, abs=0.002)
        assert out[0] == pytest.approx(lightness, abs=0.004)
        assert factor == 0.0 or out[2] == pytest.approx(hue, abs=1.0)


def test_vibrance_lifts_pale_colours_more_than_strong_ones() -> None:
    pale, strong = codes((0.52, 0.48, 0.46), (0.8, 0.3, 0.1))
    gain = [lch(grade_codes(c[None], ColourGrade(vibrance=1.0))[0])[1] / lch(c)[1] for c in (pale, strong)]
    assert gain[0] > 1.7
    assert gain[1] < 1.15


def test_toning_colours_shade_and_light_apart_and_leaves_the_ends() -> None:
    toned = grade_codes(GREYS, ColourGrade(shadow_toning=1.0, highlight_toning=1.0))
    dark, light = toned[8], toned[26]
    assert dark[2] > dark[0] + 0.05  # blue shade
    assert light[0] > light[2] + 0.05  # warm light
    assert toned[[0, -1]] == pytest.approx(GREYS[[0, -1]], abs=0.01)
    lower = grade_codes(GREYS, ColourGrade(highlight_toning=1.0, toning_balance=1.0))
    assert (
        lower[10, 0] - lower[10, 2]
        > grade_codes(GREYS, ColourGrade(highlight_toning=1.0))[10, 0] - GREYS[10, 2]
    )


def test_a_red_filter_darkens_the_blue_sky_of_a_black_and_white_picture() -> None:
    sky = codes((0.35, 0.55, 0.85))
    plain, filtered = (
        grade_codes(sky, ColourGrade(black_and_white=True, filter=f))[0] for f in ((1, 1, 1), (1.0, 0.1, 0.0))
    )
    assert np.ptp(plain) < 0.004
    assert filtered[0] < plain[0] - 0.08
    # Rec. 709 luminance of the plain one
    assert srgb_to_linear(plain[1]) == pytest.approx(
        srgb_to_linear(sky[0]) @ [0.2126, 0.7152, 0.0722], rel=0.02
    )


def test_half_the_strength_is_half_way_in_codes() -> None:
    start = codes((0.7, 0.4, 0.2))
    whole, half = (grade_codes(start, ColourGrade(saturation=0.2, strength=s)) for s in (1.0, 0.5))
    assert half == pytest.approx(0.5 * (start + whole), abs=1e-5)


@pytest.mark.parametrize("hue_deg", BAND_HUES_DEG)
def test_a_bands_swatch_is_a_clear_colour_of_its_hue(hue_deg: float) -> None:
    light = band_colour(hue_deg).astype(float)
    lab = colour.XYZ_to_Oklab(colour.RGB_to_XYZ(light, "sRGB", apply_cctf_decoding=False))
    away = (np.degrees(np.arctan2(lab[2], lab[1])) - hue_deg + 180.0) % 360.0 - 180.0
    assert abs(away) < 12.0  # what a screen cannot show is cut
    assert 0.55 < lab[0] < 0.8 and np.hypot(lab[1], lab[2]) > 0.1
