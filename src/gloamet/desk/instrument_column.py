# SPDX-License-Identifier: Apache-2.0
"""The column of instruments: sky disc, the sun in numbers, probes and where they are, light meter and warnings."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from gloamet.desk.actions import spot_actions
from gloamet.desk.dialogs import azimuth_label
from gloamet.desk.instruments.checks import Checks
from gloamet.desk.instruments.meter import LightMeter
from gloamet.desk.instruments.probes import Probes
from gloamet.desk.instruments.sky_disc import SkyDisc
from gloamet.desk.state.session import Session
from gloamet.desk.widgets.form import ToolButton, label
from gloamet.document.model import Document

PLACE_TIP = "Click a point in the picture: cards and balls are placed on that surface."
CENTRE_TIP = "Return cards and balls to the centre of the picture."
TEXTS_PX, WARNINGS_PX = 116, 40  # of labels and gaps, and of a line of warnings
MODE_WORDS = {"almanac": "", "manual": "manual", "driver": "driver"}


class InstrumentColumn(QWidget):
    """Instruments one under another."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.disc, self.meter = SkyDisc(session), LightMeter(session)
        self.probes, self.checks = Probes(session), Checks(session)
        self.setObjectName("left")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 4, 16, 8)
        box.setSpacing(0)
        box.addWidget(self.disc)
        self.elevation_value, self.azimuth_value = label("", "big"), label("", "big")
        self.elevation_note, self.azimuth_note = label("", "note"), label("", "note")
        for left, right in (
            (self.elevation_value, self.azimuth_value),
            (self.elevation_note, self.azimuth_note),
        ):
            row = QHBoxLayout()
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            row.addWidget(left)
            row.addWidget(right)
            box.addLayout(row)
        box.addSpacing(10)
        box.addWidget(self.probes)
        box.addLayout(self._probe_row())
        box.addSpacing(4)
        box.addWidget(self.meter)
        box.addSpacing(10)
        box.addWidget(self.checks, 1)
        session.document_changed.connect(self._on_document_changed)
        session.results.light_solved.connect(self._on_light_solved)
        session.state.tool_changed.connect(lambda _: self._show_cards())
        session.results.meter_read.connect(lambda _: self._show_cards())
        self.probes.shifted.connect(self._show_cards)
        self._on_document_changed(session.document)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        """In a low window the disc gives the room that the instruments below it need."""
        self._fit_disc()

    def _fit_disc(self) -> None:
        self.disc.fit(self.height() - self.probes.height() - self.meter.height() - WARNINGS_PX - TEXTS_PX)

    def _probe_row(self) -> QHBoxLayout:
        """Where the cards are, and the tools to place them somewhere else."""
        state, row = self.session.state, QHBoxLayout()
        self.card_note = label("", "note")
        self.place = ToolButton(
            "Place cards",
            PLACE_TIP,
            "crosshair",
            lambda: state.use_tool("" if state.tool == "card" else "card"),
        )
        self.place.setCheckable(True)
        centre = partial(spot_actions.return_cards, self.session)
        self.centre = ToolButton("Cards to the centre", CENTRE_TIP, "rotate-ccw", centre)
        row.setSpacing(0)
        row.addWidget(self.card_note)
        row.addStretch(1)
        row.addWidget(self.centre)
        row.addWidget(self.place)
        return row

    def _on_document_changed(self, _document: Document) -> None:
        self._show_sun()
        self._show_cards()

    def _on_light_solved(self, _light: object) -> None:
        """A preview begins or ends with its light; a panorama makes the meter higher."""
        self._fit_disc()
        if self.session.shown_document is not self._shown:
            self._show_sun()
            self.disc.update()

    def _show_cards(self) -> None:
        """Where the cards are, and by how much they are shown brighter than the picture."""
        placed, shift = self.session.document.fill.card_position is not None, self.probes.shift
        where = "Placed" if placed else "Near the centre"
        self.card_note.setText(f"{where}, shown {shift:+d} stops".replace("-", "−") if shift else where)
        for widget in (self.card_note, self.place):
            widget.setVisible(self.session.results.read is not None)  # else there are none yet
        self.centre.setVisible(placed)
        self.place.setChecked(self.session.state.tool == "card")

    def _show_sun(self) -> None:
        self._shown = self.session.shown_document
        azimuth, elevation = self.disc.sun()
        self.elevation_value.setText(f"{elevation:.1f}°".replace("-", "−"))
        self.azimuth_value.setText(f"{azimuth:.1f}°")
        below = "Below the horizon" if elevation < -0.3 else "Elevation"
        previewing = self.session.shown_document is not self.session.document
        how = "preview" if previewing else MODE_WORDS[self.session.document.sun.mode]
        self.elevation_note.setText(f"{below}, {how}" if how else below)
        self.azimuth_note.setText(azimuth_label(azimuth))
