# SPDX-License-Identifier: Apache-2.0
"""What a camera meets: picking, standing, contours, and the film's rectangle and counts."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import EYE_HEIGHT_M, Camera
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Material
from gloamet.trace.camera_placement import lift_out_of_surfaces, place_eye, surface_under
from gloamet.trace.contours import composite_lines, contours
from gloamet.trace.film import Film, Renderer, pixel_region
from gloamet.trace.first_hits import GROUND, NOTHING, first_hits, probe
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.noise import error_quantile, tile_relative_error
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, level, make_scene, quad

GREY = Material("grey", (0.5, 0.5, 0.5))
ROOM = box((-2, -2, 0.0), (2, 2, 3.0))


@pytest.fixture
def yard() -> RenderScene:
    """A level floor, a solid block, a table one can stand under and a wall, on an endless ground."""
    table = box((5.0, -1.0, 1.0), (7.0, 1.0, 1.1))
    return build_render_scene(
        make_scene((level(4.0, 0.5), GREY), (box((-1, -1, 0.5), (1, 1, 2.5)), GREY), (table, GREY)),
        GroundPlane(0.0, math.inf),
    )


def test_maps_tell_part_depth_and_normal(tracer: Renderer, yard: RenderScene) -> None:
    maps = first_hits(yard, Camera((0, 0, 20.0), (0, 0, 0), parallel_m=20.0), 80, 80, tracer.pool)
    assert maps.part[40, 40] == 1
    assert maps.depth[40, 40] == pytest.approx(17.5, abs=1e-4)
    assert maps.part[40, 50] == 0
    assert maps.part[1, 1] == GROUND
    assert maps.normal[40, 40] == pytest.approx([0, 0, 1], abs=1e-6)
    up = first_hits(yard, Camera((0, 0, 5.0), (0, 0.001, 20.0), 10.0), 8, 8, tracer.pool)
    assert (up.part == NOTHING).all()


def test_a_probe_knows_front_from_back(yard: RenderScene) -> None:
    out = probe(yard, (0.0, 0.0, 10.0), (0, 0, -1))
    inside = probe(yard, (0.0, 0.0, 1.0), (0, 0, 1))
    assert out is not None
    assert inside is not None
    assert not out.from_behind
    assert inside.from_behind
    assert inside.point == pytest.approx([0, 0, 2.5], abs=1e-5)
    assert probe(yard, (0.0, 0.0, 10.0), (0, 0, 1)) is None


@pytest.mark.parametrize(("x", "floor"), [(3.0, 0.5), (0.0, 2.5), (6.0, 1.1), (9.0, 0.0)])
def test_one_stands_at_eye_height_on_what_is_there(yard: RenderScene, x: float, floor: float) -> None:
    assert surface_under(yard, x, 0.0, 20.0) == pytest.approx(floor, abs=1e-5)
    assert place_eye(yard, x, 0.0, 20.0)[2] == pytest.approx(floor + EYE_HEIGHT_M, abs=1e-3)


def test_nobody_stands_inside_a_block_or_with_the_head_in_a_table(yard: RenderScene) -> None:
    # from a cut below the top of the block, and under a table too low to stand beneath
    inside = place_eye(yard, 0.0, 0.0, 1.5)
    assert inside[2] == pytest.approx(2.5 + EYE_HEIGHT_M, abs=1e-2)
    assert place_eye(yard, 6.0, 0.0, 0.9)[2] == pytest.approx(1.1 + EYE_HEIGHT_M, abs=1e-2)


def test_one_keeps_an_elbow_from_walls(yard: RenderScene) -> None:
    eye = place_eye(yard, 1.05, 0.0, 20.0)
    assert eye[0] >= 1.05


def test_an_eye_inside_a_solid_is_lifted_out(yard: RenderScene) -> None:
    assert lift_out_of_surfaces(yard, np.array([0.0, 0.0, 1.0]))[2] > 2.5
    free = np.array([3.0, 3.0, 2.0])
    assert lift_out_of_surfaces(yard, free) == pytest.approx(free)


# -- ink


def test_contours_are_drawn_where_shapes_end_and_nowhere_on_a_plane(tracer: Renderer) -> None:
    scene = build_render_scene(make_scene((level(50.0), GREY), (box((-1, -1, 0), (1, 1, 2)), GREY)))
    camera = Camera((6.0, -8.0, 5.0), (0.0, 0.0, 1.0), 25.0)
    cover = contours(first_hits(scene, camera, 300, 300, tracer.pool), 4.0)
    # the nearest upright edge of the box stands under the ink, an empty piece of floor does not
    spot = camera.project_point(np.array([1.0, -1.0, 1.0]), 1.0)
    assert spot is not None
    column, row = int(spot[0] * 300), int(spot[1] * 300)
    assert cover[row - 2 : row + 3, column - 2 : column + 3].max() > 0.9
    assert cover[270:, :60].max() == 0.0
    assert 0.005 < cover.mean() < 0.08


def test_heavier_ink_covers_more_and_darkens_only_what_it_covers(tracer: Renderer) -> None:
    scene = build_render_scene(make_scene((box((-1, -1, 0), (1, 1, 2)), GREY)))
    maps = first_hits(scene, Camera((6.0, -8.0, 5.0), (0.0, 0.0, 1.0), 25.0), 400, 400, tracer.pool)
    thin, thick = contours(maps, 2.0), contours(maps, 6.0)
    assert thick.sum() > 1.5 * thin.sum()
    white = np.ones((400, 400, 3), np.float32)
    drawn = composite_lines(white, thick)
    assert (drawn[thick == 0.0] == 1.0).all()
    assert drawn[thick > 0.99].max() < 0.1


def test_slats_finer_than_the_picture_draw_no_dashes(tracer: Renderer) -> None:
    # boards with gaps of a third of a sample: sampled here and there they would leave broken lines
    boards = [quad((k, 0, 0), (k + 0.985, 0, 0), (k + 0.985, 0, 30), (k, 0, 30)) for k in range(-30, 30)]
    wall = quad((-40, 1, -5), (40, 1, -5), (40, 1, 40), (-40, 1, 40))
    scene = build_render_scene(make_scene((np.concatenate(boards), GREY), (wall, GREY)))
    maps = first_hits(scene, Camera((3.0, -60.0, 15.0), (0.0, 0.0, 15.0), 20.0), 400, 400, tracer.pool)
    assert contours(maps, 2.0)[40:-40, 40:-40].mean() < 0.01


# -- the film


def test_a_rectangle_is_refined_alone(tracer: Renderer) -> None:
    scene = build_render_scene(make_scene((level(50.0), GREY)))
    film, lights = Film(64, 48), build_environment(uniform_dome(1.0))
    camera = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 20.0)
    assert tracer.accumulate(film, scene, lights, camera, 2)
    before = film.mean("sky").copy()
    region = pixel_region((0.25, 0.25, 0.75, 0.75), 64, 48)
    assert region == (16, 12, 48, 36)
    assert tracer.accumulate(film, scene, lights, camera, 30, region=region)
    assert film.samples_in(region) == 32
    assert film.samples_in(None) == 2
    assert film.samples == 32
    inside = np.zeros((48, 64), bool)
    inside[12:36, 16:48] = True
    after = film.mean("sky")
    assert (after[~inside] == before[~inside]).all()
    assert (after[inside] != before[inside]).any()
    within, beside = (error_quantile(tile_relative_error(film, region=r)) for r in (region, (0, 0, 16, 48)))
    assert within < 0.5 * beside


def test_rectangles_are_turned_round_clipped_and_never_empty() -> None:
    assert pixel_region(None, 100, 100) is None
    assert pixel_region((0.9, 0.8, 0.1, 0.2), 100, 100) == (10, 20, 90, 80)
    x0, y0, x1, y1 = pixel_region((1.0, 1.0, 1.0, 1.0), 100, 60) or (0, 0, 0, 0)
    assert (x1 - x0, y1 - y0) == (8, 8)
    assert (x1, y1) == (100, 60)
