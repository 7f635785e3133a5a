# SPDX-License-Identifier: Apache-2.0
"""Proofs: other screens, paper, other eyes, against colour-science; warnings that come when they should."""

from __future__ import annotations

import colour
import numpy as np
import pytest

from gloamet.colour.spaces import srgb_to_linear
from gloamet.develop.proofs import (
    DEUTAN,
    LAPTOP_PRIMARIES,
    PROOFS,
    PROTAN,
    TRITAN,
    Warnings,
    proofed,
    proofed_pixels,
    thumbnail,
    warning_labels,
    warnings_of,
)

RNG = np.random.default_rng(8)
PICTURE = RNG.uniform(0.02, 0.98, (90, 160, 3)).astype(np.float32)
GREYS = np.repeat(np.linspace(0.0, 1.0, 64, dtype=np.float32)[None, :, None], 3, -1)
BLACK_WHITE = np.array([[[0, 0, 0], [1, 1, 1]]], np.float32)


@pytest.mark.proof(
    "Colour-vision deficiencies", source="Machado 2009; colour-science's table", kind="library"
)
@pytest.mark.parametrize(
    ("matrix", "kind"), [(PROTAN, "Protanomaly"), (DEUTAN, "Deuteranomaly"), (TRITAN, "Tritanomaly")]
)
def test_eyes_are_those_of_machado(matrix: tuple[tuple[float, ...], ...], kind: str) -> None:
    assert np.array(matrix) == pytest.approx(colour.matrix_cvd_Machado2009(kind, 1.0), abs=1e-6)
    assert np.array(matrix).sum(1) == pytest.approx([1.0] * 3, abs=2e-6)  # grey stays grey


@pytest.mark.proof("Proof of a wide-gamut phone", source="colour-science's Display P3", kind="library")
def test_the_vivid_phone_shows_codes_on_the_primaries_of_p3() -> None:
    shown = proofed(PICTURE, "vivid phone")
    space = colour.RGB_COLOURSPACES["Display P3"]
    linear = colour.RGB_to_RGB(
        srgb_to_linear(PICTURE), space, colour.RGB_COLOURSPACES["sRGB"], apply_cctf_decoding=False
    )
    assert srgb_to_linear(shown) == pytest.approx(np.clip(linear, 0, 1), abs=2e-3)


def test_the_narrow_laptop_shows_two_thirds_of_the_colours_of_srgb() -> None:
    # common practice: cheap panels are sold as covering 45 % of NTSC, which is 62 to 70 % of sRGB by area in xy
    def area(corners: np.ndarray) -> float:
        (ax, ay), (bx, by), (cx, cy) = corners
        return float(0.5 * ((bx - ax) * (cy - ay) - (cx - ax) * (by - ay)))

    whole = colour.RGB_COLOURSPACES["sRGB"].primaries
    assert 0.60 < area(np.array(LAPTOP_PRIMARIES)) / area(whole) < 0.72
    for ours, theirs in zip(np.array(LAPTOP_PRIMARIES), whole, strict=True):
        assert np.hypot(*(ours - theirs)) < 0.08
        # none shows what sRGB cannot, but for a little of its blue: its colours are sums of sRGB's
        assert (np.linalg.solve(np.vstack([whole.T, np.ones(3)]), [*ours, 1.0]) >= -0.03).all()


@pytest.mark.parametrize("name", PROOFS)
def test_grey_stays_without_hue_but_for_the_papers_own(name: str) -> None:
    out = proofed(GREYS, name)
    limit = 0.03 if "print" in name else 3e-3
    assert np.ptp(out, axis=-1).max() < limit
    assert (np.diff(out[0, :, 1]) >= -1e-6).all()


def test_blacks_and_whites_are_those_of_the_medium() -> None:
    linear = {name: srgb_to_linear(proofed(BLACK_WHITE, name))[0, :, 1] for name in PROOFS}
    # CIE L* of uncoated black ink 31 and of glossy 16 (ISO 12647-2, from memory): Y 0.066 and 0.020
    assert linear["uncoated print"][0] == pytest.approx(((31 + 16) / 116) ** 3, rel=0.05)
    assert linear["glossy print"][0] == pytest.approx(((16 + 16) / 116) ** 3, rel=0.08)
    assert linear["projector"][1] / linear["projector"][0] == pytest.approx(1.06 / 0.06, rel=0.02)
    assert linear["dim laptop"][1] < 0.75
    assert linear["good screen"].tolist() == [0.0, 1.0]


def test_paper_dulls_strong_colours_and_leaves_weak_ones() -> None:
    red, skin = np.array([[[0.95, 0.1, 0.05]]], np.float32), np.array([[[0.62, 0.5, 0.44]]], np.float32)
    for strong, weak in zip(proofed(red, "uncoated print"), proofed(skin, "glossy print"), strict=True):
        assert np.ptp(strong) < 0.6 * np.ptp(red)
        assert np.ptp(weak) > 0.8 * np.ptp(skin)


def test_a_thumbnail_keeps_the_mean_light() -> None:
    large = np.kron(PICTURE, np.ones((5, 5, 1), np.float32))
    small = thumbnail(large)
    assert small.shape[1] == 160
    assert srgb_to_linear(small).mean() == pytest.approx(srgb_to_linear(large).mean(), rel=1e-4)
    assert thumbnail(small) is small
    assert np.array_equal(proofed(large, "thumbnail"), proofed(small, "thumbnail"))


def test_grey_alone_keeps_the_luminance() -> None:
    out = proofed(PICTURE, "grey")
    assert np.ptp(out, axis=-1).max() < 1e-6
    assert srgb_to_linear(out[..., 0]) == pytest.approx(
        srgb_to_linear(PICTURE) @ [0.2126, 0.7152, 0.0722], abs=1e-5
    )


def test_a_garish_picture_is_warned_of_and_a_calm_one_is_not() -> None:
    calm = np.full((90, 160, 3), 0.2, np.float32)
    calm[20:70, 50:110] = (0.55, 0.5, 0.46)
    assert warning_labels(warnings_of(calm)) == []
    loud = calm.copy()
    loud[:, :80] = (1.0, 0.05, 0.0)
    found = warnings_of(loud)
    assert found.garish == pytest.approx(0.5, abs=0.15)
    assert found.dulled > 0.4
    flat = np.full((90, 160, 3), 0.4, np.float32)
    said = warning_labels(warnings_of(flat))
    assert len(said) == 1
    assert "0 L*" in said[0]
    assert len(warning_labels(Warnings(0.3, 0.3, 1.0))) == 3


@pytest.mark.parametrize("lab", [(0.6, 0.2, 0.0), (0.9, 0.0, 0.17), (0.45, 0.0, -0.2), (0.6, 0.02, 0.0)])
def test_paper_dulls_strong_colours_of_every_hue(lab: tuple[float, float, float]) -> None:
    rgb = colour.XYZ_to_RGB(colour.Oklab_to_XYZ(np.array(lab)), "sRGB", apply_cctf_encoding=True)
    picture = np.full((30, 40, 3), np.clip(rgb, 0.0, 1.0), np.float32)
    assert warnings_of(picture).dulled == (1.0 if np.hypot(*lab[1:]) > 0.1 else 0.0)


def test_what_stands_out_is_measured_in_the_middle_of_the_picture() -> None:
    y, x = (np.arange(100) + 0.5) / 100 - 0.5, (np.arange(160) + 0.5) / 160 - 0.5
    disc = np.hypot(y[:, None], x[None]) < 0.3
    picture = np.zeros((100, 160, 3), np.float32)
    picture[disc] = 1.0  # white on black: 100 L*
    assert warnings_of(picture).middle_stands_out == pytest.approx(100.0, abs=0.5)
    shifted = np.roll(picture, 40, axis=1)
    assert warnings_of(shifted).middle_stands_out < 60.0


def test_a_grey_picture_proofed_in_grey_keeps_every_code() -> None:
    pixels = np.full((4, 256, 4), 255, np.uint8)
    pixels[..., :3] = np.arange(256, dtype=np.uint8)[None, :, None]
    assert np.array_equal(proofed_pixels(pixels, "grey"), pixels)
    small = proofed_pixels(np.repeat(pixels, 3, axis=1), "thumbnail")
    assert small.shape == (4, 768, 4)
    assert small[0, 0].tolist() == [58] * 3 + [255]  # beside the thumbnail
