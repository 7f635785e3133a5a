# SPDX-License-Identifier: Apache-2.0
"""Overlays of the picture: the sun's position, the selected part, the rectangle, guides."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from gloamet.desk.actions.stage_actions import part_named
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.widgets import theme
from gloamet.develop.inspect import ZONES
from gloamet.document.expose import ExposeState
from gloamet.document.fill import SpotState
from gloamet.document.model import Document
from gloamet.meter.metering import SPOT_RADIUS
from gloamet.sun.position import direction

SAFE_SHARES = (0.9, 0.8)
ZONE_PX = 30.0  # height of the key of false colour
EDGES = ((0, 1), (2, 3), (4, 5), (6, 7), (0, 2), (1, 3), (4, 6), (5, 7), (0, 4), (1, 5), (2, 6), (3, 7))
Rect = tuple[float, float, float, float]


def draw_sun(p: QPainter, box: QRectF, session: Session) -> None:
    """A thin ring at the sun's position in the frame."""
    light = session.results.light
    if light is None or light.sun_elevation_deg < -1.0:
        return
    towards = np.asarray(direction(light.sun_azimuth_deg, light.sun_elevation_deg))
    at = camera_from_document(session.document).project(towards, box.width() / box.height())
    if at is None or not (0.0 <= at[0] <= 1.0 and 0.0 <= at[1] <= 1.0):
        return
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(theme.PICTURE_SUN), 1.5))
    p.drawEllipse(QPointF(box.x() + at[0] * box.width(), box.y() + at[1] * box.height()), 11, 11)


def draw_panorama_sun(p: QPainter, box: QRectF, session: Session) -> None:
    """Four short strokes at the position of a panorama's sun in the frame."""
    light = session.results.light
    solved = light.panorama if light is not None else None
    if solved is None or solved.sun_deg is None:
        return
    towards = np.asarray(direction(*solved.sun_deg))
    at = camera_from_document(session.document).project(towards, box.width() / box.height())
    if at is None or not (0.0 <= at[0] <= 1.0 and 0.0 <= at[1] <= 1.0):
        return
    position = QPointF(box.x() + at[0] * box.width(), box.y() + at[1] * box.height())
    p.setPen(QPen(QColor(theme.PICTURE_PANORAMA), 1.5))
    for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        p.drawLine(position + QPointF(7 * dx, 7 * dy), position + QPointF(15 * dx, 15 * dy))


def draw_spots(p: QPainter, box: QRectF, spots: Sequence[SpotState]) -> None:
    """A dot and its name for every spot."""
    p.setFont(theme.font(theme.NOTE))
    for spot in spots:
        at = QPointF(box.x() + spot.x * box.width(), box.y() + spot.y * box.height())
        p.setPen(QPen(QColor(38, 38, 38, 200), 3.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at, 4.0, 4.0)
        p.setPen(QPen(QColor(theme.PICTURE_INK), 1.2))
        p.drawEllipse(at, 4.0, 4.0)
        wide = p.fontMetrics().horizontalAdvance(spot.name)
        p.fillRect(QRectF(at.x() + 7, at.y() - 9, wide + 8, 18), QColor(38, 38, 38, 170))
        p.drawText(QPointF(at.x() + 11, at.y() + 4), spot.name)


def draw_cards(p: QPainter, box: QRectF, document: Document) -> None:
    """A small card where the cards of the meter are placed."""
    position = document.fill.card_position
    if position is None:
        return
    shown = camera_from_document(document).project_point(np.array(position), box.width() / box.height())
    at = on_screen(box, shown)
    if at is None or not box.contains(at):
        return
    card = QRectF(at.x() - 6, at.y() - 4.5, 12, 9)
    p.setPen(QPen(QColor(38, 38, 38, 200), 3.0))
    p.setBrush(QColor(theme.PICTURE_QUIET))
    p.drawRect(card)
    p.setPen(QPen(QColor(theme.PICTURE_INK), 1.2))
    p.drawRect(card)
    p.setFont(theme.font(theme.NOTE))
    wide = p.fontMetrics().horizontalAdvance("cards")
    p.fillRect(QRectF(at.x() + 10, at.y() - 9, wide + 8, 18), QColor(38, 38, 38, 170))
    p.drawText(QPointF(at.x() + 14, at.y() + 4), "cards")


def on_screen(box: QRectF, spot: tuple[float, float] | None) -> QPointF | None:
    """A place of the picture in shares on the screen."""
    return (
        None if spot is None else QPointF(box.x() + spot[0] * box.width(), box.y() + spot[1] * box.height())
    )


def draw_selection(p: QPainter, box: QRectF, session: Session) -> None:
    """The edges of the box round the selected part, and its name."""
    part = part_named(session, session.state.selection) if session.state.selection else None
    if part is None:
        return
    low, high = part.shape.bounds
    corners = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], float)
    corners = (low + corners * (high - low)) @ part.matrix[:3, :3].T + part.matrix[:3, 3]
    camera, aspect = camera_from_document(session.document), box.width() / box.height()
    spots = [camera.project_point(corner, aspect) for corner in corners]
    p.setPen(QPen(QColor(theme.PICTURE_INK), 1.0, Qt.PenStyle.DotLine))
    points = [on_screen(box, spot) for spot in spots]
    for a, b in EDGES:
        start, end = points[a], points[b]
        if start is not None and end is not None:
            p.drawLine(start, end)
    seen = [q for q in points if q is not None and box.contains(q)]
    if seen:
        top = min(seen, key=lambda q: q.y())
        p.setFont(theme.font(theme.NOTE))
        at = QPointF(top.x() + 6, max(box.top() + 14, top.y() - 6))
        wide = p.fontMetrics().horizontalAdvance(part.name)
        p.fillRect(QRectF(at.x() - 4, at.y() - 13, wide + 8, 18), QColor(38, 38, 38, 170))
        p.drawText(at, part.name)


def rect_on(box: QRectF, rectangle: Rect) -> QRectF:
    """A rectangle of picture shares on the screen."""
    x0, y0, x1, y1 = rectangle
    return QRectF(
        box.x() + x0 * box.width(),
        box.y() + y0 * box.height(),
        (x1 - x0) * box.width(),
        (y1 - y0) * box.height(),
    )


def draw_rectangle(p: QPainter, box: QRectF, rectangle: Rect | None) -> None:
    """The rectangle that is refined, the rest a little darker, with handles at its corners."""
    if rectangle is None:
        return
    r = rect_on(box, rectangle)
    shade = QColor(0, 0, 0, 70)
    p.fillRect(QRectF(box.left(), box.top(), box.width(), r.top() - box.top()), shade)
    p.fillRect(QRectF(box.left(), r.bottom(), box.width(), box.bottom() - r.bottom()), shade)
    p.fillRect(QRectF(box.left(), r.top(), r.left() - box.left(), r.height()), shade)
    p.fillRect(QRectF(r.right(), r.top(), box.right() - r.right(), r.height()), shade)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(theme.PICTURE_INK), 1.0))
    p.drawRect(r)
    p.setBrush(QColor(theme.PICTURE_INK))
    for corner in (r.topLeft(), r.topRight(), r.bottomLeft(), r.bottomRight()):
        p.drawRect(QRectF(corner.x() - 3, corner.y() - 3, 6, 6))


def draw_safe_lines(p: QPainter, box: QRectF) -> None:
    """Frames of nine tenths and eight tenths, and the thirds."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(228, 228, 228, 110), 1.0))
    for fraction in SAFE_SHARES:
        dx, dy = 0.5 * (1 - fraction) * box.width(), 0.5 * (1 - fraction) * box.height()
        p.drawRect(box.adjusted(dx, dy, -dx, -dy))
    p.setPen(QPen(QColor(228, 228, 228, 60), 1.0))
    for k in (1, 2):
        x, y = box.x() + k * box.width() / 3, box.y() + k * box.height() / 3
        p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))


def draw_exposure_spot(p: QPainter, box: QRectF, expose: ExposeState) -> None:
    """A ring round what the spot meter reads."""
    if expose.metering != "spot":
        return
    at = QPointF(box.x() + expose.spot_x * box.width(), box.y() + expose.spot_y * box.height())
    radius = max(4.0, SPOT_RADIUS * box.height())
    for pen in (QPen(QColor(38, 38, 38, 200), 3.0), QPen(QColor(theme.PICTURE_INK), 1.2)):
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at, radius, radius)
    p.drawText(at + QPointF(radius + 5, 4), "exposure")


def draw_zones(p: QPainter, box: QRectF) -> None:
    """The key of false colour: each zone with its label, along the bottom of the picture."""
    p.setFont(theme.font(theme.SMALL))
    wide = box.width() / len(ZONES)
    y = box.bottom() - ZONE_PX
    for index, zone in enumerate(ZONES):
        cell = QRectF(box.x() + index * wide, y, wide + 0.5, ZONE_PX)
        colour = QColor(*zone.colour)
        p.fillRect(cell, colour)
        p.setPen(QColor("black" if colour.lightnessF() > 0.45 else theme.PICTURE_INK))
        text = "18 %" if zone.label == "grey card" else zone.label
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        p.drawText(cell.adjusted(1, 0, -1, 0), flags, text)
