# SPDX-License-Identifier: Apache-2.0
"""Mirror ball, grey ball, 18 % card and white card in the present light, beside the meter."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from gloamet.desk.widgets.ports import LightPort
from gloamet.desk.widgets.throttle import Throttle
from gloamet.errors import GloametError
from gloamet.light_layers import LIGHT_LAYERS
from gloamet.meter.card_light import BALL_PX, ball_pixels
from gloamet.preview.events import MeterRead
from gloamet.translation.document_to_picture import develop_settings

SIZE, GAP, PACE_MS = 42, 8, 90
GREY, WHITE, MIRROR = 0.18, 0.9, 0.85
FACING = 1  # of the cards: the one that faces the camera


class Probes(QWidget):
    """Four small things as the picture would show them."""

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(SIZE + 4)
        self.setAccessibleName("Mirror ball, grey ball, grey card and white card")
        self.setToolTip(
            "Mirror ball and grey ball at the centre of the picture, 18 % card and white card facing the "
            "camera, in the present light and exposure."
        )
        self._images: list[QImage] = []
        self._pace = Throttle(self, PACE_MS, self._develop)
        for signal in (session.results.meter_read, session.results.frame_ready, session.document_changed):
            signal.connect(lambda _: self._pace.ask())

    def planes(self, read: MeterRead) -> list[np.ndarray]:
        """Light of the four, (BALL_PX, BALL_PX, 3) AP1 cd/m2."""
        gains = self.session.gains()
        inside, _normals = ball_pixels()
        named = gains._asdict()
        direct = np.array([named[name].direct for name in LIGHT_LAYERS], np.float32)
        mirror = MIRROR * (read.mirror * direct).sum(1)
        grey = GREY / math.pi * read.ball.under(gains).whole.sum(1)
        card = read.cards.under(gains).whole[FACING].sum(0) / math.pi
        out = []
        for light in (mirror, grey):
            plane = np.zeros((BALL_PX, BALL_PX, 3), np.float32)
            plane[inside] = light
            out.append(plane)
        for reflectance in (GREY, WHITE):
            out.append(np.full((BALL_PX, BALL_PX, 3), reflectance * card, np.float32))
        return out

    def _develop(self) -> None:
        read, frame = self.session.results.read, self.session.results.frame
        if read is None or frame is None:
            return
        from gloamet.develop.display import develop_screen

        settings = develop_settings(self.session.document, frame.ev).point_operations()
        inside, _normals = ball_pixels()
        # side by side: they are developed at once
        strip = np.ascontiguousarray(np.concatenate(self.planes(read), 1), np.float32)
        try:
            developed = np.array(develop_screen(strip, settings))
        except GloametError:
            return  # a look-up table that is gone: the picture says so, and the balls stay as they were
        self._images = []
        for k in range(4):
            pixels = developed[:, k * BALL_PX : (k + 1) * BALL_PX].copy()
            pixels[..., 3] = 255 if k >= 2 else np.where(inside, 255, 0)
            image = QImage(pixels.tobytes(), BALL_PX, BALL_PX, 4 * BALL_PX, QImage.Format.Format_RGBA8888)
            self._images.append(image.copy())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for k, image in enumerate(self._images):
            p.drawImage(QRectF(k * (SIZE + GAP), 0, SIZE, SIZE), image)
