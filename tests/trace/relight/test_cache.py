# SPDX-License-Identifier: Apache-2.0
"""A relit picture beside the exact one, and what relighting must keep: sums, gains, a stop half-way.

Both come from this program; the exact one is checked against closed forms elsewhere.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import count

import numpy as np
import pytest

from gloamet.light_layers import even_gains
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.relight.antialias import FAR_REACH
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.cell_light import SAMPLES_PER_CELL
from gloamet.trace.relight.displays import NO_OUTLINES
from gloamet.trace.relight.points import UNIT_SOURCE_GAINS, SourceGains
from gloamet.trace.relight.radiance_cells import GROUND_ROW, UNKNOWN_ROW
from gloamet.trace.render_scene import RenderScene, build_render_scene, differs_by_ground_reflectance
from tests.conftest import box, level, make_scene
from tests.trace.test_path_tracer_bodies import textured
from tests.trace.test_portals import room

WIDTH, HEIGHT = 128, 96
PLAIN = Material("plain", (0.5, 0.45, 0.4))
COURT = Camera((5.5, -7.5, 3.2), (0.0, 0.0, 0.6), 40.0)


def court() -> Scene:
    """A block and a slab on a plain: open shade, contact, coloured bounce."""
    return make_scene(
        (level(40.0), PLAIN),
        (box((-1, -1, 0), (1, 1, 2)), Material("red", (0.6, 0.15, 0.1))),
        (box((-3, 0.6, 1.4), (-1.2, 2.4, 1.5)), Material("pale", (0.8, 0.8, 0.8))),
    )


def made(scene: RenderScene, camera: Camera, lights: Environment, tracer: Renderer) -> RelightCache:
    record = RelightCache(scene, camera, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    while not record.full:
        assert record.improve(lights)
    return record


def exact(
    scene: RenderScene, camera: Camera, lights: Environment, tracer: Renderer, samples: int = 192
) -> np.ndarray:
    film = Film(WIDTH, HEIGHT)
    tracer.accumulate(film, scene, lights, camera, samples, 16)
    return film.light(even_gains(lamps=0.0))


def source_gains(sun: float, sky: float) -> SourceGains:
    pair = (np.float32(sun),) * 3, (np.float32(sky),) * 3
    return UNIT_SOURCE_GAINS._replace(sun=pair[0], sky=pair[1], sun_indirect=pair[0], sky_indirect=pair[1])


def apart(relit: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Relative differences over squares of four pixels, which takes the grain out of both."""
    small = [p.reshape(HEIGHT // 4, 4, WIDTH // 4, 4, 3).mean((1, 3))[..., 1] for p in (relit, other)]
    return np.asarray(np.abs(small[0] - small[1]) / small[1])


@pytest.fixture(scope="module")
def scene() -> RenderScene:
    return build_render_scene(court())


@pytest.fixture(scope="module")
def record(scene: RenderScene, solver: SkySolver, tracer: Renderer) -> RelightCache:
    return made(scene, COURT, build_environment(solver.dome(Air(3.0), 150.0, 40.0)), tracer)


@pytest.mark.parametrize("sun", [(150.0, 55.0), (240.0, 25.0), (90.0, 10.0)])
def test_a_relit_court_is_the_exact_one(
    sun: tuple[float, float], record: RelightCache, scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    lights = build_environment(solver.dome(Air(3.0), *sun))
    relit, other = record.relit(lights, at_rest=True), exact(scene, COURT, lights, tracer)
    assert relit.mean((0, 1)) == pytest.approx(other.mean((0, 1)), rel=0.01)
    assert np.median(apart(relit, other)) < 0.015


@pytest.mark.parametrize("times", [1e-3, 1e3])
def test_a_room_follows_a_leap_from_day_to_dusk_in_the_first_picture(times: float, tracer: Renderer) -> None:
    stage, camera = build_render_scene(room()), Camera((1.7, 1.5, 1.5), (-1.0, -1.5, 1.2), 60.0)
    day, dusk = (build_environment(uniform_dome(level)) for level in (100.0, 100.0 * times))
    record = made(stage, camera, day, tracer)
    settled = record.relit(day, at_rest=True)
    first = record.relit(dusk)
    assert first.mean() == pytest.approx(times * settled.mean(), rel=0.02)


def test_a_sun_that_leaps_below_the_horizon_takes_the_light_of_the_day_with_it(
    solver: SkySolver, tracer: Renderer
) -> None:
    stage, camera = build_render_scene(room()), Camera((1.7, 1.5, 1.5), (-1.0, -1.5, 1.2), 60.0)
    day, dusk = (build_environment(solver.dome(Air(3.0), 180.0, height)) for height in (30.0, -4.0))
    record = made(stage, camera, day, tracer)
    record.relit(day, at_rest=True)
    first, settled = record.relit(dusk).mean(), record.relit(dusk, at_rest=True).mean()
    assert first == pytest.approx(settled, rel=0.01)


def test_fifty_suns_and_skies_keep_their_mean_and_their_places(
    record: RelightCache, scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    dice = np.random.default_rng(11)
    for _ in range(50):
        air, azimuth, elevation = Air(dice.uniform(1.8, 7.0)), dice.uniform(0, 360), dice.uniform(4, 75)
        lights = build_environment(solver.dome(air, azimuth, elevation))
        relit, other = record.relit(lights, at_rest=True), exact(scene, COURT, lights, tracer, 12)
        assert relit.mean() == pytest.approx(other.mean(), rel=0.02), (azimuth, elevation)
        # half of it is the exact one's grain
        assert np.median(apart(relit, other)) < 0.04, (azimuth, elevation)


def test_a_plain_under_an_even_sky_sends_back_its_reflectance(tracer: Renderer) -> None:
    bare = build_render_scene(make_scene((level(400.0), PLAIN)))
    camera = Camera((0.0, -6.0, 4.0), (0.0, 0.0, 0.0), 40.0)
    lights = build_environment(uniform_dome(100.0))
    relit = made(bare, camera, lights, tracer).relit(lights)
    assert relit[8:-8, 8:-8, 1] == pytest.approx(45.0, rel=0.1)
    assert relit[..., 1].mean() == pytest.approx(
        exact(bare, camera, lights, tracer, 16)[..., 1].mean(), rel=0.01
    )


def test_a_room_lit_through_a_window_is_the_exact_one(solver: SkySolver, tracer: Renderer) -> None:
    scene = build_render_scene(room(), GroundPlane(reflectance=0.3))
    assert len(scene.portals) == 1
    camera = Camera((1.7, 1.5, 1.5), (-1.0, -1.0, 1.0), 60.0)
    lights = build_environment(solver.dome(Air(3.0), 190.0, 35.0))
    record = made(scene, camera, lights, tracer)
    relit, other = record.relit(lights, at_rest=True), exact(scene, camera, lights, tracer, 256)
    assert np.median(apart(relit, other)) < 0.06
    assert relit.mean() == pytest.approx(other.mean(), rel=0.04)


def test_sun_and_sky_add_up_and_gains_scale_them(record: RelightCache, solver: SkySolver) -> None:
    lights = build_environment(solver.dome(Air(3.0), 200.0, 30.0))
    sun, sky = (
        record.relit(lights, source_gains(1.0, 0.0), True),
        record.relit(lights, source_gains(0.0, 1.0), True),
    )
    both = record.relit(lights, source_gains(2.0, 0.5), True)
    assert both == pytest.approx(2.0 * sun + 0.5 * sky, rel=2e-3, abs=0.2)


def test_guides_are_what_the_film_s_first_surfaces_are(
    record: RelightCache, scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    film, features = Film(WIDTH, HEIGHT), record.features()
    tracer.accumulate(film, scene, build_environment(uniform_dome(1.0)), COURT, 8)
    near = film.mean("depth") > 0.0
    off = np.abs(features.depth - film.mean("depth"))[near] / film.mean("depth")[near]
    assert np.median(off) < 0.01
    assert np.median(np.abs(features.albedo - film.mean("albedo"))) < 0.01
    assert np.median(np.abs(features.normal - film.mean("normal"))[near]) < 0.01
    assert ((features.depth == 0.0) == (film.mean("depth") == 0.0)).mean() > 0.97


def test_outlines_of_another_light_are_mixed_and_the_rest_stays(record: RelightCache) -> None:
    features = record.features()
    mixed = record.with_outlines(features.albedo)
    changed = (mixed != features.albedo).any(-1)
    assert 0.0 < changed.mean() < 0.2
    assert mixed.min() >= features.albedo.min() and mixed.max() <= features.albedo.max()
    assert mixed.mean() == pytest.approx(features.albedo.mean(), rel=0.01)


def test_a_moving_sun_ends_where_a_resting_one_is(record: RelightCache, solver: SkySolver) -> None:
    for step in range(12):
        lights = build_environment(solver.dome(Air(3.0), 150.0 + 0.5 * step, 40.0))
        moved = record.relit(lights)
    resting = record.relit(lights, at_rest=True)
    assert moved.mean() == pytest.approx(resting.mean(), rel=0.01)
    assert np.median(np.abs(moved - resting) / resting) < 0.02


def test_rays_left_out_while_the_sun_moves_are_not_missed(record: RelightCache, solver: SkySolver) -> None:
    record.relit(build_environment(solver.dome(Air(3.0), 100.0, 45.0)), at_rest=True)
    for step in range(6):
        lights = build_environment(solver.dome(Air(3.0), 100.0 + 4.0 * step, 45.0 - step))
        moved = record.relit(lights)
    resting = record.relit(lights, at_rest=True)
    off = np.abs(np.log2(moved[..., 1] / resting[..., 1])) > 0.25
    assert off.mean() < 0.0005  # 0.0012 where the half left out is not asked again


def test_longer_lists_of_cells_begin_with_the_shorter_ones(
    scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    lights = build_environment(solver.dome(Air(3.0), 150.0, 40.0))
    record = RelightCache(scene, COURT, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    assert record.improve(lights)
    count = record.cells.count
    before = record.cells._weight.reshape(count * SAMPLES_PER_CELL, -1)
    first = record.relit(lights, at_rest=True)
    assert record.improve(lights)
    after = record.cells._weight.reshape(count * SAMPLES_PER_CELL, -1)
    assert record.cells.count == count
    assert after.shape[1] == 2 * before.shape[1]
    assert after[:, : before.shape[1]] == pytest.approx(before, abs=0.0)
    assert record.relit(lights, at_rest=True).mean() == pytest.approx(first.mean(), rel=0.01)


def test_the_same_light_gives_the_same_picture_at_rest(record: RelightCache, solver: SkySolver) -> None:
    lights = build_environment(solver.dome(Air(3.0), 170.0, 50.0))
    first = record.relit(lights, at_rest=True)
    record.relit(build_environment(solver.dome(Air(3.0), 80.0, 12.0)))
    assert record.relit(lights, at_rest=True) == pytest.approx(first, rel=1e-3)


def test_a_stop_half_way_leaves_what_was_usable(
    scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    lights = build_environment(solver.dome(Air(3.0), 150.0, 40.0))
    record = RelightCache(scene, COURT, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    for patience in (0, 5, 40, 90, 130, 160):
        asked = count()
        assert not record.improve(lights, lambda asked=asked, patience=patience: next(asked) >= patience)
        assert not record.ready
    assert record.improve(lights)
    before = record.relit(lights, at_rest=True)
    fresh = RelightCache(scene, COURT, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    assert fresh.improve(lights)
    assert before == pytest.approx(fresh.relit(lights, at_rest=True), rel=0.05, abs=1.0)
    assert before.mean() == pytest.approx(fresh.relit(lights, at_rest=True).mean(), rel=1e-3)
    asked = count()
    assert not record.improve(lights, lambda: next(asked) >= 20)
    assert record.ready
    assert record.relit(lights, at_rest=True) == pytest.approx(before, rel=1e-4)


@pytest.mark.parametrize("glazed", [False, True])
def test_the_far_ground_melts_into_the_sky_as_in_the_exact_picture(
    glazed: bool, solver: SkySolver, tracer: Renderer
) -> None:
    ground, pane = (
        GroundPlane(reflectance=0.1, softness_deg=4.0),
        Material("pane", (1.0, 1.0, 1.0), 0.0, transmission=1.0),
    )
    pieces = [(box((-1, 3, 0.0), (1, 5, 2)), PLAIN)]
    if glazed:
        pieces.append((box((-60, -1, 0.0), (60, -0.99, 60)), pane))
    scene = build_render_scene(make_scene(*pieces), ground)
    camera = Camera((0.0, -6.0, 1.6), (0.0, 0.0, 1.6), 20.0)
    lights = build_environment(solver.dome(Air(3.0), 90.0, 35.0))  # before and behind the same
    relit = made(scene, camera, lights, tracer).relit(lights, at_rest=True)
    other = exact(scene, camera, lights, tracer, 96)
    rows = (slice(50, 74), slice(4, 36))  # from below the horizon to where no sky is left
    assert other[rows][..., 1].mean(1).max() > 1.3 * other[rows][..., 1].mean(1).min()
    assert relit[rows].mean(1) == pytest.approx(other[rows].mean(1), rel=0.03)


def test_a_recoloured_ground_is_that_of_a_new_cache(solver: SkySolver, tracer: Renderer) -> None:
    """A wall over the ground shows the light it sends up as well as the ground itself."""
    model, camera = (
        make_scene((box((-3, 0, 0.5), (3, 1, 3)), PLAIN)),
        Camera((4.0, -9.0, 3.0), (0.0, 0.0, 1.0)),
    )
    dark = build_render_scene(model, GroundPlane(radius_m=np.inf, reflectance=0.1, colour=(1.0, 0.8, 0.6)))
    pale = replace(dark.ground, reflectance=0.7)  # type: ignore[type-var]
    light = build_render_scene(model, pale, dark)
    assert differs_by_ground_reflectance(dark, light)
    lights = build_environment(solver.dome(Air(3.0, ground_reflectance=0.7), 200.0, 35.0))
    record = made(dark, camera, lights, tracer)
    before = record.relit(lights, at_rest=True)
    record.recolour_ground(light)
    after, fresh = (r.relit(lights, at_rest=True) for r in (record, made(light, camera, lights, tracer)))
    assert (after / before)[-8:].mean() == pytest.approx(7.0, rel=0.02)  # the foreground is all ground
    assert np.median(apart(after, fresh)) < 0.005 and apart(after, fresh).max() < 0.05


@pytest.mark.parametrize("other", [{"colour": (1.0, 0.5, 0.5)}, {"height_m": -1.0}, {"water": True}])
def test_a_ground_that_differs_otherwise_is_not_recoloured(other: dict[str, object]) -> None:
    model, ground = make_scene((box((-3, 0, 0.5), (3, 1, 3)), PLAIN)), GroundPlane(radius_m=np.inf)
    first = build_render_scene(model, ground)
    changed = build_render_scene(model, replace(ground, reflectance=0.5, **other), first)  # type: ignore[arg-type]
    assert not differs_by_ground_reflectance(first, changed)


def test_what_lies_far_out_on_the_plane_has_the_ground_s_light(solver: SkySolver, tracer: Renderer) -> None:
    scene = build_render_scene(
        make_scene((box((-2, -2, 30.0), (2, 2, 60)), PLAIN)), GroundPlane(reflectance=0.3)
    )
    lights = build_environment(solver.dome(Air(3.0), 200.0, 35.0))
    record = made(scene, Camera((9.0, -30.0, 45.0), (0.0, 0.0, 45.0), 40.0), lights, tracer)
    layer = record.layers[0]
    seen = layer.index[layer.small.surfaces]
    assert (seen == GROUND_ROW).mean() > 0.05
    assert not (seen == UNKNOWN_ROW)[layer.weight[layer.small.surfaces] > 0].any()


def test_still_water_mirrors_the_sky_as_the_exact_picture_does(solver: SkySolver, tracer: Renderer) -> None:
    ground = GroundPlane(radius_m=1e6, water=True, ripple=0.0)
    scene = build_render_scene(make_scene((box((-1, -1, 0.0), (1, 1, 2)), PLAIN)), ground)
    lights = build_environment(solver.dome(Air(3.0), 300.0, 35.0))
    record = made(scene, COURT, lights, tracer)
    assert record.layers[1].used
    relit, other = record.relit(lights, at_rest=True), exact(scene, COURT, lights, tracer, 64)
    water = (slice(70, 94), slice(8, 120))
    assert relit[water].mean((0, 1)) == pytest.approx(other[water].mean((0, 1)), rel=0.03)


def test_another_view_goes_on_with_the_cells_and_shows_the_same_light(
    scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    lights = build_environment(solver.dome(Air(3.0), 150.0, 40.0))
    first = made(scene, COURT, lights, tracer)
    count = first.cells.count
    near = Camera((5.2, -7.9, 3.2), (0.0, 0.0, 0.6), 40.0)
    second = RelightCache(scene, near, WIDTH, HEIGHT, tracer.pool, tracer.threads, first)
    assert second.cells is first.cells
    while not second.full:
        assert second.improve(lights)
    assert count <= second.cells.count < 2 * count
    fresh = made(scene, near, lights, tracer)
    relit, other = second.relit(lights, at_rest=True), fresh.relit(lights, at_rest=True)
    assert relit.mean() == pytest.approx(other.mean(), rel=0.005)
    assert np.median(apart(relit, other)) < 0.01
    far = Camera((-50.0, 60.0, 20.0), (0.0, 0.0, 0.6), 10.0)
    assert (
        RelightCache(scene, far, WIDTH, HEIGHT, tracer.pool, tracer.threads, second).cells is not second.cells
    )
    other_stage = build_render_scene(court())
    assert (
        RelightCache(other_stage, near, 64, 48, tracer.pool, tracer.threads, second).cells is not second.cells
    )


def test_outlines_are_nearer_to_the_exact_picture_than_pixels_of_one_look(
    record: RelightCache, scene: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    lights = build_environment(solver.dome(Air(3.0), 150.0, 40.0))
    other = exact(scene, COURT, lights, tracer)
    smooth = record.relit(lights, at_rest=True)
    kept, record._outlines = record._outlines, NO_OUTLINES
    rough = record.relit(lights, at_rest=True)
    record._outlines = kept
    edges, covers, _mixed = kept
    # what is carried from the picture before may move the last bit of a sum
    changed = np.flatnonzero((np.abs(smooth - rough) > 1e-6 * rough).any(2))
    assert set(changed) <= set(edges) and 0.01 < len(edges) / (WIDTH * HEIGHT) < 0.2
    flat = [picture.reshape(-1, 3)[edges, 1] for picture in (smooth, rough, other)]
    off = [np.mean(np.abs(np.log(np.maximum(picture, 1.0) / flat[2]))) for picture in flat[:2]]
    assert off[0] < 0.7 * off[1]
    assert np.all(np.abs(covers % WIDTH - edges[:, None] % WIDTH) <= FAR_REACH)


def test_a_texture_finer_than_a_pixel_is_averaged(solver: SkySolver, tracer: Renderer) -> None:
    """On black and white squares of 4 cm."""
    pixels = np.full((256, 256, 4), 255, np.uint8)
    pixels[..., :3] = 255 * np.kron(np.indices((32, 32)).sum(0) % 2, np.ones((8, 8)))[..., None]
    material = Material("squares", (1.0, 1.0, 1.0), base_texture=0)
    scene = build_render_scene(textured(material, pixels, 16.0))
    lights = build_environment(solver.dome(Air(3.0), 150.0, 40.0))
    camera = Camera((0.0, -9.0, 1.0), (0.0, 0.0, 0.0), 40.0)
    relit = made(scene, camera, lights, tracer).relit(lights, at_rest=True)
    other = exact(scene, camera, lights, tracer)
    far = slice(HEIGHT // 2 + 2, HEIGHT // 2 + 10), slice(WIDTH // 3, -WIDTH // 3)
    # one look at each pixel would find black or white: grain as large as the mean
    assert relit[far][..., 1].std() < 0.4 * relit[far][..., 1].mean()
    assert relit[far].mean() == pytest.approx(other[far].mean(), rel=0.05)


def test_subpixel_threads_darken_the_sky_as_much_as_in_the_exact_picture(
    solver: SkySolver, tracer: Renderer
) -> None:
    black = Material("black", (0.02, 0.02, 0.02))
    threads = [(box((x, 0.0, 0.0), (x + 0.02, 0.02, 3.0)), black) for x in np.arange(-2.0, 2.0, 0.25)]
    scene = build_render_scene(make_scene((level(40.0), PLAIN), *threads))
    camera = Camera((0.0, -6.0, 1.5), (0.0, 0.0, 1.9), 40.0)
    lights = build_environment(solver.dome(Air(3.0), 150.0, 40.0))
    relit = made(scene, camera, lights, tracer).relit(lights, at_rest=True)
    other = exact(scene, camera, lights, tracer)
    above = slice(0, HEIGHT // 4), slice(WIDTH // 4, -WIDTH // 4)
    clear = float(np.quantile(other[above][..., 1], 0.95))
    taken = [1.0 - float(picture[above][..., 1].mean()) / clear for picture in (relit, other)]
    assert taken[1] > 0.05
    assert taken[0] == pytest.approx(taken[1], rel=0.2)


@pytest.mark.parametrize(
    ("display", "small"), [((128, 96), (64, 48)), ((16, 40), (8, 20)), ((10, 6), (8, 8))]
)
def test_lists_are_kept_for_half_the_pixels_each_way_and_for_eight_at_least(
    tracer: Renderer, display: tuple[int, int], small: tuple[int, int]
) -> None:
    scene = build_render_scene(court())
    record = RelightCache(scene, COURT, *display, tracer.pool, tracer.threads)
    for layer in record._empty_layers():
        assert (layer.small.width, layer.small.height) == small
        assert (layer.big.width, layer.big.height) == display


def test_a_light_relit_alone_leaves_the_next_picture_in_motion_as_it_was(
    solver: SkySolver, tracer: Renderer
) -> None:
    """In a room most light has gone round: starting from another's it would be wrong for seconds."""
    scene, camera = build_render_scene(room()), Camera((1.7, 1.5, 1.5), (-1.0, -1.0, 1.0), 60.0)
    here, there = (build_environment(solver.dome(Air(3.0), azimuth, 35.0)) for azimuth in (180.0, 180.5))
    pictures = []
    for alone in (False, True):
        record = made(scene, camera, here, tracer)
        record.relit(here, at_rest=True)
        if alone:
            with record.cells.bounces_kept():
                record.relit(here, source_gains(0.0, 0.0), True)
        pictures.append(record.relit(there))
    assert pictures[1].mean() == pytest.approx(pictures[0].mean(), rel=0.002)
