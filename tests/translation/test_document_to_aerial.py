# SPDX-License-Identifier: Apache-2.0
"""From a document to the aerial perspective, and finished light through it."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.document.demo import PANORAMAS
from gloamet.document.model import Document
from gloamet.light_layers import Gains
from gloamet.sky.dome import dome_radiance, uniform_dome
from gloamet.sky.moonlight import moon_fraction
from gloamet.stage.camera import Camera
from gloamet.trace.film import Film
from gloamet.trace.pixel_distances import NEAR_M
from gloamet.translation.document_to_aerial import (
    AERIAL,
    AerialInputs,
    aerial_settings,
    apply_aerial_perspective,
    panorama_fraction,
)
from gloamet.translation.document_to_light import SkyInputs, dome_from_document
from gloamet.translation.document_to_picture import gains_from_document
from gloamet.translation.finished_light import FinishedLight

CAMERA = Camera((0.0, 0.0, 2.4), (0.0, 100.0, 2.4), 40.0)
HAZY = (
    Document()
    .change("air", haze_on=True, haze_visibility_km=2.0)
    .change("sun", mode="manual", elevation_deg=30.0)
)
SHAPE = (12, 18)


def inputs_of(document: Document, camera: Camera = CAMERA, quick: bool = False) -> AerialInputs:
    return AerialInputs.of(SkyInputs.of(document), camera, 1.5, quick)


def light_at(metres: float, document: Document) -> FinishedLight:
    """An even picture of two parts at one distance, through the document's air."""
    film = Film(SHAPE[1], SHAPE[0])
    film.layers["depth"][:], film.layers["counts"][:] = 2.0 * metres, 2.0
    film.layers["near"][:] = 2.0 * np.exp(-metres / NEAR_M)
    sun, sky = np.full((*SHAPE, 3), 900.0, np.float32), np.full((*SHAPE, 3), 100.0, np.float32)
    light = FinishedLight(sun + sky, {"sun": sun, "sky": sky})
    return apply_aerial_perspective(document, dome_from_document(document), CAMERA, light, film)


def passing(light: FinishedLight) -> float:
    """The fraction of green light that passes on the level."""
    return float(light.parts["sun"][SHAPE[0] // 2, SHAPE[1] // 2, 1] / 900.0)


def test_parts_and_the_light_of_the_air_add_up_to_the_picture() -> None:
    light = light_at(1500.0, HAZY)
    assert set(light.parts) == {"sun", "sky", AERIAL}
    assert sum(light.parts.values()) == pytest.approx(light.whole, rel=1e-5)
    # Koschmieder: 2 km of sight leave 5 % of what is 1.5 km away; red light goes a little farther
    assert passing(light) == pytest.approx(np.exp(-3.912 * 1500.0 / 2000.0), rel=0.2)
    assert light.parts["sun"] == pytest.approx(9.0 * light.parts["sky"], rel=1e-5)


def test_without_it_light_is_left_as_it_is() -> None:
    for off in ({"aerial_perspective": False}, {"aerial_strength": 0.0}):
        light = light_at(1500.0, HAZY.change("air", **off))
        assert set(light.parts) == {"sun", "sky"} and (light.whole == 1000.0).all()
    assert aerial_settings(HAZY, Gains(), replace(CAMERA, parallel_m=12.0)) is None


def test_a_visibility_of_its_own_makes_the_air_denser_or_thinner() -> None:
    hand = aerial_settings(HAZY.change("air", aerial_visibility_km=1.0), Gains(), CAMERA)
    nature = aerial_settings(HAZY, Gains(), CAMERA)
    assert hand is not None and nature is not None and nature.density == 1.0
    # the haze lets one see 2 km less what clear air takes of it
    assert hand.density == pytest.approx(2.0, rel=0.1)
    clear = HAZY.change("air", haze_on=False, aerial_visibility_km=1.0)
    near, far = (passing(light_at(metres, clear)) for metres in (500.0, 1000.0))
    assert near == pytest.approx(np.exp(-3.912 / 2.0), rel=0.15)
    assert far == pytest.approx(np.exp(-3.912), rel=0.4)


def test_gains_of_fill_act_on_the_light_of_the_air() -> None:
    whole = light_at(3000.0, HAZY).parts[AERIAL]
    no_sky = light_at(3000.0, HAZY.change("fill", sky_stops=-6.0)).parts[AERIAL]
    brighter = light_at(3000.0, HAZY.change("fill", sun_stops=1.0, sky_stops=1.0)).parts[AERIAL]
    assert brighter == pytest.approx(2.0 * whole, rel=1e-3)
    assert (no_sky < whole).all() and no_sky.max() > 0.0


def test_an_overcast_sky_fills_the_distance_with_its_horizon() -> None:
    grey = HAZY.change("air", sky_model="cie", cie_sky=1)
    assert inputs_of(grey).by_horizon and not inputs_of(HAZY).by_horizon
    horizon = dome_from_document(grey).table[0].mean(0)
    assert light_at(30_000.0, grey).whole.mean((0, 1)) == pytest.approx(horizon, rel=0.02)


def test_a_walk_on_level_ground_solves_nothing_anew() -> None:
    here = inputs_of(HAZY)
    there = inputs_of(HAZY, Camera((9.0, 4.0, 2.3), (9.0, 104.0, 2.3), 40.0))
    up = inputs_of(HAZY, Camera((9.0, 4.0, 60.0), (9.0, 104.0, 60.0), 40.0))
    assert here == there != up


@pytest.mark.parametrize("up", [-70.0, -13.0, 2.4, 17.0, 60.0])
def test_all_elevations_in_view_are_solved(up: float) -> None:
    camera = replace(CAMERA, target=(0.0, 100.0, up))
    across = np.linspace(0.0, 1.0, 9)
    heights = np.degrees(np.arcsin([camera.ray(x, y, 1.5)[2] for x in across for y in across]))
    inputs = inputs_of(HAZY, camera)
    assert inputs.lowest_deg <= heights.min() < inputs.lowest_deg + 5.0
    assert inputs.highest_deg - 5.0 < heights.max() <= inputs.highest_deg


def test_a_hand_that_turns_or_hardly_lifts_the_sun_solves_nothing_anew() -> None:
    def of(azimuth: float, elevation: float, quick: bool) -> AerialInputs:
        return inputs_of(HAZY.change("sun", azimuth_deg=azimuth, elevation_deg=elevation), quick=quick)

    assert of(10.0, 30.0, False) == of(200.0, 30.0, False) != of(10.0, 30.2, False)
    assert of(10.0, 30.0, True) == of(200.0, 30.4, True)
    assert abs(of(10.0, 3.3, True).elevation_deg - 3.3) <= 0.25


def test_far_things_are_brightest_below_the_sun_wherever_it_stands() -> None:
    hazy = HAZY.change("air", haze_visibility_km=8.0).change("sun", elevation_deg=8.0)
    ahead, behind = (light_at(4000.0, hazy.change("sun", azimuth_deg=a)).parts[AERIAL] for a in (0.0, 180.0))
    assert ahead[SHAPE[0] // 2, SHAPE[1] // 2, 1] > 2.0 * behind[SHAPE[0] // 2, SHAPE[1] // 2, 1]


def towards(azimuth_deg: float) -> Camera:
    a = np.radians(azimuth_deg)
    return Camera((0.0, 0.0, 2.4), (100.0 * np.sin(a), 100.0 * np.cos(a), 2.4), 20.0)


def far_luminance(document: Document, camera: Camera) -> float:
    """Of a black hill at the end of sight, in the middle of the picture."""
    film = Film(SHAPE[1], SHAPE[0])
    film.layers["depth"][:], film.layers["counts"][:] = 150_000.0, 1.0  # and no nearness
    black = np.zeros((*SHAPE, 3), np.float32)
    light = apply_aerial_perspective(
        document, dome_from_document(document), camera, FinishedLight(black, {"sun": black}), film
    )
    return float(luminance(light.whole[SHAPE[0] // 2, SHAPE[1] // 2]))


def test_under_a_full_moon_the_distance_is_brightest_below_it() -> None:
    # 25 November 2026, an hour past midnight: a full moon stands high, the sun far below
    night = Document().change("air", haze_on=True, haze_visibility_km=2.0).change("stage.ground", kind="none")
    night = night.change("sun", wall_time=datetime(2026, 11, 25, 4), moon=True)
    sky = SkyInputs.of(night)
    assert sky.moon is not None and sky.moon.elevation_deg > 20.0 and sky.elevation_deg < -20.0
    below, away = (far_luminance(night, towards(sky.moon_azimuth_deg + turn)) for turn in (0.0, 180.0))
    assert below > 1.2 * away
    # far away air and sky are the same light
    dome, a = dome_from_document(night), np.radians(sky.moon_azimuth_deg)
    horizon = dome_radiance(dome, np.array([[np.sin(a), np.cos(a), 0.01]]) / np.hypot(1.0, 0.01))
    assert below == pytest.approx(float(luminance(horizon[0])), rel=0.1)  # which lies half a degree higher
    # while there is twilight both light it, and the horizon stands for both
    assert not AerialInputs.of(sky, CAMERA, 1.5).by_horizon
    dusk = SkyInputs.of(night.change("sun", wall_time=datetime(2026, 11, 24, 16, 40)))
    assert dusk.moon is not None and moon_fraction(dusk.moon, dusk.elevation_deg) > 0.0
    assert -10.0 < dusk.elevation_deg < 0.0
    assert AerialInputs.of(dusk, CAMERA, 1.5).by_horizon


def test_a_tint_of_the_distance_colours_the_airs_light_and_takes_no_more_away() -> None:
    tinted = HAZY.change("air", aerial_tint=(1.0, 0.4, 0.2), aerial_tint_strength=0.6)
    plain, warm = (light_at(1500.0, document).parts[AERIAL][6, 9] for document in (HAZY, tinted))
    assert warm[0] / warm[2] > 1.5 * plain[0] / plain[2]
    assert np.allclose(light_at(1500.0, tinted).parts["sun"], light_at(1500.0, HAZY).parts["sun"])


def test_the_hand_on_the_sky_reaches_the_distance_before_it() -> None:
    brighter = HAZY.change("sky", luminance_curve=(1.0,) * 5)
    plain, bright = (light_at(1500.0, document).parts[AERIAL] for document in (HAZY, brighter))
    assert bright == pytest.approx(2.0 * plain, rel=1e-3)
    alone = HAZY.change("sky", luminance_curve=(1.0,) * 5, acts_on="background")
    assert light_at(1500.0, alone).parts[AERIAL] == pytest.approx(bright, rel=1e-3)


def test_an_own_visibility_takes_the_sky_along_when_asked() -> None:
    def of_sky(**values: object) -> np.ndarray:
        return light_at(0.0, HAZY.change("air", aerial_visibility_km=0.5, **values)).parts["sun"][6, 9]

    assert (of_sky() == 900.0).all()
    veiled = of_sky(aerial_on_sky=True)
    assert (veiled < 1.0).all()  # four times as dense as the physical to the end of sight: all is air
    backdrop = HAZY.change("air", aerial_visibility_km=0.5, aerial_on_sky=True).change("sky", backdrop="none")
    assert (light_at(0.0, backdrop).parts["sun"] == 900.0).all()


def test_with_a_panorama_alone_the_distance_is_lit_by_it_and_still_follows_the_sun() -> None:
    # sun and sky are put out by their gains; a panorama gives the ground three times what they did
    out = HAZY.change("fill", sun_stops=-6.0, sky_stops=-6.0)
    settings = aerial_settings(out, gains_from_document(out), CAMERA, 3.0)
    assert settings is not None
    assert settings.sun_gain == settings.sky_gain == pytest.approx((3.0 + 2.0**-6,) * 3)
    assert AerialInputs.of(SkyInputs.of(out), CAMERA, 1.5) == inputs_of(HAZY)  # the sun stands where it stood
    brighter = aerial_settings(out, gains_from_document(out.change("fill", panorama_stops=1.0)), CAMERA, 3.0)
    assert brighter is not None and brighter.sky_gain == pytest.approx((6.0 + 2.0**-6,) * 3)


def test_a_panorama_that_is_only_seen_does_not_light_the_distance() -> None:
    lit = HAZY.change("panorama", file=str(PANORAMAS / "evening.exr"), illuminance_lx=120_000.0)
    seen = light_at(1500.0, lit.change("panorama", lights_scene=False)).parts[AERIAL]
    assert seen == pytest.approx(light_at(1500.0, HAZY).parts[AERIAL], rel=1e-6)
    assert light_at(1500.0, lit).parts[AERIAL].mean() > 1.5 * seen.mean()


def test_a_panorama_counts_by_what_it_gives_level_ground() -> None:
    dome, panorama = dome_from_document(HAZY), uniform_dome(5000.0)
    level = float(luminance(dome.sun_horizontal + dome.sky_horizontal))
    assert panorama_fraction(dome, panorama) == pytest.approx(5000.0 * np.pi / level, rel=1e-4)
    assert panorama_fraction(dome, None) == 0.0
