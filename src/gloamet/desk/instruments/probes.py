# SPDX-License-Identifier: Apache-2.0
"""Mirror ball, grey ball, 18 % card and white card in the present light, beside the meter.

Where the light there is far from what the picture is exposed for, grey ball and cards are shown brighter or darker by
whole stops; the mirror ball, which shows its surroundings, keeps the exposure.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QWidget

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.desk.widgets.ports import LightPort
from gloamet.desk.widgets.throttle import Throttle
from gloamet.develop.settings import DevelopSettings
from gloamet.errors import GloametError
from gloamet.light_layers import LIGHT_LAYERS, Gains
from gloamet.meter.card_light import BALL_PX, ball_pixels
from gloamet.meter.metering import card_ev
from gloamet.preview.events import MeterRead
from gloamet.translation.document_to_picture import develop_settings

GAP, PACE_MS = 8, 90
GREY, WHITE, MIRROR = 0.18, 0.9, 0.85
FACING = 1  # of the cards: the one that faces the camera
READABLE_STOPS, MOST_SHIFT = 2.5, 12  # from grey, up to which a card is readable


class Probes(QWidget):
    """Four small things as the picture would show them; `shift` is by how many stops grey ball and cards are
    brighter than it."""

    shifted = Signal()

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName("Mirror ball, grey ball, grey card and white card")
        self.setToolTip(
            "Mirror ball and grey ball, 18 % card and white card facing the camera, in the present light and "
            "exposure."
        )
        self.shift = 0
        self._images: list[QImage] = []
        self._read: MeterRead | None = None  # what they were made of
        self._inputs: tuple[Gains, DevelopSettings] | None = None
        self._pace = Throttle(self, PACE_MS, self._develop)
        for signal in (session.results.meter_read, session.results.frame_ready, session.document_changed):
            signal.connect(lambda _: self._pace.ask())

    @property
    def size_px(self) -> float:
        """Width and height of one of them on screen."""
        return (self.width() - 3.0 * GAP) / 4.0

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self.setFixedHeight(round(self.size_px) + 4)

    def _shift_for(self, plane: np.ndarray, ev: float) -> int:
        """Whole stops that bring a grey card to readable tones, 0 where it has them."""
        red, green, blue = (float(value) for value in plane[0, 0])
        light = float(AP1_LUMINANCE @ (red, green, blue))
        if light <= 0.0 or abs(stops := card_ev(light) - ev) <= READABLE_STOPS:
            return 0
        return max(-MOST_SHIFT, min(MOST_SHIFT, -round(stops)))

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
        inputs = self.session.gains(), settings
        # the file of a colour table may be another by now
        if read is self._read and inputs == self._inputs and not settings.colour.table:
            return
        self._read, self._inputs = read, inputs
        inside, _normals = ball_pixels()
        # side by side: they are developed at once
        planes = self.planes(read)
        shift = self._shift_for(planes[2], frame.ev)
        diffuse = [plane * np.float32(2.0**shift) for plane in planes[1:]]
        strip = np.ascontiguousarray(np.concatenate([planes[0], *diffuse], 1), np.float32)
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
        if shift != self.shift:
            self.shift = shift
            self.shifted.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for k, image in enumerate(self._images):
            p.drawImage(QRectF(k * (self.size_px + GAP), 0, self.size_px, self.size_px), image)
