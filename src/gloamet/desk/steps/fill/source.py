# SPDX-License-Identifier: Apache-2.0
"""One light of the balance: thumbnail, gain, switch and solo in a row, other settings below."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourField
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import action_button, label, pair, sentence
from gloamet.desk.widgets.number import NumberRow
from gloamet.document.fill import FillState
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.light_layers import LightLayer
from gloamet.preview.events import SourcePictures

PICTURE = QSize(76, 50)
CHANGES = ("stops", "indirect_stops", "tint", "tint_strength", "mired", "on")
FRESH = FillState()


def changed_fields(fill: FillState, light: LightLayer) -> dict[str, object]:
    """Fields of a light that are not physical, with their physical values."""
    names = [light.field(what) for what in CHANGES]
    names += ["sky_saturation", "contact_shadow"] if light.name == "sky" else []
    return {name: getattr(FRESH, name) for name in names if getattr(fill, name) != getattr(FRESH, name)}


def difference_sentence(fill: FillState, light: LightLayer) -> str:
    """The settings of a light that are not physical.

    >>> from gloamet.light_layers import LIGHTS
    >>> difference_sentence(FillState(sun_stops=-1.0, sun_mired=30.0), LIGHTS[0])
    'gain × 0.5, 30 mired warmer'
    """
    stops, indirect = getattr(fill, light.field("stops")), getattr(fill, light.field("indirect_stops"))
    mired, strength = getattr(fill, light.field("mired")), getattr(fill, light.field("tint_strength"))
    out = [] if getattr(fill, light.field("on")) else ["off"]
    out += [f"gain × {2.0**stops:.3g}"] if stops else []
    out += [f"indirect {indirect:+.1f} stops".replace("-", "−")] if indirect else []
    out += [f"{abs(mired):.0f} mired {'warmer' if mired > 0 else 'cooler'}"] if mired else []
    out += [f"tint {100 * strength:.0f} %"] if strength else []
    if light.name == "sky" and fill.sky_saturation != 1.0:
        out.append(f"saturation × {fill.sky_saturation:.2f}")
    if light.name == "sky" and fill.contact_shadow:
        out.append(f"contact shadow {100 * fill.contact_shadow:.0f} %")
    return ", ".join(out)


class SourcePicture(QWidget):
    """What one light alone gives the picture."""

    def __init__(self, light: LightLayer) -> None:
        super().__init__()
        self.light = light
        self.setFixedSize(PICTURE)
        self.setToolTip(f"{light.title} alone, at the present exposure.")
        self._image: QImage | None = None

    def show_pixels(self, pixels: NDArray[np.uint8] | None) -> None:
        """Another picture, or none."""
        self._image = None
        if pixels is not None:
            h, w = pixels.shape[:2]
            self._image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), QColor("black"))
        if self._image is not None:
            size = self._image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatioByExpanding)
            x, y = (self.width() - size.width()) / 2.0, (self.height() - size.height()) / 2.0
            p.drawImage(QRectF(x, y, size.width(), size.height()), self._image)
        p.fillRect(QRectF(0, self.height() - 3, self.width(), 3), QColor(self.light.hue))


class SourceRow(QWidget):
    """A light's controls."""

    def __init__(self, session: Session, light: LightLayer) -> None:
        super().__init__()
        self.session, self.light = session, light
        self._open = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 4)
        column.setSpacing(2)
        self.picture = SourcePicture(light)
        self.gain = NumberRow(session, "fill", light.field("stops"), light.title, light.hue, from_zero=True)
        self.on = self._piece("On", description("fill", light.field("on")), self._switch)
        self.solo = self._piece("Solo", description("fill", "solo"), self._solo)
        self.more = action_button("More", "Indirect light, tint and warmth of this light.", self._toggle)
        column.addWidget(self.gain)
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.picture)
        for item in (self.on, self.solo):
            row.addWidget(item)
        row.addStretch(1)
        row.addWidget(self.more)
        column.addLayout(row)
        self.summary = label("", "note", wrap=True)
        self.back = action_button(
            "Reset to physical", "Reset gain, tint and warmth of this light.", self._reset
        )
        self.changed = QWidget()
        self.changed.setLayout(pair(self.summary, self.back))
        column.addWidget(self.changed)
        self.rest = self._make_rest()
        column.addWidget(self.rest)
        self.rest.hide()
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _piece(self, text: str, tip: str, act) -> QPushButton:  # type: ignore[no-untyped-def]
        button = QPushButton(sentence(text))
        button.setProperty("role", "piece")
        button.setCheckable(True)
        button.setToolTip(tip)
        button.clicked.connect(act)
        return button

    def _make_rest(self) -> QWidget:
        rest, light = QWidget(), self.light
        column = QVBoxLayout(rest)
        column.setContentsMargins(0, 0, 0, 6)
        column.setSpacing(4)
        indirect = NumberRow(
            self.session, "fill", light.field("indirect_stops"), "Indirect light", light.hue, from_zero=True
        )
        warmth = NumberRow(self.session, "fill", light.field("mired"), "Warmth", light.hue, from_zero=True)
        tint = ColourField(self.session, "fill", light.field("tint"), "Tint")
        fraction = NumberRow(self.session, "fill", light.field("tint_strength"), "Tint strength", light.hue)
        items: list[QWidget] = [indirect, warmth, tint, fraction]
        if light.name == "sky":
            items.append(NumberRow(self.session, "fill", "sky_saturation", "Saturation", theme.SKY))
            items.append(NumberRow(self.session, "fill", "contact_shadow", "Contact shadow", theme.SKY))
        for item in items:
            column.addWidget(item)
        return rest

    def show_picture(self, pictures: SourcePictures) -> None:
        """The light alone, as it is now."""
        self.picture.show_pixels(pictures.pictures.get(self.light.name))

    def _toggle(self) -> None:
        self._open = not self._open
        self.rest.setVisible(self._open)
        self.more.setText("Less" if self._open else "More")

    def _switch(self, on: bool) -> None:
        self.session.change("fill", None, **{self.light.field("on"): on})

    def _solo(self, alone: bool) -> None:
        self.session.change("fill", None, solo=self.light.name if alone else "")

    def _reset(self) -> None:
        self.session.change("fill", None, **changed_fields(self.session.document.fill, self.light))

    def _on_document_changed(self, document: Document) -> None:
        fill = document.fill
        self.on.setChecked(getattr(fill, self.light.field("on")))
        self.solo.setChecked(fill.solo == self.light.name)
        text = difference_sentence(fill, self.light)
        self.summary.setText(sentence(text))
        self.changed.setVisible(bool(text))
