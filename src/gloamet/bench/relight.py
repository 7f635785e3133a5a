# SPDX-License-Identifier: Apache-2.0
"""Error of relit and denoised pictures against exact ones, per block of 4 × 4 pixels, for the demos.

The exact picture is this program's own with many samples; it is checked against closed forms by tests. It is
traced only in squares drawn at random, but there so long that its own noise is small beside what is measured: with
2048 paths in each square of the house's shade, two exact pictures differed by 4.4 %.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.document.demo import demo_document
from gloamet.light_layers import even_gains
from gloamet.preview.relighting import crossfade_weight
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.denoise import denoise, denoise_prefiltered
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.quality import QUALITIES
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.gbuffer import SURFACE_PIXEL
from gloamet.translation.document_to_light import build_stage
from gloamet.translation.final_render import StopCriterion, pass_paths, plan_next_pass

Result = dict[str, float]
Chosen = tuple[NDArray[np.int64], NDArray[np.int64]]  # rows and columns of squares
WIDTH, HEIGHT, BLOCK = 960, 540, 4
BOUNCES = 16
SUNS = ((160.0, 60.0), (110.0, 30.0), (80.0, 10.0))  # azimuth, elevation
ERROR_NAMES = (
    "relight_error_median",
    "relight_error_shade",
    "rest_error_median",
    "rest_error_shade",
    "relight_jump",
    "relight_error_median_interior",
    "rest_error_median_interior",
    "relight_jump_interior",
)
MOST_SECONDS = 150.0  # of tracing before a goal is given up
SQUARES = 800  # in which the exact picture is traced
SAMPLES = 1024  # of each of their sixteen pixels
AT_ONCE = 256
DRAG = 12  # pictures of a drag that ends at the sun asked for, half a degree of azimuth apart
REST_SAMPLES = 16  # of the exact picture that fades in over the relit one


@dataclass(frozen=True)
class Bench:
    """A demo's stage, camera and tracer."""

    scene: Any
    camera: Any
    tracer: Any

    def exact(self, lights: Any, chosen: Chosen, samples: int) -> NDArray[np.float32]:
        """Green of chosen squares, without lamps."""
        film, wanted = Film(WIDTH, HEIGHT, seed=1), np.zeros((HEIGHT // BLOCK, WIDTH // BLOCK), np.uint16)
        wanted[chosen] = AT_ONCE
        each = np.repeat(np.repeat(wanted, BLOCK, 0), BLOCK, 1)
        for _ in range(samples // AT_ONCE):
            self.tracer.accumulate(film, self.scene, lights, self.camera, each, BOUNCES)
        return squares(film.light(even_gains(lamps=0.0)))[chosen]


def bench_of(demo: str) -> Bench:
    """A shipped demo ready to be traced."""
    document = demo_document(demo)
    scene = place_in_world(read_file(str(document.stage.scene_file)), document.stage)
    return Bench(build_stage(document, scene), camera_from_view(document.stage.view), Renderer())


def sky_at(azimuth_deg: float, elevation_deg: float) -> Any:
    """Lights of a clear sky."""
    return build_environment(SkySolver().dome(Air(2.5), azimuth_deg, elevation_deg))


def full_cache(bench: Bench, lights: Any) -> Any:
    """A complete relight cache of a demo's view."""
    cache = RelightCache(bench.scene, bench.camera, WIDTH, HEIGHT, bench.tracer.pool, bench.tracer.threads)
    while not cache.full:
        cache.improve(lights)
    return cache


def _blocks(array: NDArray[Any]) -> NDArray[Any]:
    """An array at display size cut into squares: (rows, BLOCK, columns, BLOCK)."""
    return array.reshape(HEIGHT // BLOCK, BLOCK, WIDTH // BLOCK, BLOCK)


def squares(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """Green of a picture at display size, mean of each square."""
    return np.asarray(_blocks(picture[..., 1]).mean((1, 3)))


def apart(picture: NDArray[np.float32], chosen: Chosen, exact: NDArray[np.float32]) -> NDArray[np.float32]:
    """Relative difference of each chosen square from its exact light."""
    return np.asarray(np.abs(squares(picture)[chosen] - exact) / np.maximum(exact, 1e-3 * exact.mean()))


def some_of(where: NDArray[np.bool_]) -> Chosen:
    """SQUARES at random of those marked, always the same."""
    rows, columns = np.nonzero(where)
    kept = np.random.default_rng(1).choice(len(rows), min(SQUARES, len(rows)), replace=False)
    return rows[kept], columns[kept]


def shaded(cache: Any) -> NDArray[np.bool_]:
    """Blocks entirely on surfaces without sun, in the last relit light."""
    display = cache.layers[0].display
    dark = (display.kinds == SURFACE_PIXEL) & (display.visible == 0)
    return np.asarray(_blocks(dark).all((1, 3)))


def dragged_to(cache: Any, azimuth_deg: float, elevation_deg: float) -> NDArray[np.float32]:
    """The relit picture while dragging that has dragged the sun here."""
    for left in range(DRAG, -1, -1):
        relit = cache.relit(sky_at(azimuth_deg - 0.5 * left, elevation_deg + 0.2 * left))
    return np.asarray(relit)


def at_rest(bench: Bench, relit: NDArray[np.float32], lights: Any) -> NDArray[np.float32]:
    """What the desk shows once the exact picture has REST_SAMPLES: that one, cleaned, fading in over the relit one."""
    film = Film(WIDTH, HEIGHT)
    bench.tracer.accumulate(
        film, bench.scene, lights, bench.camera, REST_SAMPLES, QUALITIES["standard"].bounces
    )
    clean = denoise(film.light(even_gains(lamps=0.0)), film)
    assert clean is not None
    return np.asarray(relit + np.float32(crossfade_weight(REST_SAMPLES)) * (clean - relit))


def errors() -> Result:
    """Median relative difference of all squares, and of those in full shade, worst of three suns.

    relight: while the sun is dragged; rest: some seconds after; jump: of the mean, from the relit picture at rest.
    """
    out: Result = {}
    for demo, end in (("house", ""), ("interior", "_interior")):
        bench = bench_of(demo)
        cache = full_cache(bench, sky_at(*SUNS[1]))
        anywhere = some_of(np.ones((HEIGHT // BLOCK, WIDTH // BLOCK), np.bool_))
        for sun in SUNS:
            lights = sky_at(*sun)
            relit = cache.relit(lights, at_rest=True)
            chosen = {f"median{end}": anywhere, **({} if end else {"shade": some_of(shaded(cache))})}
            pictures = {"relight": dragged_to(cache, *sun), "rest": at_rest(bench, relit, lights)}
            for where, these in chosen.items():
                exact = bench.exact(lights, these, SAMPLES)
                for kind, picture in pictures.items():
                    name = f"{kind}_error_{where}"
                    out[name] = max(out.get(name, 0.0), float(np.median(apart(picture, these, exact))))
                if where != "shade":
                    name, mean = f"relight_jump{end}", float(squares(relit)[these].mean())
                    out[name] = max(out.get(name, 0.0), abs(mean / float(exact.mean()) - 1.0))
    return out


def clean() -> Result:
    """Seconds of tracing and cleaning until the median error is 2 % in the house's shade, 3 % in the loft."""
    out: Result = {}
    for demo, goal, name in (("house", 0.02, "shade_2pct_s"), ("interior", 0.03, "interior_3pct_s")):
        bench, lights = bench_of(demo), sky_at(*SUNS[1])
        where = np.ones((HEIGHT // BLOCK, WIDTH // BLOCK), np.bool_)
        if demo == "house":
            cache = full_cache(bench, lights)
            cache.relit(lights, at_rest=True)
            where = shaded(cache)
        chosen = some_of(where)
        exact = bench.exact(lights, chosen, 2 * SAMPLES)
        out[name] = _seconds_to(bench, lights, chosen, exact, goal)
    return out


def _seconds_to(bench: Bench, lights: Any, chosen: Chosen, exact: NDArray[np.float32], goal: float) -> float:
    """Tracing as a saved picture is traced, looked at now and then; only the last cleaning is counted."""
    film, seconds, looked = Film(WIDTH, HEIGHT), 0.0, 0.0
    aim = StopCriterion(
        100_000, goal / 4.0, BOUNCES
    )  # never reached: the median of cleaned squares is there before
    while seconds < MOST_SECONDS:
        begin = time.perf_counter()
        step = plan_next_pass(film, aim, pass_paths(film))
        bench.tracer.accumulate(film, bench.scene, lights, bench.camera, step.wanted, BOUNCES)
        seconds += time.perf_counter() - begin
        if seconds < 1.1 * looked:
            continue
        begin, looked = time.perf_counter(), seconds
        cleaned = denoise_prefiltered(
            [film.light(even_gains(sky=0.0, lamps=0.0)), film.light(even_gains(sun=0.0, lamps=0.0))], film
        )
        cleaning = time.perf_counter() - begin
        if cleaned and float(np.median(apart(cleaned[0] + cleaned[1], chosen, exact))) <= goal:
            return seconds + cleaning
    return seconds
