# SPDX-License-Identifier: Apache-2.0
"""The compile phases of `gloamet prepare`: every kernel runs once, with the argument types of the window, on small
data."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from gloamet.colour.views import VIEWS
from gloamet.develop.display import develop_screen
from gloamet.develop.links import ColourGrade, Glare, Lens, Mask, Tone
from gloamet.develop.settings import DevelopSettings
from gloamet.meter.cards import measure_cards, radiance_along
from gloamet.sky.aerial import solve_aerial
from gloamet.sky.air import Air
from gloamet.sky.dome import dome_radiance, uniform_dome
from gloamet.sky.environment_map import encode_rows, mend_rows
from gloamet.sky.sky_palette import solve_sky_palette
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Part, Scene, Shape
from gloamet.sun.site import zone_name_at
from gloamet.thread_pool import shared_pool
from gloamet.trace.aerial_perspective import AerialSettings, composite_aerial_perspective
from gloamet.trace.denoise import denoise
from gloamet.trace.film import Film, Renderer
from gloamet.trace.first_hits import first_hits, probe
from gloamet.trace.light_shafts import LightShaftFilm, ParticipatingMedium
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.pixel_distances import far_parts
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.fine_display import FineDisplay
from gloamet.trace.relight.sun_mask import SunMask
from gloamet.trace.render_scene import build_render_scene
from gloamet.trace.sun_exposure import sunlit_fractions
from gloamet.trace.upsample import features_from_film, resize_bilinear, upsample


def _sky() -> None:
    zone_name_at(0.0, 0.0)  # a place's time zone is looked up by kernels too, of the package that knows them
    solver = SkySolver()
    dome = solver.dome(Air(turbidity=3.0, haze_visibility_km=10.0, ground_reflectance=0.2), 180.0, 30.0)
    build_environment(dome)
    dome_radiance(dome, np.array([[0.0, 0.0, 1.0]]))
    solve_sky_palette(solver, Air())
    pixels, codes = np.ones((2, 4, 3), np.float32), np.zeros((2, 4, 3), np.uint16)
    one = np.float32(1)
    mend_rows(pixels, np.eye(3, dtype=np.float32), one, one, pixels.copy(), np.zeros(3, np.int64))
    encode_rows(pixels, one, codes)
    air, far = solve_aerial(solver, Air(), (180.0, 30.0), 1.6), np.ones((8, 8), np.float32)
    pool = shared_pool()
    composite_aerial_perspective(
        air,
        AerialSettings(),
        Camera((0, 0, 1), (0, 1, 1)),
        np.ones((8, 8, 3), np.float32),
        far_parts(far, far),
        pool,
    )


def _rays(relit: bool = False) -> None:
    corners = np.array([[-1, -1, 0], [1, -1, 0], [0, 1, 0]], np.float32)
    shape = Shape(corners, np.array([[0, 1, 2]], np.uint32))
    parts = (Part("triangle", 0, shape), Part("pane", 1, shape))
    materials = (Material("satin", (0.5, 0.5, 0.5), 0.5), Material("glass", transmission=1.0))
    scene = build_render_scene(Scene(None, parts, materials))
    camera = Camera((0.0, -3.0, 2.0), (0.0, 0.0, 0.0))
    tracer, lights = Renderer(), build_environment(uniform_dome(1.0))
    if relit:
        cache = RelightCache(scene, camera, 32, 24, tracer.pool, tracer.threads)
        while not cache.full:
            cache.improve(lights)
        cache.relit(lights)
        cache.relit(lights, at_rest=True)
        fine = FineDisplay(cache, 48, 36)
        fine.improve(lambda: False)
        fine.enlarge(np.zeros((24, 32, 4), np.uint8))
        SunMask(scene, camera, 32, 24).outlines(np.array([0.0, 0.0, 1.0]), (255, 255, 255))
        sunlit_fractions(scene, corners, np.array([[0, 0, 1]] * 3, np.float32), True, corners)
    else:
        film = Film(8, 8)
        tracer.accumulate(film, scene, lights, camera)
        first_hits(scene, camera, 8, 8, tracer.pool)
        corner, grey = (np.float32(-1),) * 3, (np.float32(1),) * 3
        medium = ParticipatingMedium(corner, grey, np.float32(0.1), grey, np.float32(0.5))
        up = np.array([[0.0, 0.0, 1.0]])
        measure_cards(scene, lights, up, up, 1, tracer.pool)
        probe(scene, (0.0, 0.0, 9.0), (0.0, 0.0, -1.0))
        radiance_along(scene, lights, up, up, 1, tracer.pool)
        LightShaftFilm(8, 8).accumulate(tracer, scene, lights, camera, medium, 1)
        small = features_from_film(Film(4, 4), 1)
        upsample(resize_bilinear(film.light(), (4, 4)), small, features_from_film(film), tracer.pool)


def _develop() -> None:
    picture = np.ones((4, 4, 3), np.float32)
    for view in VIEWS:
        develop_screen(picture, DevelopSettings(0.0, view=view))
    every_link = DevelopSettings(
        0.0,
        glare=Glare(veiling_glare=1.0),
        masks=(Mask(),),
        tone=Tone(contrast=0.1, local_contrast=0.5),
        colour=ColourGrade(saturation=0.5),
        lens=Lens(vignette=1.0, distortion=1.0, grain=0.1),
    )
    develop_screen(picture, every_link, (8, 8))


def _denoise() -> None:
    film = Film(16, 16)
    denoise(np.ones((16, 16, 3), np.float32), film)


STAGES: dict[str, Callable[[], None]] = {
    "relighting": partial(_rays, True),  # in a process beside the others: it takes as long as all of them
    "sky": _sky,
    "rays": _rays,
    "screen colours": _develop,
    "denoiser": _denoise,
}
