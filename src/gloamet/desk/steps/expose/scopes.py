# SPDX-License-Identifier: Apache-2.0
"""Scopes: histogram, stops, waveform, vectorscope; clipping; false colour."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import Segments, action_button, label
from gloamet.develop.inspect import ZONES, fractions_at_the_ends
from gloamet.develop.scopes import (
    HIGHEST_STOP,
    LOWEST_STOP,
    code_counts,
    colour_counts,
    colour_position,
    stop_counts,
    waveform,
)
from gloamet.preview.events import Frame

HEIGHT, WIDTH = 96, 260
FULL_SHARE = 0.08  # of a column's pixels at one height, from which it is drawn in full
CHANNEL_HUES = ("#d0675e", "#6fae6b", "#6f8fd6")  # red, green and blue as they are in the picture
WAYS = (
    ("codes", "Histogram", "Histogram of the display codes in red, green and blue."),
    ("stops", "Stops", "Histogram of scene luminance in stops from a grey card, before developing."),
    ("waveform", "Waveform", "Waveform: display codes by column of the picture."),
    ("vectorscope", "Vectorscope", "Vectorscope: hue as angle, saturation as radius."),
)
FULL_COLOURS = ((1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1))


def _levels(counts: np.ndarray) -> np.ndarray:
    """Counts as heights 0..1: roots, for rare codes matter too."""
    heights = np.sqrt(counts.astype(float))
    inner = heights[..., 1:-1] if heights.shape[-1] > 4 else heights
    return np.minimum(heights / max(float(inner.max()), 1e-9), 1.0)


class Scope(QWidget):
    """One of the scopes, painted."""

    def __init__(self) -> None:
        super().__init__()
        self.way = WAYS[0][0]
        self._frame: Frame | None = None
        self._image: QImage | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Scope")

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(WIDTH, HEIGHT)

    def follow(self, frame: Frame | None, way: str) -> None:
        """Another picture, or another scope of it."""
        self._frame, self.way, self._image = frame, way, None
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.WELL))
        if self._frame is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.way == "codes":
            self._paint_curves(p, _levels(code_counts(self._frame.pixels)), CHANNEL_HUES)
        elif self.way == "stops":
            self._paint_stops(p, self._frame)
        else:
            self._paint_density(p, self._frame)

    def _paint_curves(self, p: QPainter, levels: np.ndarray, hues: tuple[str, ...]) -> None:
        w, h = self.width(), self.height() - 2
        p.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
        for heights, hue in zip(levels, hues, strict=True):
            points = [
                QPointF(w * k / (len(heights) - 1), h * (1.0 - 0.94 * level))
                for k, level in enumerate(heights)
            ]
            fill = QColor(hue)
            fill.setAlphaF(0.28)
            p.setPen(QPen(QColor(hue), 1.0))
            p.setBrush(fill)
            p.drawPolygon(QPolygonF([QPointF(0, h), *points, QPointF(w, h)]))

    def _paint_stops(self, p: QPainter, frame: Frame) -> None:
        if frame.light is None:
            return
        levels = _levels(stop_counts(frame.light, frame.ev))
        w, h = self.width(), self.height() - 16
        wide = w / len(levels)
        span = HIGHEST_STOP - LOWEST_STOP
        for k, level in enumerate(levels):
            stop = LOWEST_STOP + span * (k + 0.5) / len(levels)
            zone = next(zone for zone in ZONES if stop < zone.up_to)
            p.fillRect(QRectF(k * wide, h * (1.0 - level), wide + 0.5, h * level), QColor(*zone.colour))
        p.setFont(theme.font(theme.SMALL))
        p.setPen(QColor(theme.QUIET))
        for stop in range(LOWEST_STOP + 1, HIGHEST_STOP, 2):
            x = w * (stop - LOWEST_STOP) / span
            p.drawText(QPointF(x - 6, self.height() - 3), f"{stop:+d}".replace("-", "−") if stop else "0")
        x = w * -LOWEST_STOP / span
        p.drawLine(QPointF(x, 0), QPointF(x, h))

    def _paint_density(self, p: QPainter, frame: Frame) -> None:
        w, h = self.width(), self.height()
        if self._image is None:
            self._image = self._density(frame, w, h)
        if self.way == "waveform":
            p.drawImage(QRectF(0, 0, w, h), self._image)
            return
        side, left = float(h), (w - h) / 2.0
        p.drawImage(QRectF(left, 0, side, side), self._image)
        p.setPen(QPen(QColor(theme.LINE), 1.0))
        centre = QPointF(left + side / 2, side / 2)
        p.drawEllipse(centre, side / 2 - 1, side / 2 - 1)
        for colour in FULL_COLOURS:
            x, y = colour_position(np.array(colour, float), 1000)
            at = QPointF(left + side * x / 1000.0, side * y / 1000.0)
            p.setBrush(QColor(*(int(200 * c) + 30 for c in colour)))
            p.drawEllipse(at, 2.5, 2.5)

    def _density(self, frame: Frame, w: int, h: int) -> QImage:
        if self.way == "waveform":
            counts = waveform(frame.pixels, w, h).astype(float)
            column = np.maximum(counts.sum(1, keepdims=True), 1.0)
            light = np.minimum(counts / (FULL_SHARE * column), 1.0) ** 0.6
            hues = np.array([[int(hue[k : k + 2], 16) for k in (1, 3, 5)] for hue in CHANNEL_HUES])
            image = np.einsum("cyx,ck->yxk", light, hues)
        else:
            light = np.minimum(colour_counts(frame.pixels, h) / 12.0, 1.0) ** 0.5
            image = light[..., None] * np.array([200.0, 200.0, 200.0])
        ground = np.array([int(theme.WELL[k : k + 2], 16) for k in (1, 3, 5)])
        codes = np.full((*image.shape[:2], 4), 255, np.uint8)
        codes[..., :3] = np.minimum(ground + image, 255)
        return QImage(codes.data, image.shape[1], h, 4 * image.shape[1], QImage.Format.Format_RGBX8888).copy()


class ScopePanel(QWidget):
    """A scope, the ways to choose from, and what clips."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("column")
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 16, 12)
        column.setSpacing(6)
        self.scope = Scope()
        column.addWidget(self.scope)
        ways = Segments([(text, tip) for _, text, tip in WAYS])
        self.buttons = {way: piece for (way, _, _), piece in zip(WAYS, ways.pieces, strict=True)}
        ways.group.idClicked.connect(lambda k: self.choose(WAYS[k][0]))
        column.addWidget(ways)
        below = QHBoxLayout()
        below.setSpacing(6)
        self.ends = label("", "note")
        column.addWidget(self.ends)
        self.inspections: dict[str, QPushButton] = {}
        for way, text, tip in (
            (
                "false colour",
                "False colour",
                "Show the picture as stops from a grey card. Click again or change the step to end.",
            ),
            ("clipping", "Clipping", "Mark clipped white and black. Click again or change the step to end."),
        ):
            word = action_button(text, tip, partial(self._inspect, way))
            word.setCheckable(True)
            self.inspections[way] = word
            below.addWidget(word)
        below.addStretch(1)
        column.addLayout(below)
        self.buttons["codes"].setChecked(True)
        follow(self, session.results.frame_ready, lambda _: self._show())
        self._show()

    def choose(self, way: str) -> None:
        """Show another scope."""
        self.buttons[way].setChecked(True)
        self.scope.follow(self.session.results.frame, way)

    def _inspect(self, way: str) -> None:
        on = self.session.render.inspect == way
        self.session.render.inspect_as("" if on else way)
        self._show()

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._show()

    def _show(self) -> None:
        if not self.isVisible() and self.scope._frame is not None:
            return
        frame = self.session.results.frame
        for way, word in self.inspections.items():
            word.setChecked(self.session.render.inspect == way)
        self.scope.follow(frame, self.scope.way)
        if frame is None:
            return
        clipped, crushed = fractions_at_the_ends(frame.pixels[::3, ::3])
        self.ends.setText(f"White {100 * clipped:.1f} %  black {100 * crushed:.1f} %")
        self.ends.setToolTip("Fraction of the picture with a channel at maximum, and fraction at zero.")
