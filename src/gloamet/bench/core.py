# SPDX-License-Identifier: Apache-2.0
"""Speed of the core: rays against the library's own batch interface, paths, sky, sun, developing.

Every figure is the best of several runs; ratios are taken within one run. A name enters, numbers leave.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

from gloamet.bench.raw import raw_closest
from gloamet.bench.rays import any_hits, bounce_rays, closest_hits
from gloamet.bench.scenes import CAMERA, grove
from gloamet.document.demo import demo_document
from gloamet.preview.light_shafts import RESTING_SAMPLES, RESTING_SHRINK
from gloamet.sky.aerial import AerialTable, rows_between, solve_aerial
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.camera import Camera
from gloamet.stage.readers import read_file, read_model
from gloamet.sun.position import sun_position
from gloamet.thread_pool import shared_pool
from gloamet.trace.aerial_perspective import AerialSettings, composite_aerial_perspective
from gloamet.trace.film import Film, Renderer
from gloamet.trace.light_shafts import LightShaftFilm
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.pixel_distances import far_parts, nearness
from gloamet.trace.render_scene import build_render_scene
from gloamet.translation.document_to_light import build_stage, dome_from_document, environment_from_document
from gloamet.translation.document_to_light_shafts import light_shaft_samples, medium_from_document

Result = dict[str, float]
WIDTH, HEIGHT = 960, 540
RAYS_A_JOB = 8192
SHAFT_SIZE, SHAFT_SAMPLES = (480, 270), 64


def best(work: Callable[[], Any], runs: int = 7) -> float:
    """Minimum seconds of several runs, after one that is not counted."""
    work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def rays() -> Result:
    """Million bounce rays a second, closest and any hit, all threads; ours and the batch interface."""
    scene = grove()
    compiled = build_render_scene(scene)
    origins, directions = bounce_rays(compiled, CAMERA, WIDTH, HEIGHT)
    n, handle = len(origins), compiled.rays.handle
    jobs = [(a, min(n, a + RAYS_A_JOB)) for a in range(0, n, RAYS_A_JOB)]
    other = rtcore_scene.EmbreeScene()
    points = np.concatenate([part.positions[part.triangles].astype(np.float32) for part in scene.parts])
    TriangleMesh(other, np.ascontiguousarray(points, np.float32))
    hits = int((other.run(origins, directions) >= 0).sum())
    counted: list[int] = []
    pool = shared_pool()

    def ours(kernel: Any) -> None:
        counted.append(sum(pool.map(lambda j: kernel(handle, origins, directions, *j), jobs)))

    closest = best(lambda: ours(closest_hits))
    if abs(counted[-1] - hits) > 0.001 * n:
        raise AssertionError(f"the two interfaces disagree: {counted[-1]} and {hits} hits")
    any_hit = best(lambda: ours(any_hits))
    raw = raw_closest(compiled.rays, origins, directions, jobs)
    theirs = best(lambda: other.run(origins, directions))
    theirs_any = best(lambda: other.run(origins, directions, query="OCCLUDED"))
    return {
        "rays_closest_mps": n / closest / 1e6,
        "rays_any_mps": n / any_hit / 1e6,
        "embreex_closest_mps": n / theirs / 1e6,
        "embreex_any_mps": n / theirs_any / 1e6,
        "rays_vs_embreex": theirs / closest,
        **({} if raw is None else {"rays_vs_embree": best(raw) / closest}),
    }


def paths() -> Result:
    """Path samples a second on the procedural scene and on the demo, 960 x 540, 4 bounces."""
    lights, tracer = build_environment(SkySolver().dome(Air(2.5), 150.0, 35.0)), Renderer()
    document = demo_document()
    view = document.stage.view
    demo = build_render_scene(read_model(str(document.stage.scene_file)))
    out = {}
    for name, scene, camera in (
        ("samples_per_s", build_render_scene(grove()), CAMERA),
        ("samples_per_s_demo", demo, Camera(view.eye, view.target, view.fov_deg)),
    ):

        def expose(scene: Any = scene, camera: Any = camera) -> None:
            tracer.accumulate(Film(WIDTH, HEIGHT), scene, lights, camera, 2, 4)

        out[name] = 2 * WIDTH * HEIGHT / best(expose)
    return out


def sky() -> Result:
    """Milliseconds for a whole sky: new air, a moved sun, and new air at dusk."""
    solver, tick = SkySolver(), iter(range(10**6))
    deeper = [Air(turbidity=2.5, haze_visibility_km=8.0, haze_height_m=200.0 + k) for k in range(20)]
    return {
        "sky_haze_height_ms": 1e3 * best(lambda: solver.dome(deeper[next(tick) % 20], 180.0, 30.0), 15),
        "sky_aerosol_ms": 1e3 * best(lambda: solver.dome(Air(2.5 + 0.001 * next(tick)), 180.0, 30.0), 15),
        "sky_sun_ms": 1e3 * best(lambda: solver.dome(Air(2.5), 180.0, 30.0 + 0.01 * next(tick)), 15),
        "sky_twilight_ms": 1e3 * best(lambda: solver.dome(Air(2.5 + 0.001 * next(tick)), 180.0, -3.0), 15),
    }


def aerial() -> Result:
    """Milliseconds to solve the aerial perspective for a moved sun, in view alone, and to lay it over 960 x 540."""
    solver, tick = SkySolver(), iter(range(10**6))
    picture, depth = np.ones((540, 960, 3), np.float32), np.full((540, 960), 3000.0, np.float32)
    parts = far_parts(depth, nearness(depth))
    camera, rows = Camera((0.0, 0.0, 2.0), (0.0, 100.0, 2.0), 40.0), rows_between(-20.0, 20.0)

    def solved() -> AerialTable:
        return solve_aerial(solver, Air(2.5), (180.0, 30.0 + 0.01 * next(tick)), 2.0, rows)

    table = solved()
    solve_s = best(solved, 15) - best(lambda: solver.spectral(Air(2.5), 30.0 + 0.01 * next(tick)), 15)
    pool = shared_pool()
    over_s = best(
        lambda: composite_aerial_perspective(table, AerialSettings(), camera, picture, parts, pool), 15
    )
    return {"aerial_solve_ms": 1e3 * solve_s, "aerial_ms": 1e3 * over_s}


def shafts() -> Result:
    """Dust in the loft: a saved picture with it over one without, both of SHAFT_SAMPLES samples; milliseconds of the
    first picture of rest after dragging, 960 x 540."""
    document = demo_document("interior").change("light_shafts", on=True, region="view")
    scene = place_in_world(read_file(str(document.stage.scene_file)), document.stage)
    compiled, camera, tracer = build_stage(document, scene), camera_from_view(document.stage.view), Renderer()
    lights = environment_from_document(document, dome_from_document(document), None)
    medium = medium_from_document(document.light_shafts, compiled, camera, tracer)
    assert medium is not None

    def without() -> None:
        tracer.accumulate(Film(*SHAFT_SIZE), compiled, lights, camera, SHAFT_SAMPLES)

    def dusty() -> None:
        film = LightShaftFilm(*SHAFT_SIZE)
        film.accumulate(tracer, compiled, lights, camera, medium, light_shaft_samples(SHAFT_SAMPLES))

    def resting() -> None:
        film = LightShaftFilm(WIDTH // RESTING_SHRINK, HEIGHT // RESTING_SHRINK)
        film.accumulate(tracer, compiled, lights, camera, medium, RESTING_SAMPLES)

    plain_s = best(without, 3)
    return {"shafts_ratio": 1.0 + best(dusty, 3) / plain_s, "shafts_rest_ms": 1e3 * best(resting, 5)}


def sun() -> Result:
    """Seconds for 500 000 sun positions, milliseconds for one."""
    times = np.linspace(0.0, 1e9, 500_000)
    return {
        "sun_500k_s": best(lambda: sun_position(times, 57.4, 21.5)),
        "sun_one_ms": 1e3 * best(lambda: [sun_position(1e9, 57.4, 21.5) for _ in range(100)]) / 100,
    }
