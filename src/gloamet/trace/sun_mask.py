"""Where the sun falls in the picture, by exact rays and nothing else: for outlines while something is dragged.

A compiled scene, a camera and a size enter once; a sun direction gives a mask of the lit surfaces or their outlines
as a see-through picture. Panes tint, leaves have holes; mirror images are not looked into.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS
from gloamet.stage.camera import Camera
from gloamet.thread_barrier import barrier_wait, next_index
from gloamet.trace.rays import empty_packets
from gloamet.trace.relight.gbuffer import PIXEL_KIND, SURFACE_PIXEL, fill_gbuffer
from gloamet.trace.relight.layer import GBuffer
from gloamet.trace.relight.sun_rays import SHADOWED, mark_interpolable, trace_sun_gaps, trace_sun_grid
from gloamet.trace.relight.worker_pool import WorkerPool
from gloamet.trace.render_scene import RenderScene

F = np.float32
ROWS = 16  # of a band of rays; even, as the lattice wants it
COUNTERS = 8  # lists and meetings of a picture
SHADE_LEVEL = np.uint8(96)  # how dark shade is drawn, of 255


@njit(inline="always", **KERNEL_OPTIONS)
def _outline(visible, kinds, alike, width, height, y0, y1, colour, out):
    """Rows y0..y1 of a see-through picture: shade a little darker, its edges in the colour."""
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = out[y, x, 3] = np.uint8(0)
            if kinds[i] != 1:
                continue
            lit = visible[i] != SHADOWED
            edge = False
            if x + 1 < width and kinds[i + 1] == 1 and alike[i] and alike[i + 1]:
                edge = lit != (visible[i + 1] != SHADOWED)
            if y + 1 < height and kinds[i + width] == 1 and alike[i] and alike[i + width]:
                edge = edge or lit != (visible[i + width] != SHADOWED)
            if edge:
                # premultiplied, as painting wants it
                out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = colour[0], colour[1], colour[2], 255
            elif not lit:
                out[y, x, 3] = SHADE_LEVEL


@njit(**KERNEL_OPTIONS)
def _draw(team, packets, scene, pervious, arrays, sun, seen, width, height, colour, visible, out):
    """Rays of a lattice, then of what lies between, then the picture: all threads together, band by band.

    seen is (points, kinds, alike); team and packets are as in `relight.frame`.
    """
    points, kinds, alike = seen
    threads, row = len(packets), next_index(team, 0)
    for step in range(3):
        while True:
            y = next_index(team, 1 + 2 * step) * ROWS
            if y >= height:
                break
            bottom = min(height, y + ROWS)
            if step == 0:
                trace_sun_grid(
                    scene, pervious, arrays, sun, points, kinds, width, y, bottom, -1, packets, row, visible
                )
            elif step == 1:
                trace_sun_gaps(
                    scene, pervious, arrays, sun, points, kinds, alike, width, height, y, bottom, -1,
                    packets, row, visible,
                )  # fmt: skip
            else:
                _outline(visible, kinds, alike, width, height, y, bottom, colour, out)
        barrier_wait(team, 2 + 2 * step, threads)


class SunMask:
    """What one camera sees, ready to be asked for any sun."""

    def __init__(self, scene: RenderScene, camera: Camera, width: int, height: int) -> None:
        self.width, self.height = width, height
        self._scene, self._arrays = scene, scene.arrays()
        threads = os.cpu_count() or 1
        self._pool = ThreadPoolExecutor(threads)
        self._share = WorkerPool(self._pool, threads)
        self._packets = empty_packets(threads)
        screen, aside = GBuffer(width, height), GBuffer(width, height)
        packed = camera.packed(width, height)
        before = (scene.rays.handle, self._arrays, packed, width, height)
        after = (screen.points, screen.shading, aside.points, aside.shading)
        self._share.run(fill_gbuffer, before, height, after, parts=16)
        self._points = screen.points
        self._kinds = (screen.shading[:, PIXEL_KIND] == SURFACE_PIXEL).astype(np.uint8)
        self._alike = np.zeros(width * height, np.bool_)
        flat = (screen.points, screen.shading, width, height)
        self._share.run(mark_interpolable, flat, height, (self._alike,))
        self._visible = np.zeros(width * height, np.uint32)

    def close(self) -> None:
        """End the threads."""
        self._pool.shutdown(wait=True)

    def mask(self, towards: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which pixels show a surface the sun reaches, (H, W); towards is a unit vector to the sun."""
        self.outlines(towards, (0, 0, 0))
        return np.asarray(self._visible.reshape(self.height, self.width) > 0)

    def outlines(self, towards: NDArray[np.float64], colour: tuple[int, int, int]) -> NDArray[np.uint8]:
        """Shade and its edges as a premultiplied picture (H, W, 4) to lay over the picture."""
        out = np.empty((self.height, self.width, 4), np.uint8)
        words = (
            np.zeros(COUNTERS, np.int64), self._packets, self._scene.rays.handle, self._scene.geometry.pervious,
            self._arrays, np.asarray(towards, np.float32), (self._points, self._kinds, self._alike), self.width,
            self.height, np.array(colour, np.uint8), self._visible, out,
        )  # fmt: skip
        self._share.all_together(_draw, words)
        return out
