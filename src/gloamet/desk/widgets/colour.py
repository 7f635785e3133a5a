# SPDX-License-Identifier: Apache-2.0
"""A colour field of the document: a swatch to click; colours are stored linear and shown in sRGB."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QColorDialog, QHBoxLayout, QPushButton, QWidget

from gloamet.colour.spaces import linear_to_srgb, srgb_to_linear
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import label
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section, description
from gloamet.document.model import Document

Linear = tuple[float, float, float]


def screen_colour(colour: Linear) -> QColor:
    """A linear Rec.709 colour on the screen."""
    r, g, b = (int(v) for v in np.round(255 * linear_to_srgb(np.clip(colour, 0.0, 1.0))))
    return QColor(r, g, b)


def fill_patch(button: QPushButton, colour: QColor, chosen: bool = False) -> None:
    """Paint a button as a patch of colour with a border of the present theme."""
    p = QPainter(button)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    wide = 2.0 if chosen else 1.0
    ring = theme.FOCUS if button.hasFocus() else theme.INK if chosen else theme.LINE
    p.setPen(QPen(QColor(ring), wide))
    p.setBrush(colour)
    inset = 0.5 * wide
    p.drawRoundedRect(QRectF(button.rect()).adjusted(inset, inset, -inset, -inset), 3, 3)
    p.end()


class Patch(QPushButton):
    """A button that is a colour."""

    def __init__(self) -> None:
        super().__init__()
        self.colour = QColor()

    def show_colour(self, colour: QColor) -> None:
        """Be another colour."""
        self.colour = colour
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        """The colour and a border."""
        fill_patch(self, self.colour)


class Swatch(QPushButton):
    """A patch of colour that can be chosen."""

    def __init__(self, colour: str) -> None:
        """`colour` is written "#rrggbb"."""
        super().__init__()
        self.setCheckable(True)
        self.setFixedHeight(18)
        self._colour = QColor(colour)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        """The colour, framed while it is the chosen one or has the focus."""
        fill_patch(self, self._colour, self.isChecked())


class ColourRow(QWidget):
    """Label and swatch; `read` gives the colour to show, `write` takes a chosen one."""

    def __init__(
        self, text: str, tip: str, read: Callable[[], Linear], write: Callable[[Linear], object]
    ) -> None:
        super().__init__()
        self._read, self._write = read, write
        self._shown: Linear | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(label(text), 1)
        self.swatch = Patch()
        self.swatch.setFixedSize(64, 22)
        self.swatch.setCursor(Qt.CursorShape.PointingHandCursor)
        self.swatch.setAccessibleName(text)
        self.swatch.clicked.connect(self._choose)
        row.addWidget(self.swatch)
        self.setToolTip(tip)
        self.follow()

    def follow(self) -> None:
        """Show the colour as it is now."""
        colour = self._read()
        if colour == self._shown:
            return
        self._shown = colour
        self.swatch.show_colour(screen_colour(colour))

    def commit(self, colour: QColor) -> None:
        """Ask for a colour chosen on the screen."""
        if colour.isValid():
            r, g, b = srgb_to_linear(np.array([colour.redF(), colour.greenF(), colour.blueF()])).tolist()
            self._write((r, g, b))

    def _choose(self) -> None:
        option = QColorDialog.ColorDialogOption.DontUseNativeDialog
        self.commit(QColorDialog.getColor(screen_colour(self._read()), self, "Colour", option))


class ColourField(ColourRow):
    """A colour of the document, with the field's own description."""

    def __init__(self, session: DocumentPort, section: Section, name: str, text: str) -> None:
        self._session, self._section, self._name = session, section, name
        super().__init__(text, description(section, name), self._held, self._ask)
        follow(self, session.document_changed, self._on_document_changed)

    def _held(self) -> Linear:
        r, g, b = getattr(reach(self._session.document, self._section), self._name)
        return r, g, b

    def _ask(self, colour: Linear) -> None:
        self._session.change(self._section, None, **{self._name: colour})

    def _on_document_changed(self, document: Document) -> None:
        self.follow()
