# SPDX-License-Identifier: Apache-2.0
"""Meter: cards in the scene, source by source, and spots of the picture."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from gloamet.colour.spaces import luminance
from gloamet.desk.instruments.card_labels import card_labels, unbalanced_label
from gloamet.desk.instruments.meter import lux_text
from gloamet.desk.picture.wipe import natural
from gloamet.desk.state.session import Session
from gloamet.desk.steps.spot_list import SpotList
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import label
from gloamet.light_layers import LIGHT_LAYERS, LIGHTS, even_gains
from gloamet.meter.card_light import CARDS, CardLight

HEAD, ROW, FOOT = 22, 17, 42
HUES: dict[str, str] = {light.name: light.hue for light in LIGHTS}
UNBALANCED = even_gains(panorama=0.0)  # the sun, the sky and lamps as they are
TITLES: dict[str, str] = {light.name: light.title.split()[0] for light in LIGHTS}


class CardReading(QWidget):
    """Light on one card as bars, direct and (pale) indirect; its colour, ratio, and physical values."""

    def __init__(self, title: str, index: int) -> None:
        super().__init__()
        self.title, self.index = title, index
        self.cards: CardLight | None = None
        self.unbalanced: CardLight | None = None
        self.natural = True
        self.setFixedHeight(HEAD + FOOT)
        self.setAccessibleName(f"Card {title}")
        self.setToolTip(
            "Illuminance on a card: direct from each source and (pale) "
            "indirect; colour temperature, Duv and key to fill. Below: the physical values without gains."
        )

    def follow(self, cards: CardLight, unbalanced: CardLight, natural: bool) -> None:
        """Show new readings, the reading without balance, and whether the sky is physical."""
        self.cards, self.unbalanced, self.natural = cards, unbalanced, natural
        self.setFixedHeight(HEAD + ROW * len(self.levels()) + FOOT)
        self.update()

    def levels(self) -> list[tuple[str, float, float]]:
        """Name, lux in all and lux that bounced, of sources that give any."""
        if self.cards is None:
            return []
        rows: list[tuple[str, float, float]] = []
        for n, name in enumerate(LIGHT_LAYERS):
            whole, indirect = (float(luminance(a[self.index, n].astype(float))) for a in self.cards)
            if whole > 0.005:
                rows.append((name, whole, indirect))
        return rows

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        levels = self.levels()
        p.setFont(theme.font(bold=True))
        p.setPen(QColor(theme.INK))
        top = QRectF(0, 0, self.width(), 20)
        p.drawText(top, left, self.title.capitalize())
        p.drawText(top, right, lux_text(sum(row[1] for row in levels)))
        most = max((row[1] for row in levels), default=1.0)
        y = float(HEAD)
        p.setFont(theme.font(theme.NOTE))
        for name, whole, indirect in levels:
            p.setPen(QColor(theme.DIM))
            p.drawText(QRectF(0, y, 64, 16), left, TITLES[name])
            p.drawText(QRectF(0, y, self.width(), 16), right, lux_text(whole))
            room, fraction = self.width() - 140, whole / most
            hue = QColor(theme.shown(HUES[name]))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(hue)
            p.drawRect(QRectF(66, y + 6, room * fraction, 5))
            hue.setAlphaF(0.45)
            p.setBrush(QColor(theme.GROUND))
            p.drawRect(
                QRectF(
                    66 + room * fraction * (1 - indirect / whole),
                    y + 6,
                    room * fraction * indirect / whole,
                    5,
                )
            )
            p.setBrush(hue)
            p.drawRect(
                QRectF(
                    66 + room * fraction * (1 - indirect / whole),
                    y + 6,
                    room * fraction * indirect / whole,
                    5,
                )
            )
            y += ROW
        if self.cards is not None and self.unbalanced is not None:
            p.setPen(QColor(theme.DIM))
            p.drawText(QRectF(0, y + 1, self.width(), 16), left, card_labels(self.cards, self.index))
            words = unbalanced_label(self.cards, self.unbalanced, self.index, self.natural)
            p.drawText(QRectF(0, y + 17, self.width(), 16), left, words)


class MeterPage(StepPanel):
    """Cards, then spots."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Cards in the scene")
        self.cards = [CardReading(title, k) for k, title in enumerate(CARDS)]
        for card in self.cards:
            self.add(card)
        self.card_position = label("", "note", wrap=True)
        self.add(self.card_position)
        self.group("Spots in the picture")
        self.spots = SpotList(session)
        self.add(self.spots)
        self.finish()
        follow(self, session.results.meter_read, lambda _: self._show_cards())
        follow(self, session.results.light_solved, lambda _: self._show_cards())
        follow(self, session.document_changed, lambda _: self._show_cards())
        self._show_cards()

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._show_cards()

    def _show_cards(self) -> None:
        read = self.session.results.read
        if not self.isVisible():
            return  # read when it is looked at
        if read is None:
            self.card_position.setText("Measured when dragging stops.")
            return
        cards, document = read.cards.under(self.session.gains()), self.session.document
        for card in self.cards:
            card.follow(cards, read.cards.under(UNBALANCED), natural(document) == document)
        x, y, z = read.position
        where = "Near the centre of the picture" if document.fill.card_position is None else "Placed"
        self.card_position.setText(f"{where}: {x:.1f}, {y:.1f}, {z:.1f} m.".replace("-", "−"))
