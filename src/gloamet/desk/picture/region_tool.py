# SPDX-License-Identifier: Apache-2.0
"""Mouse tool for the render rectangle: draw, move, resize, remove."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF

from gloamet.desk.picture.overlay import Rect, rect_on
from gloamet.desk.state.session import Session

REACH_PX = 8.0
SMALLEST_PX = 6.0


class RegionTool:
    """One press, move and release on the picture; shares are those of the picture."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._anchor: QPointF | None = None
        self._start: Rect | None = None
        self._part = ""

    def press(self, box: QRectF, at: QPointF) -> bool:
        """Whether the press belongs to the rectangle."""
        self._anchor, self._start = at, self.session.document.stage.rectangle
        self._part = self._grabbed(box, at)
        if self._part:
            return True
        if self.session.state.tool == "rectangle" and box.contains(at):
            self._part = "new"
            return True
        self._anchor = None
        return False

    def _grabbed(self, box: QRectF, at: QPointF) -> str:
        if self._start is None:
            return ""
        r = rect_on(box, self._start)
        corners = {"tl": r.topLeft(), "tr": r.topRight(), "bl": r.bottomLeft(), "br": r.bottomRight()}
        for name, corner in corners.items():
            if max(abs(corner.x() - at.x()), abs(corner.y() - at.y())) <= REACH_PX:
                return name
        near = abs(at.x() - r.left()) <= REACH_PX or abs(at.x() - r.right()) <= REACH_PX
        near |= abs(at.y() - r.top()) <= REACH_PX or abs(at.y() - r.bottom()) <= REACH_PX
        return "move" if near and r.adjusted(-REACH_PX, -REACH_PX, REACH_PX, REACH_PX).contains(at) else ""

    def move(self, box: QRectF, at: QPointF) -> bool:
        """Follow the pointer; False when nothing is dragged."""
        if self._anchor is None:
            return False
        u, v = (at.x() - box.x()) / box.width(), (at.y() - box.y()) / box.height()
        a, b = (self._anchor.x() - box.x()) / box.width(), (self._anchor.y() - box.y()) / box.height()
        if self._part == "new" or self._start is None:
            if abs(at.x() - self._anchor.x()) < SMALLEST_PX or abs(at.y() - self._anchor.y()) < SMALLEST_PX:
                return True
            self._set((min(a, u), min(b, v), max(a, u), max(b, v)))
            return True
        x0, y0, x1, y1 = self._start
        if self._part == "move":
            du = min(max(u - a, -x0), 1.0 - x1)
            dv = min(max(v - b, -y0), 1.0 - y1)
            self._set((x0 + du, y0 + dv, x1 + du, y1 + dv))
            return True
        x0, x1 = (u, x1) if "l" in self._part else (x0, u)
        y0, y1 = (v, y1) if "t" in self._part else (y0, v)
        self._set((min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
        return True

    def _set(self, rectangle: Rect) -> None:
        x0, y0, x1, y1 = (min(max(value, 0.0), 1.0) for value in rectangle)
        if x1 - x0 > 0.005 and y1 - y0 > 0.005:
            self.session.change("stage", "rectangle", rectangle=(x0, y0, x1, y1))

    def release(self) -> bool:
        """End; whether anything was held."""
        held, self._anchor = self._anchor is not None, None
        if held:
            self.session.end_undo_group()
            if self.session.state.tool == "rectangle":
                self.session.state.use_tool("")
        return held

    def leave(self) -> None:
        """No rectangle any more: the whole picture is refined again."""
        if self.session.document.stage.rectangle is not None:
            self.session.change("stage", rectangle=None)
        self.session.state.use_tool("")
