"""Exposing a film to the end: passes with progress, time left, and a stop that keeps what is done."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

from gloamet.sky.dome import Dome
from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.film import DEFAULT_BOUNCES, Film, Tracer
from gloamet.trace.lights import build_lights

SECONDS_A_PASS = 0.7
MAX_PIXELS = 200_000_000


@dataclass(frozen=True)
class Progress:
    """How far a render is: samples done of all, seconds so far and left."""

    samples: int
    total: int
    seconds: float
    seconds_left: float


def render_film(
    compiled: Compiled,
    dome: Dome,
    camera: Camera,
    width: int,
    height: int,
    samples: int,
    tracer: Tracer | None = None,
    max_bounces: int = DEFAULT_BOUNCES,
    progress: Callable[[Progress], None] = lambda p: None,
    stopped: Callable[[], bool] = lambda: False,
) -> Film:
    """Trace `samples` paths per pixel. Stopped early, the film keeps its whole passes."""
    tracer = tracer or Tracer()
    lights = build_lights(dome)
    film = Film(width, height)
    start = time.monotonic()
    batch = 1
    while film.samples < samples:
        count = min(batch, samples - film.samples)
        begin = time.monotonic()
        if not tracer.expose(film, compiled, lights, camera, count, max_bounces, stopped):
            break
        now = time.monotonic()
        each = (now - begin) / count
        batch = max(1, min(64, int(SECONDS_A_PASS / max(each, 1e-6))))
        left = (now - start) / film.samples * (samples - film.samples)
        progress(Progress(film.samples, samples, now - start, left))
    return film
