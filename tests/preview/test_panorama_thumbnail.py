# SPDX-License-Identifier: Apache-2.0
"""A small picture of a panorama's file."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from gloamet.preview.panorama_thumbnail import thumbnail


def written(path: Path, picture: np.ndarray, tile: int = 0) -> Path:
    height, width, channels = picture.shape
    spec = oiio.ImageSpec(width, height, channels, "float")
    spec.tile_width = spec.tile_height = tile
    file = oiio.ImageOutput.create(str(path))
    assert file.open(str(path), spec) and file.write_image(np.ascontiguousarray(picture, np.float32))
    file.close()
    return path


@pytest.mark.parametrize(("name", "tile"), [("a.exr", 0), ("tiled.exr", 64), ("a.hdr", 0)])
def test_it_shows_what_stands_where_at_a_fraction_of_the_size(name: str, tile: int, tmp_path: Path) -> None:
    picture = np.full((256, 512, 3), 1000.0, np.float32)
    picture[128:] = 100.0  # ground
    picture[:128, 256:, 0] = 4000.0  # redder in the east
    small = thumbnail(written(tmp_path / name, picture, tile), 32, 16)
    assert small is not None and small.shape == (16, 32, 4)
    west, east, ground = (
        small[rows, columns, :3].astype(int) for rows, columns in ((3, 5), (3, 28), (12, 5))
    )
    assert east[0] > west[0] + 30 and ground.max() < west.min() - 30
    assert west.max() - west.min() <= 2 and (small[:8, :15] == small[0, 0]).all()


def test_thin_stripes_show_as_their_mean(tmp_path: Path) -> None:
    stripes = np.full((256, 512, 3), 2000.0, np.float32)
    stripes[:, ::2] = 0.0
    small = thumbnail(written(tmp_path / "a.exr", stripes), 32, 16)
    even = thumbnail(written(tmp_path / "b.exr", np.full((256, 512, 3), 1000.0)), 32, 16)
    assert small is not None and even is not None
    assert small.astype(int) == pytest.approx(even.astype(int), abs=1)


def test_a_picture_smaller_than_the_thumbnail_is_shown_too(tmp_path: Path) -> None:
    small = thumbnail(written(tmp_path / "a.exr", np.ones((8, 16, 3))), 32, 16)
    assert small is not None and small.shape == (16, 32, 4) and small[..., :3].min() > 50


def test_what_is_no_picture_has_none(tmp_path: Path) -> None:
    (tmp_path / "a.exr").write_text("no picture")
    grey = written(tmp_path / "grey.exr", np.ones((8, 16, 1)))
    for path in (tmp_path / "a.exr", tmp_path / "gone.hdr", grey):
        assert thumbnail(path, 32, 16) is None
