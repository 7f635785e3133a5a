# SPDX-License-Identifier: Apache-2.0
"""Files out: what they hold when read back with a library, and failures that lose nothing."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.environment_export import export_environment_map
from gloamet.output.images import save_display, save_light
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.trace.film import Film
from gloamet.translation.finished_light import finished_light
from gloamet.translation.saved_picture import save_picture


def film() -> Film:
    f = Film(6, 4)
    rng = np.random.default_rng(0)
    for layer in f.layers.values():
        layer += rng.uniform(0, 1e6, layer.shape).astype(np.float32)
    f.layers["lamps"][:] = f.layers["panorama"][:] = 0.0
    f.layers["counts"][:] = 2.0
    return f


def test_exr_holds_the_layers_bit_for_bit_and_its_colour_space(tmp_path: Path) -> None:
    f, path = film(), tmp_path / "a.exr"
    layers = {name: f.mean(name) for name in ("sun", "sky", "albedo", "normal", "depth")}
    save_light(path, f.light(), layers)
    image = oiio.ImageBuf(str(path))
    pixels, spec = image.get_pixels(oiio.FLOAT), image.spec()
    names = list(spec.channelnames)
    planes = {n: pixels[..., names.index(n)] for n in names}
    assert {"R", "sun.R", "sky.B", "albedo.G", "normal.Z", "depth.Z"} <= set(names)
    assert np.array_equal(planes["sun.G"], f.mean("sun")[..., 1])
    assert np.array_equal(planes["depth.Z"], f.mean("depth"))
    assert planes["R"] == pytest.approx(planes["sun.R"] + planes["sky.R"], rel=1e-6)
    assert spec.getattribute("chromaticities")[:2] == pytest.approx((0.713, 0.293))
    assert spec.getattribute("whiteLuminance") == 1.0


@pytest.mark.parametrize("clean", [False, True])
def test_layers_add_up_to_the_whole_under_gains_and_cleaning(tmp_path: Path, clean: bool) -> None:
    f, path = Film(40, 30), tmp_path / "a.exr"
    rng = np.random.default_rng(1)
    f.layers["counts"][:] = 1.0
    for name in ("sun", "sky", "lamps"):
        f.layers[name] += rng.uniform(100, 200, f.layers[name].shape).astype(np.float32)
    document = Document().change("fill", sun_stops=1.0, sky_stops=-2.0)
    save_picture(path, document, f, finished_light(document, f, clean))
    image = oiio.ImageBuf(str(path))
    pixels, names = image.get_pixels(oiio.FLOAT), list(image.spec().channelnames)
    plane = {n: pixels[..., k] for k, n in enumerate(names)}
    assert plane["G"] == pytest.approx(plane["sun.G"] + plane["sky.G"] + plane["lamps.G"], rel=1e-6)
    assert plane["sun.G"].mean() == pytest.approx(2 * f.mean("sun")[..., 1].mean(), rel=0.01)
    assert plane["sky.G"].mean() == pytest.approx(f.mean("sky")[..., 1].mean() / 4, rel=0.01)


def test_a_saved_picture_keeps_the_light_of_lamps_met_by_few_paths() -> None:
    f, rng = Film(64, 48), np.random.default_rng(5)
    f.layers["counts"][:] = 4.0
    f.layers["albedo"][:] = 4.0 * 0.8
    f.layers["lamps"][:] = 4.0 * np.where(rng.random((48, 64, 1)) < 0.02, 50.0, 0.1)
    light = finished_light(Document(), f, True)
    assert light.parts["lamps"].mean() == pytest.approx(f.mean("lamps").mean(), rel=0.03)
    assert light.whole.mean() == pytest.approx(light.parts["lamps"].mean(), rel=1e-5)


def test_png_of_8_and_16_bit_and_jpeg(tmp_path: Path) -> None:
    ramp = np.repeat(np.linspace(0, 1, 32, dtype=np.float32)[None, :, None], 3, 2).repeat(16, 0)
    save_display(tmp_path / "a.png", ramp)
    save_display(tmp_path / "b.png", ramp, sixteen_bit=True)
    save_display(tmp_path / "c.jpg", ramp)
    assert np.array_equal(np.asarray(Image.open(tmp_path / "a.png")), np.round(ramp * 255).astype(np.uint8))
    wide = oiio.ImageBuf(str(tmp_path / "b.png"))
    assert np.array_equal(wide.get_pixels(oiio.UINT16), np.round(ramp * 65535).astype(np.uint16))
    close = np.asarray(Image.open(tmp_path / "c.jpg")).astype(int)
    assert np.abs(close - np.round(ramp * 255)).max() <= 6


def test_a_picture_that_cannot_be_written_leaves_the_old_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "a.png"
    save_display(path, np.zeros((4, 4, 3), np.float32))
    before = path.read_bytes()

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("gloamet.output.images.os.replace", full)
    with pytest.raises(GloametError, match="No space left"):
        save_display(path, np.ones((4, 4, 3), np.float32))
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["a.png"]


def test_unknown_endings_and_missing_folders_are_one_sentence(tmp_path: Path) -> None:
    picture = np.zeros((2, 2, 3), np.float32)
    for path in (tmp_path / "a.gif", tmp_path / "none" / "a.png", tmp_path / "a.exr"):
        with pytest.raises(GloametError) as caught:
            save_display(path, picture)
        assert "\n" not in str(caught.value)


def test_panorama_holds_the_illuminance_of_the_dome(solver: SkySolver) -> None:
    dome = solver.dome(Air(3.0), 200.0, 35.0)
    sky, whole = export_environment_map(dome, 512, with_sun=False), export_environment_map(dome, 512)
    elevation = (0.5 - (np.arange(256) + 0.5) / 256) * np.pi
    weight = (np.cos(elevation) * np.clip(np.sin(elevation), 0, None) * (np.pi / 256) * (2 * np.pi / 512))[
        :, None, None
    ]
    level = (sky * weight).sum((0, 1))
    assert luminance(level) == pytest.approx(luminance(dome.sky_horizontal), rel=0.01)
    sun = ((whole - sky) * weight).sum((0, 1))
    assert luminance(sun) == pytest.approx(luminance(dome.sun_horizontal), rel=0.01)


@pytest.mark.parametrize("azimuth", [0.0, 90.0, 180.0, 270.0, 359.0])
def test_panorama_has_north_in_the_centre_and_east_to_the_right(solver: SkySolver, azimuth: float) -> None:
    picture = export_environment_map(solver.dome(Air(3.0), azimuth, 30.0), 720)
    y, x = np.unravel_index(np.argmax(picture[..., 1]), picture.shape[:2])
    found = ((x + 0.5) / 720 - 0.5) * 360.0
    assert abs((found - azimuth + 180.0) % 360.0 - 180.0) < 0.6
    assert (0.5 - (y + 0.5) / 360) * 180 == pytest.approx(30.0, abs=0.6)


def test_panorama_of_a_uniform_dome_is_flat_above_and_below() -> None:
    picture = export_environment_map(uniform_dome(10.0), 64)
    assert picture == pytest.approx(10.0, rel=1e-4)
    assert math.isclose(picture.shape[0] * 2, picture.shape[1])
