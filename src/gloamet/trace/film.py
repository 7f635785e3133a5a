# SPDX-License-Identifier: Apache-2.0
"""The film: accumulated light per source at one size, and the threads that expose it tile by tile.

A compiled scene, lights and a camera enter; layers in cd/m2 (AP1) leave, one each for the sun, the sky, lamps and
a panorama with all their bounces, beside albedo, normal and depth. A rectangle can be exposed alone: every pixel
counts its own samples.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.light_layers import (
    INDIRECT_LAYERS,
    LIGHT_LAYERS,
    LIGHTS,
    MOMENT_INDEX,
    MOMENT_PLANES,
    TOGETHER,
    UNIT_GAINS,
    Gains,
)
from gloamet.stage.camera import Camera
from gloamet.thread_pool import new_pool
from gloamet.trace.lights.environment import Environment
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.weighted_sum import weigh

Floats = NDArray[np.float32]
Region = tuple[int, int, int, int]  # x0, y0, x1, y1 in pixels
TILE_ROWS, TILE_PATHS = 8, 16_000  # paths between two looks at whether to stop: some 25 ms of one thread
DEFAULT_BOUNCES = 4
RGB_LAYERS = (*LIGHT_LAYERS, *INDIRECT_LAYERS, "albedo", "normal")
SCALAR_LAYERS = ("depth", "near", "transparency", "squares", "counts")
BYTES_PER_PIXEL = 4 * (3 * len(RGB_LAYERS) + 3 + len(MOMENT_PLANES) + 1)
PANORAMA_SEED = 2**31  # added to a film's: two sources that share their numbers would share their noise


class AccumulationArrays(NamedTuple):
    """The layers of a film that a pass of the integrator adds to."""

    sun: Floats
    sky: Floats
    lamps: Floats
    sun_indirect: Floats
    sky_indirect: Floats
    lamps_indirect: Floats
    albedo: Floats
    normal: Floats
    depth: Floats
    near: Floats
    transparency: Floats
    squares: Floats
    counts: Floats


@dataclass(eq=False)
class Film:
    """Sums over samples: sun, sky, lamps, panorama, the indirect part of each, albedo, normal (H, W, 3); depth,
    near (of `distance`), counts and transparency, the share seen past all things, straight and through panes (H, W);
    squares (H, W, 5).

    Films of another seed (0..2^31) have other noise in the same picture. owed (H, W) is what a pass that was begun
    has still to trace; `Renderer.accumulate` takes off what it traces.
    """

    width: int
    height: int
    rays: int = 0
    seed: int = 0
    layers: dict[str, Floats] = field(default_factory=dict)
    pending_samples: NDArray[np.uint16] | None = None

    def __post_init__(self) -> None:
        shape = (self.height, self.width, 3)
        self.layers = {name: np.zeros(shape, np.float32) for name in RGB_LAYERS}
        self.layers |= {name: np.zeros(shape[:2], np.float32) for name in SCALAR_LAYERS}
        self.layers["squares"] = np.zeros((*shape[:2], len(MOMENT_PLANES)), np.float32)

    def arrays(self) -> AccumulationArrays:
        """Arrays that the integrator adds to: light layers that share paths, and first-hit features."""
        return AccumulationArrays(*(self.layers[name] for name in AccumulationArrays._fields))

    @property
    def samples(self) -> int:
        """Samples of the pixel that has most."""
        return int(self.layers["counts"].max())

    def samples_in(self, region: Region | None) -> int:
        """Samples of the pixel that has fewest, in a rectangle or in all."""
        x0, y0, x1, y1 = region or (0, 0, self.width, self.height)
        counts = self.layers["counts"][y0:y1, x0:x1]
        return int(counts.min()) if counts.size else 0

    def _fraction(self) -> Floats:
        return np.reciprocal(np.maximum(self.layers["counts"], np.float32(1.0)))

    def mean(self, name: str) -> Floats:
        """A layer per sample: cd/m2 for the lights; metres for depth, through panes and by mirrors, 0 where only sky is
        seen."""
        layer, fraction = self.layers[name], self._fraction()
        return layer * (fraction[..., None] if layer.ndim == 3 else fraction)

    def light(self, gains: Gains = UNIT_GAINS) -> Floats:
        """The picture: the weighted sum of the layers, cd/m2 in AP1."""
        pairs = zip(LIGHTS, gains, strict=True)
        lit = [(self.layers[light.name], self.layers[light.indirect], gain) for light, gain in pairs]
        # a few rows tell of most lights that they shine
        return weigh([one for one in lit if one[0][::8].any() or one[0].any()], self.layers["counts"])

    def mean_samples(self, region: Region | None = None) -> float:
        """Samples a pixel has on average, in a rectangle or in all."""
        x0, y0, x1, y1 = region or (0, 0, self.width, self.height)
        return float(self.layers["counts"][y0:y1, x0:x1].mean())


def pixel_region(
    rectangle: tuple[float, float, float, float] | None, width: int, height: int
) -> Region | None:
    """Convert a rectangle of picture fractions to pixels.

    Parameters
    ----------
    rectangle : tuple of float or None
        Left, top, right, bottom, 0 to 1; None for no rectangle.
    width : int
        Width in pixels.
    height : int
        Height in pixels.

    Returns
    -------
    Region or None
        Left, top, right, bottom in pixels, at least 8 per side; None for no rectangle.
    """
    if rectangle is None:
        return None
    x0, y0 = int(min(rectangle[0], rectangle[2]) * width), int(min(rectangle[1], rectangle[3]) * height)
    x1, y1 = (
        math.ceil(max(rectangle[0], rectangle[2]) * width),
        math.ceil(max(rectangle[1], rectangle[3]) * height),
    )
    x0, y0 = max(0, min(x0, width - 8)), max(0, min(y0, height - 8))
    return x0, y0, min(width, max(x1, x0 + 8)), min(height, max(y1, y0 + 8))


def _row_bands(wanted: NDArray[np.uint16], most_paths: int = TILE_PATHS) -> list[tuple[int, int]]:
    """Bands of rows, first and last, of at most TILE_ROWS and about so many paths: none holds up a cancel for long."""
    bands, first, paths = [], 0, 0
    in_rows = wanted.sum(1, dtype=np.int64)
    for y, row in enumerate(in_rows.tolist()):
        if y > first and (y - first == TILE_ROWS or paths + row > most_paths):
            bands.append((first, y))
            first, paths = y, 0
        paths += row
    bands.append((first, len(in_rows)))
    return [(a, b) for a, b in bands if in_rows[a:b].any()]


class _PanoramaTarget:
    """Where the paths of a panorama leave what they find: the places of the sky and of its sun are the film's panorama,
    the rest scratch."""

    def __init__(self, film: Film) -> None:
        shape = (film.height, film.width)
        spare, depth = np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32)
        self._film, self._squares = film, np.zeros_like(film.layers["squares"])
        # counts: the film's own are still those before, until the other paths are traced
        layers = dict.fromkeys(AccumulationArrays._fields, spare) | {
            "sun": film.layers["panorama"],
            "sky": film.layers["panorama"],
            "sun_indirect": film.layers["panorama_indirect"],
            "sky_indirect": film.layers["panorama_indirect"],
            "depth": depth,
            "near": depth,
            "transparency": depth,
            "squares": self._squares,
            "counts": film.layers["counts"].copy(),
        }
        self.layers = AccumulationArrays(**layers)

    def take(self, rows: tuple[int, int]) -> None:
        """Rows that are traced: their squares go to the film."""
        cut = slice(*rows)
        self._film.layers["squares"][cut, :, MOMENT_INDEX["panorama"]] += self._squares[
            cut, :, MOMENT_INDEX[TOGETHER]
        ]
        self._squares[cut] = 0.0


class Renderer:
    """A pool of threads that adds passes to films; cancel is looked at between tiles."""

    def __init__(self, threads: int | None = None) -> None:
        self.threads = threads or os.cpu_count() or 1
        self.pool = new_pool("rays", self.threads)

    def accumulate(
        self,
        film: Film,
        scene: RenderScene,
        lights: Environment,
        camera: Camera,
        samples: int | NDArray[np.uint16] = 1,
        max_bounces: int = DEFAULT_BOUNCES,
        cancelled: Callable[[], bool] = lambda: False,
        region: Region | None = None,
    ) -> bool:
        """Add samples: so many to every pixel of a rectangle or of all, or a number (H, W) for each.

        False when cancelled: some pixels then have theirs and others not; each knows how many it has.
        """
        from gloamet.trace.path_tracer import trace_rows

        if isinstance(samples, int):
            wanted = np.zeros((film.height, film.width), np.uint16)
            x0, y0, x1, y1 = region or (0, 0, film.width, film.height)
            wanted[y0:y1, x0:x1] = samples
        else:
            wanted = samples
        packed = camera.packed(film.width, film.height)
        own = (scene.arrays(), lights.arrays(), packed, wanted, np.uint64(film.seed), max_bounces)
        layers = film.arrays()
        aside = None
        if lights.panorama is not None:
            aside = _PanoramaTarget(film)
            seed, dark = np.uint64(film.seed + PANORAMA_SEED), scene.arrays_without_lamps()
            others = (dark, lights.panorama.arrays(), packed, wanted, seed, max_bounces)

        def tile(rows: tuple[int, int]) -> int:
            if cancelled():
                return -1
            count = 0
            if aside is not None:
                count = int(trace_rows(*others, *rows, aside.layers))
                aside.take(rows)
            count += int(trace_rows(*own, *rows, layers))
            if film.pending_samples is not None:
                film.pending_samples[slice(*rows)] -= wanted[slice(*rows)]
            return count

        tiles = _row_bands(wanted, TILE_PATHS if aside is None else TILE_PATHS // 2)
        counts = list(self.pool.map(tile, tiles))
        film.rays += sum(count for count in counts if count > 0)
        return min(counts, default=0) >= 0
