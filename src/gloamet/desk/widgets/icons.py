# SPDX-License-Identifier: Apache-2.0
"""Icons of the interface: shipped outline drawings (SVG), tinted by the theme and crisp at any scale.

A name of a file in data/icons enters; a `QIcon` leaves. The drawing is rendered for every size and device pixel ratio.
"""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QByteArray, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QIcon, QIconEngine, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.palettes import DARK
from gloamet.shipped_data import DATA

ICON_PX = 14
# what an action does, by the first words of its text: one icon for one meaning
ACTION_ICONS = {
    "Add": "plus",
    "Balance": "pipette",
    "Choose": "folder-open",
    "Clear ends": "x",
    "Clear paint": "x",
    "Compare": "arrow-left-right",
    "Drag": "hand",
    "Frame": "scan",
    "Go": "arrow-right",
    "Hold to compare": "eye",
    "Keep": "bookmark",
    "Lock": "lock",
    "Mute": "eye-off",
    "Measure": "ruler",
    "More": "chevron-down",
    "Move": "move",
    "Now": "clock",
    "Open …": "folder-open",
    "Open model …": "folder-open",
    "Pick": "crosshair",
    "Place": "crosshair",
    "Read again": "refresh-cw",
    "Redo": "redo-2",
    "Refine": "sparkles",
    "Remove": "trash-2",
    "Play": "play",
    "Restore": "undo-2",
    "Star": "star",
    "Blind": "eye-off",
    "Reload": "refresh-cw",
    "Reset": "rotate-ccw",
    "Resume": "play",
    "Rotate": "rotate-cw",
    "Save": "download",
    "Show": "eye",
    "Stop": "square",
    "Undo": "undo-2",
    "Unlock": "lock-open",
    "Use": "check",
}


@lru_cache(maxsize=256)
def _renderer(name: str, colour: str) -> QSvgRenderer:
    svg = (DATA / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    return QSvgRenderer(QByteArray(svg.replace("currentColor", colour).encode()))


@lru_cache(maxsize=512)
def _pixmap(name: str, colour: str, width: int, height: int) -> QPixmap:
    """A drawing on a transparent ground, made once: Qt asks for it whenever a button is painted."""
    pixmap = QPixmap(width, height)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    _renderer(name, colour).render(painter, QRectF(0.0, 0.0, width, height))
    painter.end()
    return pixmap


class _Drawing(QIconEngine):
    """Paints an outline in the colour of the mode and state."""

    def __init__(self, name: str, on: str, off: str) -> None:
        super().__init__()
        self.name, self.on, self.off = name, on, off

    def _colour(self, mode: QIcon.Mode, state: QIcon.State) -> str:
        colour = self.on if state == QIcon.State.On or mode == QIcon.Mode.Active else self.off
        return theme.shown(theme.OFF if mode == QIcon.Mode.Disabled else colour)

    def paint(self, painter: QPainter, rect: QRect, mode: QIcon.Mode, state: QIcon.State) -> None:
        """Draw into a rectangle."""
        _renderer(self.name, self._colour(mode, state)).render(painter, QRectF(rect))

    def pixmap(self, size: QSize, mode: QIcon.Mode, state: QIcon.State) -> QPixmap:
        """The drawing on a transparent ground."""
        return _pixmap(self.name, self._colour(mode, state), size.width(), size.height())

    def clone(self) -> QIconEngine:
        """A copy, as Qt asks for."""
        return _Drawing(self.name, self.on, self.off)


def icon(name: str, on: str = DARK.ink, off: str = DARK.ink) -> QIcon:
    """The icon of a name; `on` is its colour while checked or under the pointer, `off` otherwise."""
    return QIcon(_Drawing(name, on, off))


def icon_of_action(text: str) -> str:
    """Name of the icon for the text of an action, "" where it has none."""
    for words, name in ACTION_ICONS.items():
        if text == words or text.startswith(words + " "):
            return name
    return ""
