"""How far relit and cleaned pictures are from the exact one, by squares of four pixels, for demos.

The exact picture is this program's own with many samples; it is checked against closed forms by tests.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Result = dict[str, float]
WIDTH, HEIGHT, BLOCK = 960, 540, 4
SAMPLES, BOUNCES = 1024, 16
CLEAN_SAMPLES = 2048  # of the picture that cleaned ones are held against
SUNS = ((160.0, 60.0), (110.0, 30.0), (80.0, 10.0))  # azimuth, elevation
ERROR_NAMES = (
    "relight_error_median", "relight_error_shade", "relight_jump", "relight_error_median_interior",
    "relight_jump_interior",
)  # fmt: skip
MOST_SECONDS = 150.0  # of tracing before a goal is given up
SHAPE = (HEIGHT // BLOCK, BLOCK, WIDTH // BLOCK, BLOCK)


@dataclass(frozen=True)
class Bench:
    """A demo's stage, camera and tracer."""

    scene: Any
    camera: Any
    tracer: Any

    def exact(self, lights: Any, samples: int) -> NDArray[np.float32]:
        """Light (H, W, 3) of the squares, without lamps."""
        from gloamet.trace.film import Film

        film = Film(WIDTH // BLOCK, HEIGHT // BLOCK)
        self.tracer.expose(film, self.scene, lights, self.camera, samples, BOUNCES)
        return film.light(1.0, 1.0, 0.0)


def bench_of(demo: str) -> Bench:
    """A shipped demo ready to be traced."""
    from gloamet.document.demo import demo_document
    from gloamet.output.delivery import compile_stage
    from gloamet.stage.assembly import camera_of_view, stand_up
    from gloamet.stage.readers import read_file
    from gloamet.trace.film import Tracer

    document = demo_document(demo)
    scene = stand_up(read_file(str(document.stage.model)), document.stage)
    return Bench(compile_stage(document, scene), camera_of_view(document.stage.view), Tracer())


def sky_at(azimuth_deg: float, elevation_deg: float) -> Any:
    """Lights of a clear sky."""
    from gloamet.sky.air import Air
    from gloamet.sky.dome import SkySolver
    from gloamet.trace.lights import build_lights

    return build_lights(SkySolver().dome(Air(2.5), azimuth_deg, elevation_deg))


def full_record(bench: Bench, lights: Any) -> Any:
    """The record of a demo's view with nothing left to improve."""
    from gloamet.trace.relight.record import Record

    record = Record(bench.scene, bench.camera, WIDTH, HEIGHT, bench.tracer.pool, bench.tracer.threads)
    while not record.full:
        record.improve(lights)
    return record


def squares(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """Green of a picture at display size, mean of each square."""
    return np.asarray(picture[..., 1].reshape(SHAPE).mean((1, 3)))


def apart(picture: NDArray[np.float32], exact: NDArray[np.float32]) -> NDArray[np.float32]:
    """Relative difference of each square."""
    green = exact[..., 1]
    return np.asarray(np.abs(squares(picture) - green) / np.maximum(green, 1e-3 * green.mean()))


def shaded(record: Any) -> NDArray[np.bool_]:
    """Squares that lie wholly on surfaces without sun, in the light last relit."""
    from gloamet.trace.relight.screen import SURFACE

    layer = record.layers[0]
    dark = (layer.kinds == SURFACE) & (layer.visible.max(1) == 0)
    return np.asarray(dark.reshape(SHAPE).all((1, 3)))


def errors() -> Result:
    """Median relative difference of all squares, and of those in full shade, worst of three suns."""
    out: Result = {}
    for demo, end in (("house", ""), ("interior", "_interior")):
        bench = bench_of(demo)
        skies = [sky_at(*sun) for sun in SUNS]
        record = full_record(bench, skies[1])
        everywhere, in_shade, jumps = [], [], []
        for lights in skies:
            relit = record.relit(lights, at_rest=True)
            exact = bench.exact(lights, SAMPLES)
            off = apart(relit, exact)
            everywhere.append(float(np.median(off)))
            in_shade.append(float(np.median(off[shaded(record)])))
            jumps.append(abs(float(squares(relit).mean() / exact[..., 1].mean()) - 1.0))
        out[f"relight_error_median{end}"] = max(everywhere)
        out[f"relight_jump{end}"] = max(jumps)
        if not end:
            out["relight_error_shade"] = max(in_shade)
    return out


def clean() -> Result:
    """Seconds of tracing and cleaning until the median error is 2 % in the house's shade, 3 % in the loft."""
    out: Result = {}
    for demo, goal, name in (("house", 0.02, "shade_2pct_s"), ("interior", 0.03, "interior_3pct_s")):
        bench, lights = bench_of(demo), sky_at(*SUNS[1])
        exact = bench.exact(lights, CLEAN_SAMPLES)
        where = np.ones(exact.shape[:2], bool)
        if demo == "house":
            record = full_record(bench, lights)
            record.relit(lights, at_rest=True)
            where = shaded(record)
        out[name] = _seconds_to(bench, lights, exact, where, goal)
    return out


def _seconds_to(bench: Bench, lights: Any, exact: Any, where: NDArray[np.bool_], goal: float) -> float:
    from gloamet.trace.denoise import denoise
    from gloamet.trace.film import Film

    film, seconds = Film(WIDTH, HEIGHT), 0.0
    while seconds < MOST_SECONDS:
        begin = time.perf_counter()
        bench.tracer.expose(film, bench.scene, lights, bench.camera, max(1, film.samples // 4), BOUNCES)
        seconds += time.perf_counter() - begin
        begin = time.perf_counter()
        cleaned = denoise(film.light(1.0, 1.0, 0.0), film, "high")
        cleaning = time.perf_counter() - begin
        error = float(np.median(apart(cleaned, exact)[where])) if cleaned is not None else 1.0
        if error <= goal:
            return seconds + cleaning
    return seconds
