# SPDX-License-Identifier: Apache-2.0
"""Exposing a film to the end: passes with progress, time left, and a stop that keeps the samples.

A film enters, empty or from a checkpoint, and leaves with the samples its aim asks for: the same on any machine, and
whatever was stopped and resumed half-way.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.light_layers import UNIT_GAINS, Gains
from gloamet.stage.camera import Camera
from gloamet.trace.film import Film, Region, Renderer
from gloamet.trace.lights.environment import Environment
from gloamet.trace.noise import (
    MAX_SAMPLES_PER_PASS,
    error_quantile,
    remaining_samples,
    samples_wanted,
    tile_relative_error,
)
from gloamet.trace.quality import FEWEST_SAMPLES, QUALITIES
from gloamet.trace.render_scene import RenderScene

REPORT_SECONDS = 0.7  # between two reports
FIRST_PATHS = 500_000  # of the first pass
PASS_FRACTION = 1.0 / 16.0  # of what the film has: more would trace beyond the aim
SURROUND_SAMPLES = 8
WORST_FIRST_RATIO = (
    0.7  # of the film's noise: places that have less wait until the others have come down to it
)
MOST_BOUNCES = QUALITIES["final"].bounces


@dataclass(frozen=True)
class StopCriterion:
    """When a film is done: at `samples` a pixel, or earlier in places where `noise` (relative) is reached.

    The noise is that of the picture under `gains` of the lights. Outside `region` a few samples do.
    """

    samples: int
    noise: float | None = None
    bounces: int = MOST_BOUNCES
    region: Region | None = None
    gains: Gains = UNIT_GAINS


@dataclass(frozen=True)
class Progress:
    """How far a render is: fraction of the way 0..1, mean samples, relative noise, seconds so far and left."""

    fraction: float
    samples: float
    noise: float
    seconds: float
    seconds_left: float


def _top_up(film: Film, level: int, region: Region | None) -> NDArray[np.uint16]:
    """Samples (H, W) that bring every pixel of a rectangle, or of all, to a level."""
    wanted = np.zeros((film.height, film.width), np.uint16)
    x0, y0, x1, y1 = region or (0, 0, film.width, film.height)
    wanted[y0:y1, x0:x1] = np.clip(level - film.layers["counts"][y0:y1, x0:x1], 0, 65535)
    return wanted


@dataclass(frozen=True)
class NextPass:
    """Samples (H, W) of the next pass, none when the goal is reached; the noise; the remaining paths."""

    wanted: NDArray[np.uint16]
    noise: float
    paths_left: float

    @property
    def done(self) -> bool:
        """Whether the aim is met."""
        return not self.wanted.any()


def plan_next_pass(film: Film, aim: StopCriterion, most_paths: float) -> NextPass:
    """Plan the next pass of a film.

    Parameters
    ----------
    film : Film
        The film.
    aim : StopCriterion
        When the film is done.
    most_paths : float
        Largest number of paths of the pass.

    Returns
    -------
    NextPass
        Samples per pixel, noise and paths left.
    """
    errors = tile_relative_error(film, aim.gains, aim.region)
    noise = error_quantile(errors)
    x0, y0, x1, y1 = aim.region or (0, 0, film.width, film.height)
    if aim.noise is None or not np.isfinite(noise):
        left = float(_top_up(film, aim.samples, aim.region).sum(dtype=np.int64))
    else:
        a_pixel = remaining_samples(errors, aim.noise, film.mean_samples(aim.region), aim.samples)
        left = a_pixel * (x1 - x0) * (y1 - y0)
    if aim.region is not None:
        around = _top_up(film, min(aim.samples, SURROUND_SAMPLES), None)
        around[y0:y1, x0:x1] = 0
        left += _paths(around)
    return NextPass(_next_pass_samples(film, aim, errors, noise, most_paths), noise, left)


def _next_pass_samples(
    film: Film, aim: StopCriterion, errors: NDArray[np.float64], noise: float, most_paths: float
) -> NDArray[np.uint16]:
    around = min(aim.samples, SURROUND_SAMPLES)
    if aim.region is not None and film.samples_in(None) < around:
        return _top_up(film, around, None)
    even = aim.samples if aim.noise is None else min(aim.samples, FEWEST_SAMPLES)
    done = film.samples_in(aim.region)
    if done < even:
        x0, y0, x1, y1 = aim.region or (0, 0, film.width, film.height)
        batch = int(most_paths / ((x1 - x0) * (y1 - y0)))
        return _top_up(film, min(even, done + min(MAX_SAMPLES_PER_PASS, max(1, batch))), aim.region)
    if (
        done >= aim.samples or aim.noise is None or noise <= aim.noise
    ):  # of one sample there is no noise to go by
        return np.zeros((film.height, film.width), np.uint16)
    wanted = samples_wanted(film, errors, max(aim.noise, WORST_FIRST_RATIO * noise), aim.samples, aim.region)
    total = int(wanted.sum(dtype=np.int64))
    if total > most_paths:
        wanted = np.ceil(wanted * (most_paths / total)).astype(np.uint16)
    return wanted


def render(
    film: Film,
    compiled: RenderScene,
    lights: Environment,
    camera: Camera,
    aim: StopCriterion,
    tracer: Renderer | None = None,
    progress: Callable[[Progress], None] = lambda p: None,
    stopped: Callable[[], bool] = lambda: False,
    keep: Callable[[Film], None] = lambda f: None,
) -> None:
    """Trace a film until its stop criterion is met.

    Parameters
    ----------
    film : Film
        The film; samples are added to it.
    compiled : RenderScene
        The render scene.
    lights : Environment
        Environment.
    camera : Camera
        The camera.
    aim : StopCriterion
        When the film is done.
    tracer : Renderer or None, optional
        Renderer to use; None makes one.
    progress : callable, optional
        Receives progress reports.
    stopped : callable, optional
        Tells whether to stop.
    keep : callable, optional
        May store the film now and then.
    """
    tracer = tracer or Renderer()
    if film.pending_samples is not None:  # a pass begun for an aim of more samples
        film.pending_samples = np.minimum(film.pending_samples, _top_up(film, aim.samples, None))
    start, traced, speed = time.monotonic(), 0.0, 0.0
    step = plan_next_pass(film, aim, pass_paths(film))
    while not stopped():
        if film.pending_samples is None or not film.pending_samples.any():
            step = plan_next_pass(film, aim, pass_paths(film))
            film.pending_samples = step.wanted.copy()
        begun, of_pass = time.monotonic(), _paths(film.pending_samples)
        if not of_pass:
            return
        part = _first_rows(film.pending_samples, speed * REPORT_SECONDS or FIRST_PATHS)
        tracer.accumulate(film, compiled, lights, camera, part, aim.bounces, stopped)
        now, done = time.monotonic(), of_pass - _paths(film.pending_samples)
        speed, traced = done / max(now - begun, 1e-6), traced + done
        step = replace(step, paths_left=max(step.paths_left - done, _paths(film.pending_samples)))
        if speed > 0.0:
            fraction, left = traced / (traced + step.paths_left), step.paths_left / speed
            progress(Progress(fraction, film.mean_samples(aim.region), step.noise, now - start, left))
        keep(film)


def pass_paths(film: Film) -> float:
    """Paths of a film's next pass: by what it has, not by the clock, so that any machine makes the same picture."""
    return max(FIRST_PATHS, PASS_FRACTION * _paths(film.layers["counts"]))


def _paths(samples: NDArray[Any]) -> float:
    return float(samples.sum(dtype=np.float64))


def _first_rows(owed: NDArray[np.uint16], most_paths: float) -> NDArray[np.uint16]:
    """The first rows of a pass that is not done, about so many paths of it."""
    in_rows = owed.sum(1, dtype=np.int64)
    before = np.cumsum(in_rows) - in_rows
    return np.where((before < most_paths)[:, None], owed, np.uint16(0))
