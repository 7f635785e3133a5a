# SPDX-License-Identifier: Apache-2.0
"""Shafts of light against the integral of single scattering, written out here, and against what must hold."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from gloamet.document.air import LightShaftState
from gloamet.document.model import Document
from gloamet.sky.dome import SUN_DIAMETER_DEG, SkyDome, assemble_dome, uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Renderer
from gloamet.trace.light_shafts import LightShaftFilm, ParticipatingMedium
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from gloamet.translation.document_to_light_shafts import (
    FEWEST,
    SHAFTS,
    apply_light_shafts,
    light_shaft_samples,
    medium_from_document,
)
from gloamet.translation.finished_light import FinishedLight
from tests.conftest import box, level, make_scene, quad

F = np.float32
GREY = Material("grey", (0.5, 0.5, 0.5), 1.0, 0.0)
GLASS = Material("glass", (1.0, 1.0, 1.0), transmission=1.0)
AWAY = make_scene((level(0.1, -50.0), GREY))  # nothing in the way
ALONG = Camera((0.0, -20.0, 2.0), (0.0, 0.0, 2.0), 0.5)  # level, along +y
LX = 1000.0


def medium(
    extinction: float, g: float = 0.0, box_min=(-5.0, -5.0, 0.0), box_max=(5.0, 5.0, 4.0), colour=1.0
) -> ParticipatingMedium:  # type: ignore[no-untyped-def]
    corners = [tuple(F(v) for v in corner) for corner in (box_min, box_max)]
    return ParticipatingMedium(corners[0], corners[1], F(extinction), (F(colour),) * 3, F(g))  # type: ignore[arg-type]


def sun(elevation: float, azimuth: float = 180.0, diameter: float = SUN_DIAMETER_DEG) -> SkyDome:
    black = np.zeros_like(uniform_dome(0.0).table)
    return assemble_dome(black, azimuth, elevation, diameter, np.full(3, LX), 0.0)


def expose(
    tracer: Renderer, scene: Scene, dome: SkyDome, of: ParticipatingMedium, camera: Camera, samples=64
) -> LightShaftFilm:  # type: ignore[no-untyped-def]
    film = LightShaftFilm(16, 16)
    lights = build_environment(dome)
    assert film.accumulate(tracer, build_render_scene(scene), lights, camera, of, samples)
    return film


def phase(cosine: float, g: float) -> float:
    """Henyey & Greenstein 1941, written out."""
    return (1.0 - g * g) / (4.0 * math.pi * (1.0 + g * g - 2.0 * g * cosine) ** 1.5)


@pytest.mark.proof(
    "In-scattered radiance of a medium lit from above",
    source="single-scattering integral, computed by hand",
    kind="physics",
)
@pytest.mark.parametrize(("extinction", "g"), [(0.02, 0.0), (0.3, 0.6), (0.3, -0.4)])
def test_light_of_even_dust_is_the_integral_of_single_scattering(
    tracer: Renderer, extinction: float, g: float
) -> None:
    # the eye looks level through 10 m of dust, the sun comes straight down through 2 m of it
    film = expose(tracer, AWAY, sun(90.0), medium(extinction, g, colour=0.8), ALONG)
    lost = 1.0 - math.exp(-10.0 * extinction)
    expected = 0.8 * LX * phase(0.0, g) * math.exp(-2.0 * extinction) * lost
    assert film.light().mean() == pytest.approx(expected, rel=0.005)
    assert film.through().mean() == pytest.approx(math.exp(-10.0 * extinction), rel=1e-3)


def march(extinction: float, g: float, elevation: float, lit) -> float:  # type: ignore[no-untyped-def]
    """The same integral by small steps, for a sun in the east and a ray along +y at x = 0, z = 2."""
    sine, cosine = math.sin(math.radians(elevation)), math.cos(math.radians(elevation))
    steps, total = 20_000, 0.0
    for k in range(steps):
        y = -5.0 + 10.0 * (k + 0.5) / steps
        if lit(y):
            # towards the sun the box ends at its top or at its side
            out = min(2.0 / sine, 5.0 / cosine)
            total += math.exp(-extinction * (y + 5.0)) * math.exp(-extinction * out)
    return extinction * total * 10.0 / steps * LX * phase(0.0, g)


@pytest.mark.parametrize(("first", "last"), [(-1.0, 1.5), (-4.5, -2.0), (3.0, 4.5)])
def test_a_slit_draws_a_shaft_that_agrees_with_a_march(tracer: Renderer, first: float, last: float) -> None:
    # a lid with a slit along x, above the dust; a sun of next to no width from the east
    lid = np.concatenate([
        quad((-99, -99, 4.01), (99, -99, 4.01), (99, first, 4.01), (-99, first, 4.01)),
        quad((-99, last, 4.01), (99, last, 4.01), (99, 99, 4.01), (-99, 99, 4.01)),
    ])  # fmt: skip
    light = sun(50.0, 90.0, 0.1)
    film = expose(tracer, make_scene((lid, GREY)), light, medium(0.2, 0.5), ALONG, 256)
    expected = march(0.2, 0.5, 50.0, lambda y: first <= y <= last)
    assert film.light().mean() == pytest.approx(expected, rel=0.01)
    whole = expose(tracer, AWAY, light, medium(0.2, 0.5), ALONG, 256)
    assert whole.light().mean() == pytest.approx(march(0.2, 0.5, 50.0, lambda y: True), rel=0.01)


def test_forward_dust_is_brightest_against_the_sun(tracer: Renderer) -> None:
    at, away = (
        expose(tracer, AWAY, sun(10.0, azimuth), medium(0.01, 0.7), ALONG).light().mean()
        for azimuth in (0.0, 180.0)
    )
    cosine = math.cos(math.radians(10.0))
    assert at / away == pytest.approx(phase(cosine, 0.7) / phase(-cosine, 0.7), rel=0.03)


def test_an_even_sky_lights_thin_dust_from_half_of_all_directions(tracer: Renderer) -> None:
    # isotropic dust with no ground: σ · length · L / 2, less what it takes itself (some 1 %)
    film = expose(tracer, AWAY, uniform_dome(100.0), medium(0.001), ALONG, 128)
    assert film.light(0.0, 1.0).mean() == pytest.approx(0.001 * 10.0 * 100.0 / 2.0, rel=0.02)


def test_a_wall_ends_the_dust_and_a_pane_does_not(tracer: Renderer) -> None:
    # at y = 0, half-way through
    wall = quad((-9, 0, -9), (9, 0, -9), (9, 0, 9), (-9, 0, 9))
    light, half = sun(60.0, 90.0), medium(0.2)
    ended = expose(tracer, make_scene((wall, GREY)), light, half, ALONG, 16)
    assert ended.through().mean() == pytest.approx(math.exp(-1.0), rel=1e-3)
    pane = expose(tracer, make_scene((wall, GLASS)), light, half, ALONG, 64)
    free = expose(tracer, AWAY, light, half, ALONG, 64)
    assert pane.through().mean() == pytest.approx(math.exp(-2.0), rel=1e-3)
    behind = free.light().mean() - ended.light().mean()
    # what is scattered beyond a pane of index 1.5 passes it at 92 % (Fresnel, both faces)
    assert pane.light().mean() == pytest.approx(ended.light().mean() + 0.92 * behind, rel=0.015)


def test_gains_of_sun_and_sky_are_apart(tracer: Renderer) -> None:
    both = assemble_dome(uniform_dome(50.0).table, 180.0, 40.0, 0.533, np.full(3, LX), 0.0)
    film = expose(tracer, AWAY, both, medium(0.05), ALONG, 16)
    np.testing.assert_allclose(film.light(2.0, 3.0), 2.0 * film.light(1.0, 0.0) + 3.0 * film.light(0.0, 1.0))
    assert film.light(1.0, 0.0).mean() > 0.0 and film.light(0.0, 1.0).mean() > 0.0


def test_outside_its_box_there_is_no_dust(tracer: Renderer) -> None:
    aside = medium(0.5, box_min=(30.0, -5.0, 0.0), box_max=(40.0, 5.0, 4.0))
    film = expose(tracer, AWAY, sun(60.0), aside, ALONG, 4)
    assert not film.light().any() and (film.through() == 1.0).all()


def test_the_dust_of_what_is_seen_ends_at_the_rooms_panes(tracer: Renderer) -> None:
    pane = quad((-4, 3, -1), (4, 3, -1), (4, 3, 5), (-4, 3, 5))
    room = make_scene((box((-4, -4, -1), (4, 3, -0.9)), GREY), (pane, GLASS), (level(90.0, -2.0), GREY))
    camera = Camera((0.0, -3.0, 1.0), (0.0, 3.0, 1.0), 40.0)
    compiled = build_render_scene(room)
    found = medium_from_document(LightShaftState(on=True, region="view"), compiled, camera, tracer)
    assert found is not None and found.high[1] == pytest.approx(3.05, abs=0.01)
    assert medium_from_document(LightShaftState(), compiled, camera, tracer) is None
    whole = medium_from_document(
        LightShaftState(on=True, region="model", visibility_m=39.12), compiled, camera, tracer
    )
    assert whole is not None and whole.extinction == pytest.approx(0.1, rel=1e-3)  # ln 50 over the visibility


def test_the_same_samples_come_whatever_the_passes(tracer: Renderer) -> None:
    at_once, in_two = (LightShaftFilm(12, 10) for _ in range(2))
    arguments = (tracer, build_render_scene(AWAY), build_environment(sun(45.0)), ALONG, medium(0.1))
    at_once.accumulate(*arguments, 6)
    in_two.accumulate(*arguments, 2)
    in_two.accumulate(*arguments, 4)
    np.testing.assert_array_equal(at_once.light(), in_two.light())
    assert not LightShaftFilm(4, 4).accumulate(*arguments, 1, lambda: True)


def test_a_stopped_picture_has_dust_all_over_and_one_that_goes_on_all_of_its_samples(
    tracer: Renderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = Document().change("light_shafts", on=True, region="box")
    lights, compiled = build_environment(sun(60.0)), build_render_scene(AWAY)
    light = FinishedLight(np.zeros((8, 8, 3), np.float32), {})
    passes: list[int] = []
    accumulate = LightShaftFilm.accumulate

    def counted(self: LightShaftFilm, *arguments: Any) -> bool:
        passes.append(arguments[-1])
        return accumulate(self, *arguments)

    monkeypatch.setattr(LightShaftFilm, "accumulate", counted)
    looking = replace(ALONG, fov_deg=20.0)
    through = apply_light_shafts(document, compiled, lights, looking, light, 256.0, False, lambda: True)
    assert passes == [FEWEST]
    assert (through.parts[SHAFTS][4] > 0.0).any()
    passes.clear()
    apply_light_shafts(document, compiled, lights, looking, light, 256.0, False)
    assert sum(passes) == light_shaft_samples(256.0) and max(passes) <= FEWEST
    plain = document.change("light_shafts", on=False)
    assert apply_light_shafts(plain, compiled, lights, looking, light, 256.0, False) is light
