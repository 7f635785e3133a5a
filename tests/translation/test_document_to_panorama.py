# SPDX-License-Identifier: Apache-2.0
"""A document's panorama: level by lux, by its file, by the sky; turned by hand, with north, or locked to the sun;
roles."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.document.demo import PANORAMAS
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.images import save_light
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.sky_solver import SkySolver
from gloamet.translation.document_to_panorama import PanoramaInputs, PanoramaLight, read_panorama

EVENING = str(PANORAMAS / "evening.exr")
SUN = (245.0, 9.0)  # where tools/demo/make_panorama.py puts it
LIT = Document().change("panorama", file=EVENING)


@pytest.fixture(scope="module")
def sky(solver: SkySolver) -> SkyDome:
    return solver.dome(Air(2.6), 130.0, 35.0)


def light(document: Document, sky: SkyDome, azimuth: float = 130.0) -> PanoramaLight:
    inputs = PanoramaInputs.of(document, sky, azimuth)
    assert inputs is not None
    return read_panorama(inputs)


def illuminance_lx(panorama: PanoramaLight) -> float:
    return float(luminance(panorama.dome.sun_horizontal + panorama.dome.sky_horizontal))


def test_none_without_a_file(sky: SkyDome) -> None:
    assert PanoramaInputs.of(Document(), sky, 130.0) is None


def test_its_level_is_the_files_or_in_lux_or_that_of_the_sky(sky: SkyDome) -> None:
    own = light(LIT, sky)
    assert own.scale == pytest.approx(1.0, rel=1e-5)
    assert 9_000.0 < illuminance_lx(own) < 15_000.0  # an evening in cd/m2
    by_lux = light(LIT.change("panorama", illuminance_lx=3000.0), sky)
    assert illuminance_lx(by_lux) == pytest.approx(3000.0, rel=1e-4)
    assert by_lux.scale == pytest.approx(3000.0 / illuminance_lx(own), rel=1e-4)
    by_sky = light(LIT.change("panorama", illuminance_from_sky=True), sky)
    whole = float(luminance(sky.sun_horizontal + sky.sky_horizontal))
    assert illuminance_lx(by_sky) == pytest.approx(whole, rel=0.006)  # rounded to three figures
    bare = light(LIT.change("panorama", illuminance_from_sky=True, sun_removed=True), sky)
    assert illuminance_lx(bare) == pytest.approx(float(luminance(sky.sky_horizontal)), rel=0.006)


def test_what_is_seen_has_the_level_of_what_lights(sky: SkyDome) -> None:
    once, twice = (
        light(LIT, sky),
        light(LIT.change("panorama", illuminance_lx=2.0 * illuminance_lx(light(LIT, sky))), sky),
    )
    assert twice.picture.scale[0] == pytest.approx(2.0 * once.picture.scale[0], rel=1e-3)


def test_it_turns_by_hand_with_north_and_with_the_sun_when_locked(sky: SkyDome) -> None:
    turned = LIT.change("panorama", rotation_deg=20.0).change("sun", north_deg=15.0)
    assert light(turned, sky).sun_deg == pytest.approx((SUN[0] + 35.0, SUN[1]), abs=0.1)
    locked = turned.change(
        "panorama", locked_to_sun=True, sun_found=True, sun_azimuth_deg=SUN[0], sun_elevation_deg=SUN[1]
    )
    for azimuth in (130.0, 310.0):
        made = light(locked, sky, azimuth)
        assert made.sun_deg is not None and made.sun_deg[0] == pytest.approx(azimuth, abs=0.01)
        assert made.dome.sun_azimuth_deg == pytest.approx(azimuth, abs=0.01)
    flipped = light(locked.change("panorama", mirrored=True), sky, 130.0)
    assert flipped.sun_deg is not None and flipped.sun_deg[0] == pytest.approx(130.0, abs=0.01)


def test_roles_reach_the_picture(sky: SkyDome) -> None:
    hidden = light(LIT.change("panorama", as_background=False, lights_scene=False), sky)
    assert (hidden.picture.ahead, hidden.picture.mirrored, hidden.lights) == (0.0, 1.0, False)
    matt = light(LIT.change("panorama", in_reflections=False), sky)
    assert (matt.picture.ahead, matt.picture.mirrored, matt.lights) == (1.0, 0.0, True)


def test_another_panorama_stands_behind_as_bright_on_the_whole(sky: SkyDome, tmp_path: Path) -> None:
    save_light(tmp_path / "even.exr", np.full((32, 64, 3), 7.0, np.float32))
    made = light(LIT.change("panorama", background_file=str(tmp_path / "even.exr")), sky)
    assert made.picture.pixels.shape == (32, 64, 3)
    brightest = made.picture.scale[0]  # of an even picture all of it
    assert brightest == pytest.approx(float(np.median(made.prepared.picture.light[:512])), rel=0.01)
    assert illuminance_lx(made) == pytest.approx(illuminance_lx(light(LIT, sky)), rel=1e-6)


def test_a_file_that_is_gone_is_named(sky: SkyDome) -> None:
    with pytest.raises(GloametError, match="gone.exr is not in"):
        light(LIT.change("panorama", file="/nowhere/gone.exr"), sky)
