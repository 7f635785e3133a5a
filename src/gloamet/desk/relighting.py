"""The record behind the worker's pictures: when it is made, what is relit by it, how it gives way to the exact.

A record belongs to one compiled stage, camera and size; sun, sky and gains pass through it. Lamps are not part
of it: their light is taken from the last exact film of the same view, before there is one from the preview's.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from concurrent.futures import Executor
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from gloamet.stage.camera import Camera
    from gloamet.trace.compiled import Compiled
    from gloamet.trace.film import Gains
    from gloamet.trace.lights import Lights

Floats = NDArray[np.float32]
# Pixels of a relit picture: as many as this machine relights in RELIT_S, which leaves time for sky, developing and
# window at twenty pictures a second; on a larger screen it is stretched until the exact one is there.
RELIT_S = 0.025
FIRST_SPEED = 9e6  # pixels a second until it is measured
FEWEST_PIXELS, MOST_PIXELS = 150_000, 1_000_000
LAMPS_FROM = 4  # samples of a film before its lamps are believed
HANDED_FROM, HANDED_OVER = 2, 32  # samples between which the exact picture takes the place of the relit one
ALIKE = 6  # samples past HANDED_FROM with which an exact picture, cleaned, errs about as much as a relit one


def share_of_exact(samples: float) -> float:
    """Share of the exact picture of so many samples in what is shown, 0..1.

    Their errors have nothing to do with each other: mixed by how small each is, they are nearer to the truth together.
    """
    past, most = max(0.0, samples - HANDED_FROM), HANDED_OVER - HANDED_FROM
    return min(1.0, past / (past + ALIKE) * (most + ALIKE) / most)


class Relighting:
    """One record, the picture it last gave at rest, and the light of lamps for it."""

    def __init__(self) -> None:
        self._key: Any = None
        self.record: Any = None
        self._rest: tuple[Any, Floats] | None = None
        self._lamps: tuple[Any, Floats, float] | None = None  # of what, their light, by how many paths
        self._speed = FIRST_SPEED

    def ready(self, key: Any) -> bool:
        """Whether pictures of this stage, camera and size can be relit."""
        return self.record is not None and self._key == key and bool(self.record.ready)

    def improve(
        self, key: Any, compiled: Compiled, camera: Camera, size: tuple[int, int], lights: Lights,
        pool: Executor, threads: int, cancelled: Callable[[], bool],
    ) -> bool:  # fmt: skip
        """One more step of the record, a new one when it is of something else; False when it is full."""
        from gloamet.trace.lights import blended
        from gloamet.trace.relight.record import Record

        if self._key != key:
            pixels = min(max(RELIT_S * self._speed, FEWEST_PIXELS), MOST_PIXELS)
            shrink = max(1.0, math.sqrt(size[0] * size[1] / pixels))
            width, height = (max(16, round(side / shrink)) for side in size)
            self._key, self.record = key, Record(compiled, camera, width, height, pool, threads, self.record)
        if self.record.full:
            return False
        return bool(self.record.improve(blended(lights, 1.0, 1.0), cancelled))

    def relit(self, lights: Lights, gains: Gains, rest: Any = None) -> Floats:
        """The picture under these lights; with `rest`, all bounces, and kept under that key for the hand-over."""
        from gloamet.trace.lights import blended

        begin, sky_gain = time.perf_counter(), gains[1]
        if lights.panorama is not None:
            lights, sky_gain = blended(lights, gains[1], gains[3]), 1.0
        picture: Floats = self.record.relit(lights, gains[0], sky_gain, at_rest=rest is not None)
        if rest is None:
            self._speed += 0.1 * (
                picture.shape[0] * picture.shape[1] / (time.perf_counter() - begin) - self._speed
            )
        if self._lamps is not None and self._lamps[0] == self._key and gains[2] > 0.0:
            picture += np.float32(gains[2]) * self._lamps[1]
        self._rest = None if rest is None else (rest, picture)
        return picture

    def keep_lamps(
        self, key: Any, film: Any, pool: Executor, cancelled: Callable[[], bool], least: int = LAMPS_FROM
    ) -> bool:
        """Take the lamps' light of a film of `least` samples, which a sun that moves later does not change; whether it
        was taken. That of more paths stays: the film begins anew with every sun, the lamps do not.
        """
        from gloamet.trace.denoise import denoise, dim_and_bright, keeping_light
        from gloamet.trace.upsample import stretched, upsample

        if self._key != key or film.samples_in(None) < least or not film.layers["lamps"].any():
            return False
        paths = film.mean_samples() * film.width * film.height
        if self._lamps is not None and self._lamps[0] == key and self._lamps[2] >= paths:
            return False
        noisy = film.mean("lamps")
        clean = denoise(noisy, film, cancelled=cancelled)
        if clean is None:
            return False
        clean, size = keeping_light(clean, noisy), (self.record.height, self.record.width)
        if film.width >= self.record.width:
            self._lamps = (key, stretched(clean, size), paths)
            return True
        # what glows itself has nothing to do with how much its surface reflects
        dim, bright = dim_and_bright(clean)
        light = upsample(dim, film, self.record.guides(), pool) + stretched(bright, size)
        self._lamps = (key, self.record.with_outlines(light), paths)
        return True

    def handed_over(self, rest: Any, samples: float) -> float:
        """`share_of_exact` where a relit picture of that light is being shown, else all of it."""
        return share_of_exact(samples) if self._rest is not None and self._rest[0] == rest else 1.0

    def mixed(self, exact: Floats | None, share: float, shape: tuple[int, int]) -> Floats:
        """The picture at rest with its share of the exact one."""
        from gloamet.trace.upsample import stretched

        assert self._rest is not None
        relit = stretched(self._rest[1], shape)
        if exact is None:
            return relit
        return np.asarray(relit + np.float32(share) * (exact - relit), np.float32)
