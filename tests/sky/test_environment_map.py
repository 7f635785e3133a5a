# SPDX-License-Identifier: Apache-2.0
"""Panoramas: what is read, what is refused, and that a dome made of one holds its light."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from gloamet.colour.spaces import REC709_TO_AP1
from gloamet.errors import GloametError
from gloamet.output.environment_export import export_environment_map
from gloamet.output.images import save_light
from gloamet.sky import environment_map
from gloamet.sky.air import Air
from gloamet.sky.dome import COLUMNS, SkyDome, uniform_dome
from gloamet.sky.environment_map import (
    PanoramaPicture,
    cached_panorama,
    decode,
    read_environment_map,
)
from gloamet.sky.panorama_dome import rotate_table, rotated_dome, tabulate_environment_map
from gloamet.sky.sky_solver import SkySolver


def level_light(picture: np.ndarray) -> np.ndarray:
    """Irradiance of horizontal ground by a lat-long picture's upper half: the sum over its pixels."""
    height, width = picture.shape[:2]
    elevation = (0.5 - (np.arange(height // 2) + 0.5) / height) * math.pi
    weight = np.sin(elevation) * np.cos(elevation) * (math.pi / height) * (2.0 * math.pi / width)
    return np.asarray(np.einsum("y,yxc->c", weight, picture[: height // 2].astype(float)))


@pytest.fixture(scope="module")
def clear() -> SkyDome:
    return SkySolver().dome(Air(2.6), 140.0, 35.0)


def write(path: Path, picture: np.ndarray, **attributes: object) -> Path:
    """A float picture by the image library itself, without the program's own colour attributes."""
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(picture.shape[1], picture.shape[0], picture.shape[2], "float")
    for name, value in attributes.items():
        spec.attribute(name, value)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec) and out.write_image(np.ascontiguousarray(picture, np.float32))
    out.close()
    return path


def test_a_sky_written_and_read_again_is_the_same_dome(clear: SkyDome, tmp_path: Path) -> None:
    save_light(tmp_path / "sky.exr", export_environment_map(clear, 1024, with_sun=False))
    again = rotated_dome(tabulate_environment_map(cached_panorama(tmp_path / "sky.exr").light), 0.0, 0.2)
    assert again.sky_horizontal == pytest.approx(clear.sky_horizontal, rel=0.003)
    off = np.abs(again.table[1:] / clear.table[1:] - 1.0)
    assert np.median(off) < 0.002
    assert np.quantile(off, 0.99) < 0.06  # about the sun and on the horizon, where cells are narrow


def test_an_even_panorama_is_an_even_dome() -> None:
    table = tabulate_environment_map(np.full((64, 128, 3), 7.0, np.float32))
    assert table == pytest.approx(uniform_dome(7.0).table, rel=1e-5)


@pytest.mark.parametrize("row", [20, 100, 200, 250])
@pytest.mark.parametrize("column", [0, 333, 1023])
def test_a_small_bright_sun_in_it_keeps_its_light(row: int, column: int) -> None:
    picture = np.full((512, 1024, 3), 1.0, np.float32)
    picture[row, column] = 1e6
    dome = rotated_dome(tabulate_environment_map(picture), 0.0, 0.2)
    assert dome.sky_horizontal == pytest.approx(level_light(picture), rel=0.02)


def test_its_middle_is_in_the_north_and_turning_goes_clockwise(tmp_path: Path) -> None:
    picture = np.zeros((256, 512, 3), np.float32)
    picture[60:70, 252:260] = 100.0
    table = tabulate_environment_map(picture)
    assert table.sum((0, 2)).argmax() in (0, COLUMNS - 1)
    east = rotate_table(table, 90.0)
    assert abs(int(east.sum((0, 2)).argmax()) - COLUMNS // 4) <= 1


@pytest.mark.parametrize("columns", [0.3, 0.5, 7.8, -2.6])
def test_a_turn_by_part_of_a_column_moves_an_even_wave_by_as_much(columns: float) -> None:
    azimuth = 2.0 * np.pi * np.arange(COLUMNS) / COLUMNS
    step = 2.0 * np.pi / COLUMNS
    table = np.broadcast_to((2.0 + np.cos(azimuth))[None, :, None], (4, COLUMNS, 3)).astype(np.float32)
    turned = rotate_table(table, columns * 360.0 / COLUMNS)
    wanted = 2.0 + np.cos(azimuth - columns * step)
    # what lies between two values of a wave is off its line by an eighth of the step squared at most
    assert turned[2, :, 1] == pytest.approx(wanted, abs=step**2 / 8.0 + 1e-6)


@pytest.mark.parametrize("turn", [0.4, -77.7, 180.0])
def test_turning_keeps_the_light(turn: float) -> None:
    rng = np.random.default_rng(1)
    table = tabulate_environment_map(rng.random((64, 128, 3)).astype(np.float32))
    still, turned = rotated_dome(table, 0.0, 0.2), rotated_dome(table, turn, 0.2)
    assert turned.sky_horizontal == pytest.approx(still.sky_horizontal, rel=1e-5)


def test_a_level_in_lux_is_what_the_ground_gets() -> None:
    rng = np.random.default_rng(2)
    dome = rotated_dome(
        tabulate_environment_map(rng.random((64, 128, 3)).astype(np.float32)), 10.0, 0.5, 12_000.0
    )
    from gloamet.colour.spaces import luminance

    assert luminance(dome.sky_horizontal) == pytest.approx(12_000.0, rel=1e-4)
    assert luminance(dome.ground_sky) == pytest.approx(0.5 * 12_000.0 / math.pi, rel=1e-4)


def test_colours_are_those_the_file_names_or_of_bt709(tmp_path: Path) -> None:
    red = np.zeros((32, 64, 3), np.float32)
    red[..., 0] = 2.0
    plain = read_environment_map(write(tmp_path / "plain.exr", red)).light
    assert plain[0, 0] == pytest.approx(np.maximum(2.0 * REC709_TO_AP1[:, 0], 0.0), rel=1e-4)
    save_light(tmp_path / "ours.exr", red, white_cd_m2=3.0)
    assert read_environment_map(tmp_path / "ours.exr").light[0, 0] == pytest.approx([6.0, 0.0, 0.0], abs=1e-3)


def test_a_radiance_picture_is_read_too(tmp_path: Path) -> None:
    grey = np.full((32, 64, 3), 0.5, np.float32)
    assert read_environment_map(write(tmp_path / "grey.hdr", grey)).light.mean() == pytest.approx(
        0.5, rel=0.02
    )


def test_larger_pictures_are_averaged(tmp_path: Path) -> None:
    picture = np.zeros((2048, 4096, 3), np.float32)
    picture[::2] = 4.0
    whole = read_environment_map(write(tmp_path / "wide.exr", picture))
    read = whole.light
    assert whole.codes.shape == (2048, 4096, 3)
    assert read.shape == (1024, 2048, 3)
    assert np.ptp(read[..., 1]) < 1e-4


def test_a_very_wide_picture_is_averaged_strip_by_strip_while_reading(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(environment_map, "SEEN_WIDTH", 64)
    monkeypatch.setattr(environment_map, "STRIP_ROWS", 18)
    picture = np.random.default_rng(4).uniform(0.2, 3.0, (97, 194, 3)).astype(np.float32)
    read = read_environment_map(write(tmp_path / "wide.exr", picture))
    # squares of four, as 194 / 64 is more than three; the rest of a row and the last row are left out
    mean = picture[:96, :192].reshape(24, 4, 48, 4, 3).mean((1, 3)).astype(float)
    assert read.light == pytest.approx(mean @ REC709_TO_AP1.T, rel=1e-5)
    assert decode(read.codes, read.scale) == pytest.approx(mean @ REC709_TO_AP1.T, rel=2e-4)


def test_values_that_are_no_light_do_no_harm(tmp_path: Path) -> None:
    picture = np.ones((32, 64, 3), np.float32)
    picture[3, 4], picture[5, 6] = np.nan, -9.0
    picture[7, 8] = np.inf
    read = read_environment_map(write(tmp_path / "faulty.exr", picture))
    assert np.isfinite(read.light).all() and read.light.min() >= 0.0
    assert read.notes == (
        "faulty.exr holds 3 values that are not a number and 3 values that are infinite and 3 values below "
        "zero: they are replaced by black or by the brightest value.",
    )


@pytest.mark.parametrize(
    ("name", "shape", "words"),
    [
        ("square.exr", (64, 64, 3), "twice as wide as high"),
        ("grey.exr", (32, 64, 1), "no colours"),
        ("cross.exr", (48, 64, 3), "cross of six faces"),
        ("strip.exr", (16, 96, 3), "strip of six faces"),
        ("dark.exr", (32, 64, 3), "black above the horizon"),
        ("picture.gif", (32, 64, 3), "is read from .exr"),
    ],
)
def test_what_is_no_panorama_is_refused_in_a_sentence(
    name: str, shape: tuple[int, ...], words: str, tmp_path: Path
) -> None:
    picture = np.zeros(shape, np.float32)
    if name != "dark.exr":
        picture += 1.0
    path = tmp_path / name
    with pytest.raises(GloametError, match=words):
        read_environment_map(path if name.endswith(".gif") else write(path, picture))


def test_a_missing_or_damaged_file_is_told_apart(tmp_path: Path) -> None:
    with pytest.raises(GloametError, match="is not in"):
        read_environment_map(tmp_path / "gone.exr")
    (tmp_path / "half.exr").write_bytes(b"v/1\x01 not really")
    with pytest.raises(GloametError, match="cannot be read"):
        read_environment_map(tmp_path / "half.exr")


def test_a_file_changed_on_disk_is_read_again(tmp_path: Path) -> None:
    import os

    path = write(tmp_path / "sky.exr", np.ones((32, 64, 3), np.float32))
    before = cached_panorama(path).light
    write(path, np.full((32, 64, 3), 2.0, np.float32))
    os.utime(path, ns=(1, path.stat().st_mtime_ns + 10_000_000))
    assert cached_panorama(path).light.mean() == pytest.approx(2.0 * before.mean(), rel=1e-5)


def test_a_cropped_panorama_is_told_apart_from_one_of_another_shape(tmp_path: Path) -> None:
    part = np.ones((20, 50, 3), np.float32)
    path = write(tmp_path / "part.exr", part, full_width=64, full_height=32)
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(50, 20, 3, "float")
    spec.full_width, spec.full_height = 64, 32
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec) and out.write_image(part)
    out.close()
    with pytest.raises(GloametError, match="cropped: it holds 50 × 20 px of 64 × 32"):
        read_environment_map(path)


def test_a_truncated_panorama_is_refused_and_the_library_says_nothing_more(
    tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    path = write(tmp_path / "cut.exr", np.random.default_rng(1).random((256, 512, 3)).astype(np.float32))
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    with pytest.raises(GloametError, match="cut.exr cannot be read as a panorama"):
        read_environment_map(path)
    assert capfd.readouterr().err == ""


@pytest.mark.parametrize(("name", "kind"), [("eight.png", "uint8"), ("sixteen.png", "uint16")])
def test_whole_numbers_are_decoded_as_srgb_and_said_to_be_clipped(
    name: str, kind: str, tmp_path: Path
) -> None:
    import OpenImageIO as oiio

    path, code = tmp_path / name, 0.5
    picture = np.full((32, 64, 3), code, np.float32)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), oiio.ImageSpec(64, 32, 3, kind)) and out.write_image(picture)
    out.close()
    read = read_environment_map(path)
    # IEC 61966-2-1: code 0.5 is 0.2140 of white
    assert read.light[..., 1].mean() == pytest.approx(0.2140, rel=0.01)
    assert read.clipped and "clipped" in read.notes[0]


def test_codes_hold_what_is_seen_of_it_from_the_sun_to_the_dusk(tmp_path: Path) -> None:
    picture = np.geomspace(1e-2, 1.5e9, 32 * 64 * 3).astype(np.float32).reshape(32, 64, 3)
    read: PanoramaPicture = read_environment_map(write(tmp_path / "all.exr", picture))
    assert read.light.max() == pytest.approx(
        1.5e9 * REC709_TO_AP1[1].sum(), rel=0.1
    )  # a sun's disc is not cut off
    again = decode(read.codes, read.scale)
    bright = read.light > 100.0  # cd/m2, beside a sun of 1.5e9
    assert again[bright] == pytest.approx(read.light[bright], rel=0.004)
