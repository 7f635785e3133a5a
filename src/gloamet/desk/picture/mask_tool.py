# SPDX-License-Identifier: Apache-2.0
"""Mouse tool for masks: dragging the centre, painting, and the outline over the picture."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from gloamet.desk.actions.expose_actions import change_mask, current_mask
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.document.expose import MaskState

PAINT = "mask paint"  # the tool
REACH_PX, DOT = 10.0, 5.0
SPACING = 0.25  # of a dab's width between dabs
MOST_DABS = 4000
DAB_KEY = "expose.masks.paint"


class MaskTool:
    """One press, move and release on the picture."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._held = ""
        self._last = QPointF()

    def press(self, box: QRectF, at: QPointF) -> bool:
        """Whether the press belongs to the mask that is worked on."""
        mask = current_mask(self.session)
        self._held = ""
        if mask is None or not box.contains(at):
            return False
        if mask.kind == "painted" and self.session.state.tool == PAINT:
            self._held = "paint"
            self._dab(mask, box, at)
        elif mask.kind in ("round", "gradient") and self._near(mask, box, at):
            self._held = "place"
        return bool(self._held)

    def _near(self, mask: MaskState, box: QRectF, at: QPointF) -> bool:
        return (middle(mask, box) - at).manhattanLength() <= REACH_PX

    def move(self, box: QRectF, at: QPointF) -> bool:
        """Follow the pointer; False when nothing is dragged."""
        mask = current_mask(self.session)
        if not self._held or mask is None:
            return False
        if self._held == "place":
            x, y = (at.x() - box.x()) / box.width(), (at.y() - box.y()) / box.height()
            x, y = (round(min(max(v, -0.5), 1.5), 4) for v in (x, y))
            change_mask(self.session, "expose.masks.place", x=x, y=y)
        elif math.hypot(*(at - self._last).toTuple()) >= SPACING * self.session.state.brush * box.height():
            self._dab(mask, box, at)
        return True

    def _dab(self, mask: MaskState, box: QRectF, at: QPointF) -> None:
        self._last = at
        if len(mask.strokes) >= MOST_DABS:
            self.session.noticed.emit("This mask is full: add another one, or use a wider brush.", "note")
            return
        dab = (
            round((at.x() - box.x()) / box.width(), 4),
            round((at.y() - box.y()) / box.height(), 4),
            self.session.state.brush,
        )
        change_mask(self.session, DAB_KEY, strokes=(*mask.strokes, dab))

    def release(self) -> bool:
        """End; whether anything was held."""
        held, self._held = bool(self._held), ""
        if held:
            self.session.end_undo_group()
        return held


def middle(mask: MaskState, box: QRectF) -> QPointF:
    """Screen position of a mask's centre."""
    return QPointF(box.x() + mask.x * box.width(), box.y() + mask.y * box.height())


def draw_mask(p: QPainter, box: QRectF, session: Session) -> None:
    """The outline of the mask that is worked on."""
    mask = current_mask(session)
    if mask is None or mask.kind not in ("round", "gradient"):
        return
    p.save()
    p.translate(middle(mask, box))
    p.rotate(mask.rotation_deg)
    wide, high = mask.width * box.height(), mask.height * box.height()
    for pen in (QPen(QColor(38, 38, 38, 180), 3.0), QPen(QColor(theme.PICTURE_INK), 1.2)):
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
        if mask.kind == "round":
            p.drawEllipse(QRectF(-wide / 2, -high / 2, wide, high))
        else:
            far = 2.0 * box.width()
            p.drawLine(QPointF(-far, -high / 2), QPointF(far, -high / 2))
            p.drawLine(QPointF(-far, high / 2), QPointF(far, high / 2))
        p.drawEllipse(QPointF(0, 0), DOT, DOT)
    p.restore()
