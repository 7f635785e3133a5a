# SPDX-License-Identifier: Apache-2.0
"""A backdrop shows the colour that was chosen, edges mix as layers of pictures do, nothing is transparent."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from gloamet.develop.backdrop import NOTHING, Backdrop, over_backdrop, unpremultiplied
from gloamet.errors import GloametError
from gloamet.output.images import check_ending, save_display, save_light

MIDDLE = (0.5, 0.25, 0.1)


def srgb(linear: float) -> float:
    """IEC 61966-2-1, written out."""
    return 12.92 * linear if linear <= 0.0031308 else 1.055 * linear ** (1 / 2.4) - 0.055


def test_where_nothing_covers_it_the_backdrop_is_the_colour_itself() -> None:
    codes, transparency = np.full((4, 6, 3), 0.7, np.float32), np.ones((4, 6), np.float32)
    out = over_backdrop(codes, transparency, Backdrop(MIDDLE, MIDDLE))
    np.testing.assert_allclose(out, np.broadcast_to([srgb(v) for v in MIDDLE], out.shape), atol=1e-6)
    np.testing.assert_array_equal(over_backdrop(codes, 0 * transparency, Backdrop(MIDDLE, MIDDLE)), codes)


def test_a_gradient_goes_from_below_to_above() -> None:
    transparency = np.ones((100, 2), np.float32)
    out = over_backdrop(
        np.zeros((100, 2, 3), np.float32), transparency, Backdrop((1.0, 1.0, 1.0), (0.0, 0.0, 0.0))
    )
    assert out[-1, 0, 0] == pytest.approx(0.995, abs=1e-3) and out[0, 0, 0] == pytest.approx(0.005, abs=1e-3)
    assert (np.diff(out[:, 0, 0]) > 0).all()


def test_an_edge_keeps_the_things_own_light_and_half_of_each() -> None:
    # half a pixel of a thing of 8 cd/m2 before black is 4: alone it is 8 again
    transparency = np.array([[0.0, 0.5, 1.0]], np.float32)
    alone = unpremultiplied(np.array([[[8.0] * 3, [4.0] * 3, [0.0] * 3]], np.float32), transparency)
    np.testing.assert_allclose(alone[0, :, 0], [8.0, 8.0, 0.0])
    mixed = over_backdrop(np.full((1, 3, 3), 0.2, np.float32), transparency, Backdrop((1.0,) * 3, (1.0,) * 3))
    np.testing.assert_allclose(mixed[0, :, 0], [0.2, 0.6, 1.0], atol=1e-6)


def test_nothing_shows_squares_of_two_greys() -> None:
    out = over_backdrop(np.zeros((48, 48, 3), np.float32), np.ones((48, 48), np.float32), NOTHING)
    assert len(np.unique(out.round(4))) == 2 and out[0, 0, 0] != out[0, 12, 0] == out[12, 0, 0]


@pytest.mark.parametrize("sixteen", [False, True])
def test_a_png_holds_transparency_beside_colours_that_are_not_multiplied(
    tmp_path: Path, sixteen: bool
) -> None:
    codes, alpha = np.full((3, 4, 3), 0.8, np.float32), np.full((3, 4), 0.25, np.float32)
    save_display(tmp_path / "a.png", codes, sixteen, alpha)
    config = oiio.ImageSpec()
    config["oiio:UnassociatedAlpha"] = 1
    pixels = oiio.ImageInput.open(str(tmp_path / "a.png"), config).read_image("float")
    np.testing.assert_allclose(pixels[0, 0], [0.8, 0.8, 0.8, 0.25], atol=0.003)


def test_linear_light_has_its_alpha_between_the_colours_and_the_layers(tmp_path: Path) -> None:
    light, alpha = np.full((3, 4, 3), 2.0, np.float32), np.full((3, 4), 0.5, np.float32)
    save_light(tmp_path / "a.exr", light, {"sky": light}, 1.0, alpha)
    read = oiio.ImageInput.open(str(tmp_path / "a.exr"))
    names = list(read.spec().channelnames)
    assert set(names[:4]) == {"R", "G", "B", "A"} and "sky.R" in names
    assert read.read_image("float")[0, 0, names.index("A")] == 0.5


def test_jpeg_says_that_it_has_no_transparency() -> None:
    with pytest.raises(GloametError, match="no transparency, choose .png or .exr"):
        check_ending(Path("a.jpg"), transparent=True)
    assert check_ending(Path("a.jpg")) == ".jpg"
