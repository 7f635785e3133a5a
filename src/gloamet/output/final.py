"""Exposing a film to the end: passes with progress, time left, and a stop that keeps what is done."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.film import Film, Region, Tracer
from gloamet.trace.lights import Lights
from gloamet.trace.quality import QUALITIES

SECONDS_A_PASS = 0.7
AROUND_SAMPLES = 8
MOST_BOUNCES = QUALITIES["final"].bounces


@dataclass(frozen=True)
class Progress:
    """How far a render is: samples done of all, seconds so far and left."""

    samples: int
    total: int
    seconds: float
    seconds_left: float


def render_film(
    compiled: Compiled,
    lights: Lights,
    camera: Camera,
    width: int,
    height: int,
    samples: int,
    tracer: Tracer | None = None,
    max_bounces: int = MOST_BOUNCES,
    progress: Callable[[Progress], None] = lambda p: None,
    stopped: Callable[[], bool] = lambda: False,
    region: Region | None = None,
) -> Film:
    """Trace `samples` paths per pixel; outside a rectangle, when one is given, only AROUND_SAMPLES.

    Stopped early, the film keeps its whole passes.
    """
    tracer = tracer or Tracer()
    film = Film(width, height)
    if region is not None:
        tracer.expose(film, compiled, lights, camera, min(samples, AROUND_SAMPLES), max_bounces)
    start = time.monotonic()
    batch = 1
    done = 0
    while done < samples:
        count = min(batch, samples - done)
        begin = time.monotonic()
        spare = Film(width, height)
        spare.layers["counts"] += film.layers["counts"]
        if not tracer.expose(spare, compiled, lights, camera, count, max_bounces, stopped, region):
            break
        spare.layers["counts"] -= film.layers["counts"]
        film.add(spare)
        done += count
        now = time.monotonic()
        each = (now - begin) / count
        batch = max(1, min(64, int(SECONDS_A_PASS / max(each, 1e-6))))
        left = (now - start) / done * (samples - done)
        progress(Progress(done, samples, now - start, left))
    return film
