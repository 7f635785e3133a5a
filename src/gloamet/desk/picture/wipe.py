# SPDX-License-Identifier: Apache-2.0
"""A wipe over the picture: the physical sky left of a line to drag, the adjusted sky right of it.

The worker's picture of the other light comes as a `BesideFrame`; each side says what the meter reads of it.
"""

from __future__ import annotations

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from gloamet.desk.instruments.meter import lux_text
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import ActionButton
from gloamet.document.air import SkyState
from gloamet.document.model import Document
from gloamet.meter.light import LightReading
from gloamet.preview.events import BesideFrame

GRIP_PX, KNOB_PX, STRIP_PX = 6.0, 5.0, 24.0
LEAST, MOST = 0.04, 0.96  # fraction of the picture at which the line stops


def natural(document: Document) -> Document:
    """The document under the sky that its air makes, without a hand on it; the backdrop stays."""
    plain = SkyState()
    kept = ("backdrop", "backdrop_colour", "backdrop_top_colour")
    values = {name: getattr(plain, name) for name in SkyState.model_fields if name not in kept}
    return document.change("air", sky_model="physical").change("sky", **values)


def reading_label(reading: LightReading, ev: float) -> str:
    """What the meter reads on horizontal ground, and the exposure of the picture."""
    sun, sky = lux_text(reading.sun_horizontal_lx), lux_text(reading.sky_horizontal_lx)
    stops = f", {reading.sun_sky_stops:+.1f} stops" if reading.sun_horizontal_lx > 0.0 else ""
    return f"sun {sun}, sky {sky}{stops}, EV {ev:.1f}".replace("-", "−")


class Wipe(QObject):
    """The line, and the picture to its left."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fraction = 0.5
        self.shown: BesideFrame | None = None
        self._image: QImage | None = None
        self._held = False
        session.results.beside_ready.connect(self._on_beside_ready)
        session.state.beside_changed.connect(self._on_beside_changed)
        session.document_changed.connect(self._on_document_changed)

    @property
    def on(self) -> bool:
        """Whether there is something to show."""
        return self.session.state.compares and self._image is not None

    def _on_beside_ready(self, frame: BesideFrame) -> None:
        if not self.session.state.compares:
            return
        h, w = frame.pixels.shape[:2]
        self.shown = frame
        self._image = QImage(frame.pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
        self.changed.emit()

    def _on_beside_changed(self) -> None:
        if not self.session.state.compares:
            self.shown = self._image = None
        self.changed.emit()

    def _on_document_changed(self, document: Document) -> None:
        if self.session.state.compares and natural(document) == document:
            self.session.show_beside(None)  # both sides are the same

    def line(self, box: QRectF) -> float:
        """Position of the line in a picture's rectangle."""
        return box.x() + self.fraction * box.width()

    def near(self, box: QRectF, at: QPointF) -> bool:
        """Whether a place is on the line."""
        return self.on and box.contains(at) and abs(at.x() - self.line(box)) <= GRIP_PX

    def press(self, box: QRectF, at: QPointF) -> bool:
        """Take hold of the line; whether it was there."""
        self._held = self.near(box, at)
        return self._held

    def move(self, box: QRectF, at: QPointF) -> bool:
        """Drag the line; whether it is held."""
        if self._held:
            self.fraction = min(max((at.x() - box.x()) / box.width(), LEAST), MOST)
            self.changed.emit()
        return self._held

    def release(self) -> bool:
        """Let go; whether it was held."""
        held, self._held = self._held, False
        return held

    def paint(self, p: QPainter, box: QRectF) -> None:
        """The left side, the line and both labels."""
        if not self.on or self._image is None or self.shown is None:
            return
        x = self.line(box)
        left = QRectF(box.x(), box.y(), x - box.x(), box.height())
        source = QRectF(0, 0, self.fraction * self._image.width(), self._image.height())
        p.drawImage(left, self._image, source)
        p.setPen(QPen(QColor(theme.PICTURE_INK), 1.0))
        p.drawLine(QPointF(x, box.y()), QPointF(x, box.bottom()))
        p.setBrush(QColor(theme.PICTURE_INK))
        p.drawEllipse(QPointF(x, box.center().y()), KNOB_PX, KNOB_PX)
        strip = QRectF(box.x(), box.bottom() - STRIP_PX, box.width(), STRIP_PX)
        shade = QColor(theme.PICTURE_SHADE)
        shade.setAlphaF(0.78)
        p.fillRect(strip, shade)
        p.setFont(theme.font(theme.NOTE))
        centre = Qt.AlignmentFlag.AlignVCenter
        inner = strip.adjusted(10, 0, -10, 0)
        nature = f"physical: {reading_label(self.shown.solved.reading, self.shown.ev)}"
        p.drawText(inner, Qt.AlignmentFlag.AlignLeft | centre, nature)
        light, frame = self.session.results.light, self.session.results.frame
        if light is not None and frame is not None:
            p.drawText(
                inner,
                Qt.AlignmentFlag.AlignRight | centre,
                f"as set: {reading_label(light.reading, frame.ev)}",
            )


class CompareButton(ActionButton):
    """A button that shows the picture beside the physical sky; a second click ends it."""

    def __init__(self, session: Session) -> None:
        super().__init__("Compare with physical")
        self.session = session
        self.setCheckable(True)
        self.setToolTip("Show the physical sky to the left of a line; drag the line.")
        self.clicked.connect(lambda on: session.show_beside(natural if on else None))
        self.setChecked(session.state.compares)
        session.state.beside_changed.connect(lambda: self.setChecked(session.state.compares))
