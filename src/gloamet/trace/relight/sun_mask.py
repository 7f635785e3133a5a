# SPDX-License-Identifier: Apache-2.0
"""Sunlit pixels by exact shadow rays only: for outlines while dragging.

A compiled scene, a camera and a size enter once; a sun direction gives a mask of the lit surfaces or their outlines
as a see-through picture. Panes tint, leaves have holes; mirror images are not looked into.
"""

from __future__ import annotations

import os
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.stage.camera import Camera
from gloamet.thread_barrier import barrier_wait, next_index
from gloamet.thread_pool import new_pool
from gloamet.trace.geometry.rays import empty_packets
from gloamet.trace.relight.frame import ThreadGroup
from gloamet.trace.relight.gbuffer import fill_gbuffer
from gloamet.trace.relight.points import PIXEL_KIND, SURFACE_PIXEL
from gloamet.trace.relight.relit_layer import GBuffer
from gloamet.trace.relight.sun_rays import SHADOWED, Packet, mark_interpolable, trace_sun_gaps, trace_sun_grid
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.worker_pool import WorkerPool

ROWS = 16  # of a band of rays; even, as the lattice wants it
COUNTERS = 8  # lists and meetings of a picture
SHADE_LEVEL = np.uint8(96)  # opacity of the shaded area, of 255


class MaskArrays(NamedTuple):
    """The pixels of the picture as `relight.sun_rays` reads them."""

    points: NDArray[np.float32]
    kinds: NDArray[np.uint8]
    interpolable: NDArray[np.bool_]
    width: int
    height: int
    visible: NDArray[np.uint32]


@njit(**INLINE_KERNEL_OPTIONS)
def _outline(display, y0, y1, colour, out):
    """Rows y0..y1 of a transparent picture: shaded areas darker, shadow edges in the colour."""
    visible, kinds, alike = display.visible, display.kinds, display.interpolable
    width, height = display.width, display.height
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
def _draw(group, scene, display, sun, colour, out):
    """Rays of a grid, then of the pixels between, then the picture: all threads together, band by band.

    team is a `relight.frame.ThreadGroup`, display a `MaskArrays`.
    """
    threads, packet = len(group.packets), Packet(group.packets, next_index(group.counters, 0))
    for step in range(3):
        while True:
            y = next_index(group.counters, 1 + 2 * step) * ROWS
            if y >= display.height:
                break
            bottom = min(display.height, y + ROWS)
            if step == 0:
                trace_sun_grid(scene, display, sun, y, bottom, -1, packet)
            elif step == 1:
                trace_sun_gaps(scene, display, sun, y, bottom, -1, packet)
            else:
                _outline(display, y, bottom, colour, out)
        barrier_wait(group.counters, 2 + 2 * step, threads)


class SunMask:
    """The surfaces one camera sees, to be tested against any sun."""

    def __init__(self, scene: RenderScene, camera: Camera, width: int, height: int) -> None:
        self.width, self.height = width, height
        self._arrays, n = scene.arrays(), width * height
        threads = os.cpu_count() or 1
        self._pool = new_pool("sun mask", threads)
        self._workers = WorkerPool(self._pool, threads)
        self._packets = empty_packets(threads)
        g, reflected = GBuffer(width, height), GBuffer(width, height)
        before, after = (self._arrays, camera.packed(width, height)), (g.arrays(), reflected.arrays())
        self._workers.run(fill_gbuffer, before, height, after, parts=16)
        kinds = (g.shading[:, PIXEL_KIND] == SURFACE_PIXEL).astype(np.uint8)
        self._display = MaskArrays(
            g.points, kinds, np.zeros(n, np.bool_), width, height, np.zeros(n, np.uint32)
        )
        self._workers.run(mark_interpolable, (g.arrays(),), height, (self._display.interpolable,))

    def close(self) -> None:
        """End the threads."""
        self._pool.shutdown(wait=True)

    def mask(self, towards: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which pixels show a surface the sun reaches, (H, W); towards is a unit vector to the sun."""
        self.outlines(towards, (0, 0, 0))
        return np.asarray(self._display.visible.reshape(self.height, self.width) > 0)

    def outlines(self, towards: NDArray[np.float64], colour: tuple[int, int, int]) -> NDArray[np.uint8]:
        """Shaded areas and shadow edges as a premultiplied picture (H, W, 4) to composite over the picture."""
        out = np.empty((self.height, self.width, 4), np.uint8)
        group = ThreadGroup(np.zeros(COUNTERS, np.int64), self._packets)
        sun = tuple(np.asarray(towards, np.float32))
        arguments = (group, self._arrays, self._display, sun, np.array(colour, np.uint8), out)
        self._workers.all_together(_draw, arguments)
        return out
