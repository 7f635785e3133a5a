# SPDX-License-Identifier: Apache-2.0
"""From the document to light under a turned north, and what the files say of it."""

from __future__ import annotations

import math
from datetime import datetime
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from gloamet.colour.spaces import AP1_LUMINANCE, luminance
from gloamet.document.model import Document
from gloamet.meter.light import read_light
from gloamet.output.images import JPEG_QUALITY, save_display
from gloamet.sky.air import Air, optical_depths
from gloamet.sky.dome import dome_radiance, uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.trace.film import Film
from gloamet.translation.document_to_light import (
    SkyInputs,
    environment_from_document,
    panorama_from_document,
    solve_sky,
    sun_from_document,
)
from gloamet.translation.finished_light import finished_light
from gloamet.translation.saved_picture import save_picture

NIGHT = Document().change(
    "sun", wall_time=datetime(2026, 1, 3, 23, 30), moon=True
)  # the moon was full that day


def towards(azimuth_deg: float, elevation_deg: float = 20.0) -> np.ndarray:
    """A direction in the scene: x east, y north where north is not turned."""
    a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
    return np.array([[math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e)]])


def test_turning_north_clockwise_turns_sun_and_moon_with_it(solver: SkySolver) -> None:
    day = Document().change("sun", mode="manual", azimuth_deg=100.0, elevation_deg=30.0)
    assert sun_from_document(day.change("sun", north_deg=40.0))[0] == pytest.approx(140.0)
    straight, turned = (SkyInputs.of(NIGHT.change("sun", north_deg=north)) for north in (0.0, 40.0))
    assert turned.moon_azimuth_deg - straight.moon_azimuth_deg == pytest.approx(40.0)
    lights = [solve_sky(inputs, solver).sun_direction for inputs in (straight, turned)]
    angles = [math.degrees(math.atan2(d[0], d[1])) for d in lights]
    assert (angles[1] - angles[0]) % 360.0 == pytest.approx(40.0, abs=0.01)


def test_the_middle_of_a_panorama_stands_in_the_north_and_turns_with_it(tmp_path: Path) -> None:
    picture = np.full((64, 128, 3), 1.0, np.float32)
    picture[16:32, 60:68] = 500.0  # over the horizon, in the middle
    buffer = oiio.ImageBuf(oiio.ImageSpec(128, 64, 3, "float"))
    buffer.set_pixels(oiio.ROI(0, 128, 0, 64), picture)
    path = tmp_path / "p.exr"
    buffer.write(str(path))
    document = Document().change("panorama", file=str(path))
    for north, turn, bearing in ((0.0, 0.0, 0.0), (90.0, 0.0, 90.0), (0.0, 30.0, 30.0), (-50.0, 20.0, 330.0)):
        turned = document.change("panorama", rotation_deg=turn).change("sun", north_deg=north)
        panorama = panorama_from_document(turned, uniform_dome(1.0))
        assert panorama is not None
        dome = panorama.dome
        light = [float(dome_radiance(dome, towards(at))[0] @ AP1_LUMINANCE) for at in range(0, 360, 15)]
        assert 15.0 * int(np.argmax(light)) == bearing


def test_a_sun_half_below_the_horizon_gives_half_its_light(solver: SkySolver) -> None:
    # at height 0 the geometric horizon of an eye on the ground cuts the disc in half
    dome = solver.dome(Air(2.0), 180.0, 0.0)
    reading = read_light(dome)
    assert dome.sun_visible == pytest.approx(0.5, abs=0.03)
    assert reading.sun_normal_lx == pytest.approx(0.5 * float(luminance(dome.sun_irradiance)), rel=0.06)
    up, down = (solver.dome(Air(2.0), 180.0, height).sun_visible for height in (0.4, -0.4))
    assert (up, down) == (1.0, 0.0)


@pytest.mark.proof(
    "Optical depth and albedo of the haze layer",
    source="Koschmieder 1924; OPAC (Hess et al. 1998), from memory",
    kind="memory",
)
def test_the_haze_layer_is_300_m_thick_and_scatters_most_of_what_it_takes() -> None:
    depths = optical_depths(Air(haze_visibility_km=2.0), np.array([550.0]))
    assert depths.haze[0] == pytest.approx(3.912 / 2.0 * 0.3, rel=1e-3)  # Koschmieder over its scale height
    # single-scattering albedo of rural and maritime haze at 550 nm, 0.94 to 0.99 (OPAC, Hess et al. 1998, from memory)
    assert 0.94 <= depths.haze_scatter[0] / depths.haze[0] <= 0.99


@pytest.mark.proof(
    "White luminance stored in an exposed EXR",
    source="ISO 12232, saturation-based speed",
    kind="published",
)
def test_an_exposed_exr_says_what_its_white_stands_for(tmp_path: Path) -> None:
    film = Film(16, 12)
    film.layers["counts"][:] = 1.0
    film.layers["sun"][:] = 3000.0
    document = Document().change("expose", metering="manual", ev=12.0)
    path = tmp_path / "a.exr"
    save_picture(path, document, film, finished_light(document, film, clean=False), exposed=True)
    image = oiio.ImageBuf(str(path))
    white = image.spec().getattribute("whiteLuminance")
    assert white == pytest.approx(1.2 * 2.0**12.0)  # ISO 12232: what fills a sensor at this exposure
    assert image.get_pixels(oiio.FLOAT)[..., :3] * white == pytest.approx(3000.0, rel=1e-5)


def test_a_jpeg_is_saved_at_the_quality_named(tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    picture = rng.random((64, 64, 3)).astype(np.float32)
    save_display(tmp_path / "ours.jpg", picture)
    Image.fromarray((picture * 255).astype(np.uint8)).save(tmp_path / "theirs.jpg", quality=95)
    ours, theirs = (Image.open(tmp_path / name).quantization for name in ("ours.jpg", "theirs.jpg"))
    assert JPEG_QUALITY == 95 and ours == theirs  # the tables of the IJG library at 95


@pytest.mark.parametrize("backdrop", ["sky", "colour", "gradient", "none"])
def test_behind_a_scene_with_a_backdrop_no_sky_is_seen_though_it_gives_its_light(backdrop: str) -> None:
    document = Document().change("sky", backdrop=backdrop)
    lights = environment_from_document(document, uniform_dome(100.0), None)
    assert lights.table.max() == 100.0
    assert lights.seen.table.max() == (100.0 if backdrop == "sky" else 0.0)
    assert float(lights.seen.disc) == (1.0 if backdrop == "sky" else 0.0)
