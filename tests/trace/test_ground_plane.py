# SPDX-License-Identifier: Apache-2.0
"""What lies below the horizon: the same lit ground for whatever looks down, and nothing from anywhere else."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import ground_from_stage
from gloamet.stage.camera import Camera
from gloamet.stage.ground import BELOW_M, GroundPlane, own_ground, rest_height
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from gloamet.translation.document_to_light import build_stage, environment_from_document
from tests.conftest import box, level, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
RHO = 0.4


def expose(
    tracer: Renderer, scene: Scene, ground: GroundPlane | None, lights, camera, samples=256, bounces=2
):  # type: ignore[no-untyped-def]
    film = Film(16, 16)
    assert tracer.accumulate(film, build_render_scene(scene, ground), lights, camera, samples, bounces)
    return film


@pytest.mark.parametrize("radius", [0.0, 0.5, math.inf])
@pytest.mark.parametrize("elevation", [55.0, 12.0])
def test_the_underside_of_a_floating_plate_gets_exactly_the_lit_ground(
    tracer: Renderer, solver: SkySolver, radius: float, elevation: float
) -> None:
    # far above any ground and any shadow of its own: pi times the ground's luminance rho E / pi, whatever
    # stands for the ground (none, a disc out of sight, endless)
    dome = solver.dome(Air(ground_reflectance=RHO), 180.0, elevation)
    plate = make_scene((level(0.5, 100.0), GREY))
    ground = GroundPlane(0.0, radius, reflectance=RHO)
    below = Camera((0.0, 0.0, 98.0), (0.0, 0.001, 100.0), 5.0)
    film = expose(tracer, plate, ground, build_environment(dome), below, 400)
    lux = luminance(dome.sun_horizontal + dome.sky_horizontal)
    assert luminance(film.light().mean((0, 1))) == pytest.approx(0.5 * RHO * lux / math.pi, rel=0.02)


def test_ground_seen_from_above_is_reflectance_times_illuminance_over_pi(
    tracer: Renderer, solver: SkySolver
) -> None:
    dome = solver.dome(Air(ground_reflectance=RHO), 120.0, 35.0)
    aside = make_scene((level(0.1, 0.0) + [500.0, 0.0, 0.0], GREY))
    ground = GroundPlane(0.0, math.inf, reflectance=RHO, colour=(0.6, 0.5, 0.4))
    film = expose(tracer, aside, ground, build_environment(dome), Camera((0, 0, 5.0), (0, 0, 0), 10.0))
    lux = luminance(dome.sun_horizontal + dome.sky_horizontal)
    assert luminance(film.light().mean((0, 1))) == pytest.approx(RHO * lux / math.pi, rel=0.02)


def test_the_ground_bears_the_models_shadow(tracer: Renderer, solver: SkySolver) -> None:
    dome = solver.dome(Air(), 180.0, 45.0)
    cube = make_scene((box((-1, -1, 0), (1, 1, 2)), GREY))
    ground = GroundPlane(0.0, math.inf, reflectance=RHO)
    shade = Camera((0.0, 2.0, 8.0), (0.0, 2.0, 0.0), 3.0)  # north of it
    light = Camera((0.0, -4.0, 8.0), (0.0, -4.0, 0.0), 3.0)
    films = [expose(tracer, cube, ground, build_environment(dome), c, 64) for c in (shade, light)]
    assert films[0].mean("sun").mean() < 0.05 * films[1].mean("sun").mean()


def test_a_grey_void_gives_no_light_of_its_own(tracer: Renderer) -> None:
    # black sky, no sun: whatever the ground's reflectance, nothing comes up
    cube = make_scene((box((-1, -1, 1), (1, 1, 2)), GREY))
    for radius in (0.0, 3.0, math.inf):
        ground = GroundPlane(0.0, radius, reflectance=0.9)
        film = expose(
            tracer, cube, ground, build_environment(uniform_dome(0.0)), Camera((0, -6, 1), (0, 0, 1)), 16
        )
        assert not film.light().any()


def test_the_disc_ends_where_its_radius_says(tracer: Renderer) -> None:
    far = make_scene((level(0.1) + [0.0, 0.0, -50.0], GREY))
    ground = GroundPlane(0.0, 3.0, (10.0, 0.0), reflectance=RHO)
    lights = build_environment(uniform_dome(1.0))
    depths = []
    for x in (12.9, 13.1):
        film = expose(tracer, far, ground, lights, Camera((x, 0, 5.0), (x, 0, 0), 0.1), 4)
        depths.append(float(film.mean("depth").mean()))
    assert depths[0] == pytest.approx(5.0, abs=1e-3)
    assert depths[1] == 0.0


def test_the_distant_edge_melts_into_the_sky(tracer: Renderer, solver: SkySolver) -> None:
    dome = solver.dome(Air(4.0, ground_reflectance=RHO), 180.0, 30.0)
    scene = make_scene((level(0.1) + [0.0, -50.0, 0.0], GREY))
    level_view = Camera((0.0, 0.0, 2.0), (0.0, 10.0, 2.0), 6.0)
    steps = []
    for softness in (0.0, 3.0):
        ground = GroundPlane(0.0, math.inf, reflectance=RHO, softness_deg=softness)
        film = Film(8, 64)
        assert tracer.accumulate(
            film, build_render_scene(scene, ground), build_environment(dome), level_view, 64
        )
        column = luminance(film.light().mean(1))
        steps.append(float(np.abs(np.diff(column)).max()))
    assert steps[1] < 0.4 * steps[0]


def test_water_mirrors_the_sky_as_fresnel_says(tracer: Renderer) -> None:
    scene = make_scene((level(0.1) + [0.0, -50.0, 0.0], GREY))
    water = GroundPlane(0.0, math.inf, water=True, ripple=0.0, reflectance=0.02)
    lights = build_environment(uniform_dome(100.0))
    index, colour = 1.33, 0.04  # of clear deep water; its own colour reflects a few per cent at most
    for from_zenith in (0.0, 45.0, 60.0, 75.0, 85.0):
        angle = math.radians(from_zenith)
        eye = (0.0, -5.0 * math.tan(angle), 5.0)
        seen = expose(tracer, scene, water, lights, Camera(eye, (0, 0, 0), 0.5), 64)
        inside = math.sqrt(1.0 - (math.sin(angle) / index) ** 2)
        across = (math.cos(angle) - index * inside) / (math.cos(angle) + index * inside)
        along = (index * math.cos(angle) - inside) / (index * math.cos(angle) + inside)
        mirrored = 0.5 * (across**2 + along**2)  # Fresnel, for light that is not polarised
        fraction = luminance(seen.light().mean((0, 1))) / 100.0
        # surfaces take the approximation of Schlick 1994, which lies above Fresnel between 60 and 90 degrees
        straight = ((index - 1.0) / (index + 1.0)) ** 2
        schlick = straight + (1.0 - straight) * (1.0 - math.cos(angle)) ** 5
        assert mirrored - 0.01 < fraction < max(mirrored, schlick) + (1.0 - mirrored) * colour + 0.01, (
            from_zenith
        )


# -- where it lies


def _scene(*boxes: np.ndarray) -> Scene:
    return make_scene(*((b, GREY) for b in boxes))


def test_a_floating_model_gets_its_ground_at_its_lowest_point() -> None:
    scene = _scene(box((0, 0, 7.0), (2, 3, 9.0)))
    assert own_ground(scene) is None
    assert rest_height(scene, None) == (pytest.approx(7.0 - BELOW_M), None)


def test_a_model_with_its_own_ground_is_left_alone_inside_it() -> None:
    scene = _scene(level(30.0, 0.2), box((-2, -2, 0.2), (2, 2, 5.0)))
    ground = own_ground(scene)
    assert ground is not None
    height, hole = rest_height(scene, ground)
    assert height == pytest.approx(0.2 - BELOW_M)
    assert hole == pytest.approx((-30.0, -30.0, 30.0, 30.0))


def test_a_flat_roof_or_a_table_top_is_no_ground() -> None:
    assert own_ground(_scene(level(3.0, 4.0), box((-2, -2, 0), (2, 2, 3.9)))) is None
    assert own_ground(_scene(level(0.5, 0.7), box((-2, -2, 0), (2, 2, 2.5)))) is None
    # on a hill of 100 m too: a third of the model's own height counts
    assert own_ground(_scene(level(3.0, 104.0), box((-2, -2, 100.0), (2, 2, 105.0)))) is None
    assert own_ground(_scene(level(3.0, 101.0), box((-2, -2, 100.0), (2, 2, 105.0)))) is not None


def test_a_muted_ground_of_the_models_own_leaves_no_hole() -> None:
    scene = _scene(level(30.0, 0.0), box((-2, -2, 0), (2, 2, 5.0)))
    stage = Document().stage
    assert ground_from_stage(stage.ground, stage.muted, 0.2, scene).hole is not None
    muted = stage.model_copy(update={"muted": (scene.parts[0].name,)})
    assert ground_from_stage(muted.ground, muted.muted, 0.2, scene).hole is None


def test_a_ground_of_the_models_own_and_the_endless_one_meet_without_a_seam_of_light(
    tracer: Renderer, tmp_path: Path
) -> None:
    # the same reflectance inside and outside the model's own ground: the picture is even across its edge
    own = Material("own", (RHO, RHO, RHO))
    scene = make_scene((level(5.0), own), (box((-0.2, -0.2, 0), (0.2, 0.2, 0.4)), own))
    document = Document().change("air", ground_reflectance=RHO)
    document = document.change("stage.ground", colour=(1.0, 1.0, 1.0))
    compiled = build_stage(document, scene)
    assert compiled.ground is not None
    assert compiled.ground.hole is not None
    lights = environment_from_document(document, uniform_dome(100.0), None)
    film = Film(32, 16)
    edge = Camera((5.0, 0.0, 4.0), (5.0, 0.001, 0.0), 30.0)
    assert tracer.accumulate(film, compiled, lights, edge, 256, 1)
    picture = luminance(film.light())
    assert picture[:, :12].mean() == pytest.approx(picture[:, 20:].mean(), rel=0.02)


def test_the_ground_follows_a_height_by_hand() -> None:
    scene = _scene(box((0, 0, 7.0), (2, 3, 9.0)))
    stage = Document().change("stage.ground", automatic=False, height_m=1.5, kind="disc", radius_m=20.0).stage
    ground = ground_from_stage(stage.ground, stage.muted, 0.3, scene)
    assert (ground.height_m, ground.radius_m, ground.reflectance) == (1.5, 20.0, 0.3)
    assert ground.centre == pytest.approx((1.0, 1.5))


def test_no_ground_is_still_no_black_void(tracer: Renderer, solver: SkySolver) -> None:
    dome = solver.dome(Air(ground_reflectance=RHO), 180.0, 40.0)
    part = make_scene((box((-1, -1, 5), (1, 1, 6)), GREY))
    film = expose(
        tracer,
        part,
        GroundPlane(radius_m=0.0, reflectance=RHO),
        build_environment(dome),
        Camera((0, -8, 8.0), (0, 0, -5.0), 20.0),
        32,
    )
    assert film.light().min() > 0.0


def test_a_mirror_on_the_ground_shows_the_sky(tracer: Renderer) -> None:
    # a mirror lying on the ground shows the sky above, not the ground below
    mirror = Material("mirror", (1, 1, 1), 0.0, 1.0)
    scene = make_scene((level(1.0, 0.01), mirror))
    film = expose(
        tracer,
        scene,
        GroundPlane(0.0, math.inf, reflectance=0.1),
        build_environment(uniform_dome(100.0)),
        Camera((0, 0, 5.0), (0, 0, 0), 5.0),
        16,
    )
    assert luminance(film.light().mean((0, 1))) == pytest.approx(100.0, rel=0.01)
