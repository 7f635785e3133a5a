# SPDX-License-Identifier: Apache-2.0
"""Outlines of sun and shade over the picture while aiming, computed in a thread.

A built stage, a camera, a size and a direction enter through `request`; a see-through image leaves by signal.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from gloamet.preview.latest import LatestWorker

if TYPE_CHECKING:
    from gloamet.stage.camera import Camera
    from gloamet.trace.relight.sun_mask import SunMask
    from gloamet.trace.render_scene import RenderScene

COLOUR = (240, 164, 92)  # the sun's
MOST_PIXELS = 960 * 540


class MaskRequest(NamedTuple):
    """Inputs of an outline picture; None for the stage clears it."""

    compiled: RenderScene | None
    camera: Camera | None = None
    width: int = 0
    height: int = 0
    towards: NDArray[np.float64] | None = None


class SunMaskWorker(QObject):
    """Computes what the sun would light from another direction."""

    ready = Signal()
    _drawn = Signal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self._wanted = MaskRequest(None)
        self._made: tuple[object, SunMask] | None = None
        self._worker: LatestWorker[MaskRequest] = LatestWorker("sun mask", self._draw, end=self._forget)
        self._drawn.connect(self._on_mask_drawn)

    def request(
        self, compiled: RenderScene, camera: Camera, size: tuple[int, int], towards: NDArray[np.float64]
    ) -> None:
        """Draw this; it replaces the request before."""
        scale = min(1.0, (MOST_PIXELS / max(1, size[0] * size[1])) ** 0.5)
        width, height = max(16, round(size[0] * scale)), max(16, round(size[1] * scale))
        self._wanted = MaskRequest(compiled, camera, width, height, towards)
        self._worker.request(self._wanted)

    def clear(self) -> None:
        """Clear the outlines."""
        self._wanted = MaskRequest(None)
        if self.image is not None:
            self.image = None
            self.ready.emit()

    def close(self) -> None:
        """End the thread."""
        self.clear()
        self._worker.close()

    def _draw(self, request: MaskRequest) -> None:
        from gloamet.trace.relight.sun_mask import SunMask

        compiled, camera, width, height, towards = request
        if compiled is None or camera is None or towards is None:
            return
        key = (id(compiled), camera, width, height)
        if self._made is None or self._made[0] != key:
            self._forget()
            self._made = (key, SunMask(compiled, camera, width, height))
        self._drawn.emit(request, self._made[1].outlines(towards, COLOUR))

    def _forget(self) -> None:
        if self._made is not None:
            self._made[1].close()
            self._made = None

    def _on_mask_drawn(self, request: MaskRequest, pixels: NDArray[np.uint8]) -> None:
        if request is not self._wanted:  # cleared, or asked for again, meanwhile
            return
        h, w = pixels.shape[:2]
        form = QImage.Format.Format_RGBA8888_Premultiplied
        self.image = QImage(pixels.data, w, h, 4 * w, form).copy()
        self.ready.emit()
