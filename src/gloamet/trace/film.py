"""The film: sums of light per source at one size, and the thread pool that exposes it tile by tile.

A compiled scene, lights and a camera enter; layers in cd/m2 (AP1) leave, one for the sun and one for the
sky with all their bounces, beside albedo, normal and depth.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.lights import Lights

Floats = NDArray[np.float32]
TILE_ROWS = 8
DEFAULT_BOUNCES = 4


@dataclass
class Film:
    """Sums over samples: sun, sky, albedo, normal (H, W, 3) and depth (H, W)."""

    width: int
    height: int
    samples: int = 0
    rays: int = 0
    layers: dict[str, Floats] = field(default_factory=dict)

    def __post_init__(self) -> None:
        shape = (self.height, self.width, 3)
        self.layers = {name: np.zeros(shape, np.float32) for name in ("sun", "sky", "albedo", "normal")}
        self.layers["depth"] = np.zeros(shape[:2], np.float32)

    def mean(self, name: str) -> Floats:
        """A layer per sample: cd/m2 for the lights, metres for depth (0 where only sky is seen)."""
        return self.layers[name] / np.float32(max(self.samples, 1))

    def light(self, sun_gain: float = 1.0, sky_gain: float = 1.0) -> Floats:
        """The picture: the weighted sum of the layers, cd/m2 in AP1."""
        scale = np.float32(1.0 / max(self.samples, 1))
        return self.layers["sun"] * (scale * np.float32(sun_gain)) + self.layers["sky"] * (
            scale * np.float32(sky_gain)
        )


class Tracer:
    """A pool of threads that adds passes to films; cancel is looked at between tiles."""

    def __init__(self, threads: int | None = None) -> None:
        self.threads = threads or os.cpu_count() or 1
        self.pool = ThreadPoolExecutor(self.threads, thread_name_prefix="rays")

    def expose(
        self,
        film: Film,
        scene: Compiled,
        lights: Lights,
        camera: Camera,
        samples: int = 1,
        max_bounces: int = DEFAULT_BOUNCES,
        cancelled: Callable[[], bool] = lambda: False,
    ) -> bool:
        """Add `samples` samples per pixel; False, with the film unusable, when cancelled half-way."""
        from gloamet.trace.paths import trace_rows

        packed = camera.packed(film.width, film.height)
        buffers = tuple(film.layers[n] for n in ("sun", "sky", "albedo", "normal", "depth"))
        fixed: tuple[Any, ...] = (
            scene.rays.handle, scene.has_glass, scene.first_glass, scene.arrays(), lights.arrays(),
            packed, film.width, film.height,
        )  # fmt: skip

        def tile(y: int) -> int:
            if cancelled():
                return -1
            last = min(film.height, y + TILE_ROWS)
            return int(trace_rows(*fixed, y, last, film.samples, samples, max_bounces, buffers))

        counts = list(self.pool.map(tile, range(0, film.height, TILE_ROWS)))
        if min(counts, default=0) < 0:
            return False
        film.samples += samples
        film.rays += sum(counts)
        return True
