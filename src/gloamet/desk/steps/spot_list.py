# SPDX-License-Identifier: Apache-2.0
"""The spots of a picture with their readings, their names, and the contrast between two."""

from __future__ import annotations

import math
from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from gloamet.colour.spaces import luminance
from gloamet.desk.actions import spot_actions
from gloamet.desk.actions.spot_actions import MOST
from gloamet.desk.instruments.card_labels import card_labels, stops_text
from gloamet.desk.instruments.meter import kelvin_text, lux_text
from gloamet.desk.state.session import Session
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, action_button, label
from gloamet.document.fill import SpotState
from gloamet.document.model import Document
from gloamet.meter.spot import reading_of, stops_apart
from gloamet.preview.events import Frame


def luminance_text(cd_m2: float) -> str:
    """A luminance as a spot meter shows it.

    >>> luminance_text(10233.4), luminance_text(3.456)
    ('10233 cd/m²', '3.46 cd/m²')
    """
    return f"{cd_m2:.0f} cd/m²" if cd_m2 >= 100.0 else f"{cd_m2:.3g} cd/m²"


class SpotRow(QWidget):
    """A spot's name to type, its reading, and a link to remove it."""

    def __init__(self, session: Session, index: int) -> None:
        super().__init__()
        self.session, self.index = session, index
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(0)
        head = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setFixedWidth(120)
        self.name.setToolTip("Name of the spot.")
        self.name.setAccessibleName("Spot name")
        self.name.editingFinished.connect(self._rename)
        remove = partial(spot_actions.remove_spot, session, index)
        head.addWidget(self.name)
        head.addStretch(1)
        head.addWidget(action_button("Remove", "Remove this spot.", remove))
        self.text, self.more, self.card = label(""), label("", "note"), label("", "note", wrap=True)
        self.card.setToolTip("Illuminance on a card lying on the surface: total, colour, key to fill.")
        column.addLayout(head)
        for words in (self.text, self.more, self.card):
            column.addWidget(words)

    def _rename(self) -> None:
        spots = self.session.document.fill.spots
        if self.index < len(spots) and self.name.text().strip() != spots[self.index].name:
            self.session.change(("fill", "spots", self.index), None, name=self.name.text().strip())

    def follow(self, spot: SpotState, frame: Frame, light: tuple[float, float, float]) -> None:
        """Show the present reading."""
        if not self.name.hasFocus():
            self.name.setText(spot.name)
        reading = reading_of(light, frame.ev)
        stops = f"{stops_text(reading.stops)} from grey" if math.isfinite(reading.stops) else "dark"
        self.text.setText(f"{luminance_text(reading.cd_m2)}   {stops}")
        height, width = frame.pixels.shape[:2]
        y, x = min(int(spot.y * height), height - 1), min(int(spot.x * width), width - 1)
        r, g, b = (int(v) for v in frame.pixels[y, x, :3])
        kelvin = kelvin_text(reading.cct_k) if math.isfinite(reading.cct_k) else "–"
        edge = spot_actions.penumbra_label(self.session, spot)
        self.more.setText(f"{kelvin}   screen {r} {g} {b}{edge}")
        self.card.setText(self._card_labels())

    def _card_labels(self) -> str:
        """What falls on the surface there, empty before it was measured and where it is the sky."""
        read = self.session.results.read
        if read is None or read.spots is None or self.index >= len(read.spots.whole):
            return ""
        cards = read.spots.under(self.session.gains())
        lux = float(luminance(cards.whole[self.index].astype(float).sum(0)))
        return f"Card {lux_text(lux)}   {card_labels(cards, self.index)}" if lux > 0.0 else ""


class SpotList(QWidget):
    """All spots."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        tip = "Click in the picture to add a spot that is read with every change."
        self.tools = ActionRow((("Add spot", tip, lambda: session.state.use_tool("spot")),))
        self.empty_note = label("No spots yet.", "note", wrap=True)
        self.rows = [SpotRow(session, k) for k in range(MOST)]
        self.contrast = label("", "note")
        for widget in (self.tools, self.empty_note, *self.rows, self.contrast):
            column.addWidget(widget)
        follow(self, session.results.frame_ready, self._on_frame_ready)
        follow(self, session.results.meter_read, lambda _: self._on_document_changed(session.document))
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        spots = document.fill.spots
        for k, row in enumerate(self.rows):
            row.setVisible(k < len(spots))
        self.empty_note.setVisible(not spots)
        self.contrast.setVisible(len(spots) > 1)
        if self.session.results.frame is not None:
            self._on_frame_ready(self.session.results.frame)

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._on_document_changed(self.session.document)

    def _on_frame_ready(self, frame: Frame) -> None:
        spots = self.session.document.fill.spots
        if not self.isVisible():
            return  # read when it is looked at
        for row, spot, light in zip(self.rows, spots, frame.spots, strict=False):
            row.follow(spot, frame, light)
        if len(spots) > 1 and len(frame.spots) > 1:
            a, b = (reading_of(light, frame.ev).cd_m2 for light in frame.spots[:2])
            apart = stops_apart(a, b)
            empty_note = stops_text(apart) if math.isfinite(apart) else "–"
            self.contrast.setText(f"{spots[0].name} over {spots[1].name}: {empty_note}")
