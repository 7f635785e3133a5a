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

from gloamet.jit import JIT
from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.rays import empty_packets
from gloamet.trace.relight.layer import Screen
from gloamet.trace.relight.screen import KIND, SURFACE, see
from gloamet.trace.relight.shade import find_alike, sun_between, sun_lattice
from gloamet.trace.relight.sharing import Sharing

F = np.float32
ROWS = 16  # of a band of rays; even, as the lattice wants it
SHADED = np.uint8(96)  # how dark shade is drawn, of 255


@njit(**JIT)
def _outlines(visible, kinds, alike, width, height, y0, y1, colour, out):
    """Rows y0..y1 of a see-through picture: shade a little darker, its edges in the colour."""
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = out[y, x, 3] = np.uint8(0)
            if kinds[i] != 1:
                continue
            lit = visible[i, 1] > 0
            edge = False
            if x + 1 < width and kinds[i + 1] == 1 and alike[i] and alike[i + 1]:
                edge = lit != (visible[i + 1, 1] > 0)
            if y + 1 < height and kinds[i + width] == 1 and alike[i] and alike[i + width]:
                edge = edge or lit != (visible[i + width, 1] > 0)
            if edge:
                # premultiplied, as painting wants it
                out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = colour[0], colour[1], colour[2], 255
            elif not lit:
                out[y, x, 3] = SHADED


class SunPatch:
    """What one camera sees, ready to be asked for any sun."""

    def __init__(self, scene: Compiled, camera: Camera, width: int, height: int) -> None:
        self.width, self.height = width, height
        self._scene, self._arrays = scene, scene.arrays()
        threads = os.cpu_count() or 1
        self._pool = ThreadPoolExecutor(threads)
        self._share = Sharing(self._pool, threads)
        self._packets = [empty_packets(1) for _ in range(0, height, ROWS)]
        screen, aside = Screen(width, height), Screen(width, height)
        packed = camera.packed(width, height)
        before = (scene.rays.handle, self._arrays, packed, width, height)
        after = (screen.points, screen.paint, aside.points, aside.paint)
        self._share.run(see, before, height, after, parts=16)
        self._points = screen.points
        self._kinds = (screen.paint[:, KIND] == SURFACE).astype(np.uint8)
        self._alike = np.zeros(width * height, np.bool_)
        flat = (screen.points, screen.paint, width, height)
        self._share.run(find_alike, flat, height, (self._alike,))
        self._visible = np.zeros((width * height, 3), np.uint8)

    def close(self) -> None:
        """End the threads."""
        self._pool.shutdown(wait=True)

    def _bands(self, towards: NDArray[np.float64], step: int) -> None:
        sun = np.asarray(towards, np.float32)
        scene = (
            self._scene.rays.handle,
            self._scene.geometry.pervious,
            self._arrays,
            sun,
            self._points,
            self._kinds,
        )

        def band(k: int) -> None:
            y, bottom = k * ROWS, min(self.height, (k + 1) * ROWS)
            if step == 0:
                sun_lattice(*scene, self.width, y, bottom, self._packets[k], 0, self._visible)
            else:
                sun_between(
                    *scene, self._alike, self.width, self.height, y, bottom, self._packets[k], 0, self._visible
                )  # fmt: skip

        list(self._pool.map(band, range(len(self._packets))))

    def mask(self, towards: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which pixels show a surface the sun reaches, (H, W); towards is a unit vector to the sun."""
        self._bands(towards, 0)
        self._bands(towards, 1)
        return np.asarray(self._visible[:, 1].reshape(self.height, self.width) > 0)

    def outlines(self, towards: NDArray[np.float64], colour: tuple[int, int, int]) -> NDArray[np.uint8]:
        """Shade and its edges as a premultiplied picture (H, W, 4) to lay over the picture."""
        self.mask(towards)
        out = np.empty((self.height, self.width, 4), np.uint8)
        before = (self._visible, self._kinds, self._alike, self.width, self.height)
        self._share.run(_outlines, before, self.height, (np.array(colour, np.uint8), out))
        return out
