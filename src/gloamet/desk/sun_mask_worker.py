"""Outlines of sun and shade over the picture while something is aimed: one thread that draws the newest wish.

A compiled stage, a camera, a size and a direction enter through `request`; a see-through image leaves by signal.
"""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

if TYPE_CHECKING:
    from gloamet.stage.camera import Camera
    from gloamet.trace.render_scene import RenderScene

COLOUR = (240, 164, 92)  # the sun's
MOST_PIXELS = 960 * 540


class SunMaskWorker(QObject):
    """What the sun would light if it stood elsewhere."""

    ready = Signal()
    _drawn = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self._pixels: NDArray[np.uint8] | None = None
        self._lock = threading.Condition()
        self._wish: Any = None
        self._closing = False
        self._thread: threading.Thread | None = None
        self._drawn.connect(self._on_mask_drawn)

    def request(
        self, compiled: RenderScene, camera: Camera, size: tuple[int, int], towards: NDArray[np.float64]
    ) -> None:
        """Draw this; replaces the wish before."""
        scale = min(1.0, (MOST_PIXELS / max(1, size[0] * size[1])) ** 0.5)
        width, height = max(16, round(size[0] * scale)), max(16, round(size[1] * scale))
        with self._lock:
            self._wish = (compiled, camera, width, height, towards)
            self._lock.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="outlines", daemon=True)
            self._thread.start()

    def clear(self) -> None:
        """Draw nothing."""
        with self._lock:
            self._wish = None
        if self.image is not None:
            self.image = self._pixels = None
            self.ready.emit()

    def close(self) -> None:
        """End the thread."""
        with self._lock:
            self._closing, self._wish = True, None
            self._lock.notify()
        if self._thread is not None:
            self._thread.join(timeout=10)

    def _run(self) -> None:
        from gloamet.trace.sun_mask import SunMask

        made: tuple[Any, SunMask] | None = None
        while True:
            with self._lock:
                while self._wish is None and not self._closing:
                    self._lock.wait()
                if self._closing:
                    break
                wish, self._wish = self._wish, None
            compiled, camera, width, height, towards = wish
            key = (id(compiled), camera, width, height)
            if made is None or made[0] != key:
                if made is not None:
                    made[1].close()
                made = (key, SunMask(compiled, camera, width, height))
            self._drawn.emit((wish, made[1].outlines(towards, COLOUR)))
        if made is not None:
            made[1].close()

    def _on_mask_drawn(self, drawn: tuple[Any, NDArray[np.uint8]]) -> None:
        if self._closing:
            return
        self._pixels = drawn[1]
        h, w = self._pixels.shape[:2]
        form = QImage.Format.Format_RGBA8888_Premultiplied
        self.image = QImage(self._pixels.data, w, h, 4 * w, form)
        self.ready.emit()
