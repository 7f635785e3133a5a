# SPDX-License-Identifier: Apache-2.0
"""Overlays of the Sun step in picture and plan: the day's path with hours, the sun's position, pins.

Painters, boxes and the session enter; nothing is kept.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import UTC, datetime
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPainterPath, QPen, QPixmap, QRegion

from gloamet.desk.picture.overlay import on_screen
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.widgets import theme
from gloamet.sun.day import day_path, day_span_s
from gloamet.sun.position import direction, sun_position
from gloamet.sun.site import resolve_zone

if TYPE_CHECKING:
    from gloamet.desk.aim.aim_controller import AimController
    from gloamet.document.model import Document, SiteState

Array = NDArray[np.float64]
Screen = Callable[[Array], QPointF | None]
STEPS = 97
LOWEST_DEG = -1.0
ARROW_INSET = 22.0
FARTHEST = 20.0  # picture widths: a line from there has no place on the screen
PREVIEW_TEXT = "Preview of another sun: Esc ends it, “Move the sun here” keeps it"


@lru_cache(maxsize=4)
def _path(site: SiteState, day: object, north_deg: float) -> tuple[Array, tuple[tuple[str, Array], ...]]:
    """Directions of a day's sun in the scene, NaN below the horizon, and those of its whole hours."""
    zone = resolve_zone(site.timezone)
    _, path = day_path(day, site.latitude_deg, site.longitude_deg, zone, STEPS)  # type: ignore[arg-type]
    towards = direction(path.azimuth_deg + north_deg, path.elevation_deg)
    towards[path.elevation_deg < LOWEST_DEG] = np.nan
    start, end = day_span_s(day, zone)  # type: ignore[arg-type]
    seconds = np.arange(start, end, 3600.0)
    sun = sun_position(seconds, site.latitude_deg, site.longitude_deg)
    marks = []
    for second, azimuth, height in zip(seconds, sun.azimuth_deg, sun.elevation_deg, strict=True):
        if height >= LOWEST_DEG:
            clock = datetime.fromtimestamp(float(second), UTC).astimezone(zone)
            marks.append((f"{clock.hour}", direction(float(azimuth) + north_deg, float(height))))
    return towards, tuple(marks)


class PathLayer:
    """The day's path as a layer that is painted again only when day, place, north or camera are others."""

    def __init__(self) -> None:
        self._drawn: tuple[object, QPixmap, QPointF] | None = None

    def draw(self, p: QPainter, box: QRectF, document: Document) -> None:
        """Lay it over the picture."""
        sun, ratio = document.sun, p.device().devicePixelRatio()
        key = (document.site, sun.wall_time.date(), sun.north_deg, document.stage.view, box.getRect(), ratio)
        if self._drawn is None or self._drawn[0] != key:
            layer = QPixmap((box.size() * ratio).toSize())
            layer.setDevicePixelRatio(ratio)
            layer.fill(Qt.GlobalColor.transparent)
            own = QPainter(layer)
            own.setRenderHint(QPainter.RenderHint.Antialiasing)
            draw_path(own, QRectF(0.0, 0.0, box.width(), box.height()), document)
            own.end()
            used = QRegion(layer.mask()).boundingRect()  # most of it is empty, and painting it takes its time
            self._drawn = (key, layer.copy(used), QPointF(used.x() / ratio, used.y() / ratio))
        p.drawPixmap(box.topLeft() + self._drawn[2], self._drawn[1])


def draw_path(p: QPainter, box: QRectF, document: Document) -> None:
    """The sun's way through the frame today, a mark and a number for every hour."""
    camera, aspect = camera_from_document(document), box.width() / box.height()
    towards, marks = _path(document.site, document.sun.wall_time.date(), document.sun.north_deg)
    line, open_ = QPainterPath(), False
    for x, y in camera.project_all(towards, aspect).tolist():
        if not (
            abs(x) < FARTHEST and abs(y) < FARTHEST
        ):  # behind the camera, or below the horizon: not a number
            open_ = False
            continue
        at = QPointF(box.x() + x * box.width(), box.y() + y * box.height())
        if open_:
            line.lineTo(at)
        else:
            line.moveTo(at)
        open_ = True
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(20, 20, 20, 90), 3.0))
    p.drawPath(line)
    p.setPen(QPen(QColor(theme.PICTURE_SUN), 1.3))
    p.drawPath(line)
    p.setFont(theme.font(theme.SMALL, True))
    positions = camera.project_all(np.array([vector for _, vector in marks]).reshape(-1, 3), aspect)
    for (hour, _), (x, y) in zip(marks, positions.tolist(), strict=True):
        at = QPointF(box.x() + x * box.width(), box.y() + y * box.height())
        if math.isnan(x) or not box.contains(at):
            continue
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.PICTURE_SUN))
        p.drawEllipse(at, 3.0, 3.0)
        _draw_label(p, QPointF(at.x() - 4, at.y() - 8), hour)


@lru_cache(maxsize=128)
def _words(text: str, font: str, ratio: float) -> tuple[QImage, QPointF]:
    """Text with a dark seam, and where its line begins in it; outlines take too long to be drawn at every picture."""
    face = QFont()
    face.fromString(font)
    path = QPainterPath()
    path.addText(QPointF(), face, text)
    box = path.boundingRect().adjusted(-2.0, -2.0, 2.0, 2.0)
    left, top = math.floor(box.left()), math.floor(box.top())
    size = QSize(math.ceil(ratio * (box.right() - left)), math.ceil(ratio * (box.bottom() - top)))
    image = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    p = QPainter(image)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(-left, -top)
    p.strokePath(path, QPen(QColor(20, 20, 20, 170), 2.6))
    p.fillPath(path, QColor(theme.PICTURE_INK))
    p.end()
    return image, QPointF(left, top)


def _draw_label(p: QPainter, at: QPointF, text: str) -> None:
    """Text with an outline, readable on any picture."""
    image, corner = _words(text, p.font().toString(), p.device().devicePixelRatioF())
    p.drawImage(QPointF(round(at.x()), round(at.y())) + corner, image)


def draw_arrow(p: QPainter, box: QRectF, document: Document, towards: Array) -> None:
    """An arrow at the edge of the frame towards a sun outside it, and the angle to it."""
    camera, aspect = camera_from_document(document), box.width() / box.height()
    spot = camera.project(towards, aspect)
    if spot is not None and 0.0 <= spot[0] <= 1.0 and 0.0 <= spot[1] <= 1.0:
        return
    ahead, right, up = camera.frame()
    x, y, z = float(towards @ right), -float(towards @ up), float(towards @ ahead)
    length = math.hypot(x, y)
    if length < 1e-6:
        x, y, length = 0.0, -1.0, 1.0
    x, y = x / length, y / length
    half = (box.width() / 2 - ARROW_INSET, box.height() / 2 - ARROW_INSET)
    reach = min(half[0] / max(abs(x), 1e-6), half[1] / max(abs(y), 1e-6))
    tip = box.center() + QPointF(x, y) * reach
    back = tip - QPointF(x, y) * 13.0
    side = QPointF(-y, x) * 6.0
    head = QPainterPath(tip)
    head.lineTo(back + side)
    head.lineTo(back - side)
    head.closeSubpath()
    p.setPen(QPen(QColor(20, 20, 20, 150), 1.0))
    p.setBrush(QColor(theme.PICTURE_SUN))
    p.drawPath(head)
    off = math.degrees(math.acos(max(-1.0, min(1.0, z))))
    p.setFont(theme.font(theme.SMALL, True))
    text = "behind camera" if off > 90.0 else f"{off:.0f}°"
    at = back - QPointF(x, y) * 18.0
    wide = p.fontMetrics().horizontalAdvance(text)
    _draw_label(
        p, QPointF(min(max(at.x() - wide / 2, box.left() + 6), box.right() - wide - 6), at.y() + 4), text
    )


def _pin_line(p: QPainter, a: QPointF | None, b: QPointF | None, on: bool) -> None:
    """From the caster (a square) to the receiver (a ring)."""
    colour = QColor(theme.PICTURE_SUN if on else theme.PICTURE_DIM)
    if a is not None and b is not None:
        p.setPen(QPen(QColor(20, 20, 20, 150), 3.2))
        p.drawLine(a, b)
        p.setPen(QPen(colour, 1.4, Qt.PenStyle.DashLine))
        p.drawLine(a, b)
    p.setPen(QPen(QColor(20, 20, 20, 190), 1.2))
    if a is not None:
        p.setBrush(colour)
        p.drawRect(QRectF(a.x() - 4.5, a.y() - 4.5, 9, 9))
    if b is not None:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(20, 20, 20, 190), 4.0))
        p.drawEllipse(b, 5.5, 5.5)
        p.setPen(QPen(colour, 2.0))
        p.drawEllipse(b, 5.5, 5.5)


def draw_shadow_pins(
    p: QPainter, session: Session, screen: Screen, draft: tuple[Array, Array] | None
) -> None:
    """Every shadow pin, and the one being dragged."""
    for pin in session.document.aim.pins:
        if pin.kind == "shadow":
            _pin_line(p, screen(np.array(pin.caster)), screen(np.array(pin.receiver)), pin.on)
    if draft is not None:
        _pin_line(p, screen(draft[0]), screen(draft[1]), True)


def draw_spot_pins(p: QPainter, box: QRectF, session: Session) -> None:
    """Frame pins as a sun to be, glint pins as a spark."""
    for pin in session.document.aim.pins:
        if pin.kind == "shadow":
            continue
        at = on_screen(box, pin.frame_position)
        assert at is not None
        rays = 8 if pin.kind == "frame" else 4
        for width, colour in (
            (3.6, QColor(20, 20, 20, 170)),
            (1.6, QColor(theme.PICTURE_SUN if pin.on else theme.PICTURE_DIM)),
        ):
            p.setPen(QPen(colour, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            p.setBrush(Qt.BrushStyle.NoBrush)
            for k in range(rays):
                a = 2.0 * math.pi * k / rays
                ray = QPointF(math.cos(a), math.sin(a))
                p.drawLine(at + ray * (9.0 if pin.kind == "frame" else 3.0), at + ray * 14.0)
            if pin.kind == "frame":
                p.drawEllipse(at, 6.0, 6.0)


def draw_tag(p: QPainter, box: QRectF, text: str) -> None:
    """A line in the upper left corner of the picture that says what is shown."""
    p.setFont(theme.font(theme.NOTE))
    wide = p.fontMetrics().horizontalAdvance(text)
    tag = QRectF(box.x() + 10, box.y() + 10, wide + 16, 22)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(20, 20, 20, 190))
    p.drawRoundedRect(tag, 4, 4)
    p.setPen(QColor(theme.PICTURE_INK))
    p.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)


def draw_aim(
    p: QPainter,
    box: QRectF,
    session: Session,
    aimer: AimController,
    path: PathLayer,
    draft: tuple[Array, Array] | None,
) -> None:
    """Everything of the Sun step over the picture."""
    camera, aspect = camera_from_document(session.document), box.width() / box.height()
    if aimer.outlines.image is not None and aimer.preview is not None:
        p.drawImage(box, aimer.outlines.image)
    path.draw(p, box, session.document)
    light = session.results.light
    towards = aimer.preview
    if towards is None and light is not None and light.sun_elevation_deg > LOWEST_DEG:
        towards = np.asarray(direction(light.sun_azimuth_deg, light.sun_elevation_deg))
    if towards is not None:
        draw_arrow(p, box, session.document, towards)
        at = on_screen(box, camera.project(towards, aspect))
        if aimer.preview is not None and at is not None and box.contains(at):
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(QColor(theme.PICTURE_SUN), 2.0, Qt.PenStyle.DotLine))
            p.drawEllipse(at, 12.0, 12.0)
    draw_shadow_pins(p, session, lambda point: on_screen(box, camera.project_point(point, aspect)), draft)
    draw_spot_pins(p, box, session)
    if session.render.previewing:
        draw_tag(p, box, PREVIEW_TEXT)
