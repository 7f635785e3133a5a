# SPDX-License-Identifier: Apache-2.0
"""The colour link: sliders, hue bands, toning, black and white, and a look-up table."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QColor
from PySide6.QtWidgets import QButtonGroup, QFileDialog, QGridLayout, QVBoxLayout, QWidget

from gloamet.colour.curves import HUE_BANDS
from gloamet.colour.spaces import linear_to_srgb
from gloamet.desk.actions import expose_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.expose.chain_link import ChainLink, SliderSpec
from gloamet.desk.widgets.colour import ColourField, Swatch
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.develop.colour_grade import BAND_HUES_DEG, band_colour
from gloamet.document.expose import HueBand
from gloamet.document.metadata import description
from gloamet.document.model import Document

COLOUR = "expose.colour"
SLIDERS = (SliderSpec("saturation", "Saturation"), SliderSpec("vibrance", "Vibrance", True))
TONING = (
    SliderSpec("shadow_toning", "Shadow toning"),
    SliderSpec("highlight_toning", "Highlight toning"),
    SliderSpec("toning_balance", "Toning balance", True),
)


class BandControls(QWidget):
    """Eight swatches, and the sliders of the chosen band."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.chosen = session, 0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(2)
        column.addWidget(label("Hue bands", "head"))
        grid, self.group = QGridLayout(), QButtonGroup(self)
        grid.setSpacing(3)
        self.swatches: list[Swatch] = []
        for index, (name, hue) in enumerate(zip(HUE_BANDS, BAND_HUES_DEG, strict=True)):
            r, g, b = (round(255 * float(v)) for v in linear_to_srgb(band_colour(hue)))
            swatch = Swatch(QColor(r, g, b).name())
            swatch.setAccessibleName(name)
            swatch.setToolTip(f"{name.capitalize()}: hue, saturation and lightness of this band.")
            swatch.clicked.connect(lambda _=False, k=index: self.choose(k))
            self.group.addButton(swatch)
            self.swatches.append(swatch)
            grid.addWidget(swatch, 0, index)
        column.addLayout(grid)
        self.name = label("", "note")
        column.addWidget(self.name)
        self.pages: list[QWidget] = []
        self.rows: list[dict[str, NumberRow]] = []
        for index in range(len(HUE_BANDS)):
            page = QWidget()
            rows = QVBoxLayout(page)
            rows.setContentsMargins(0, 0, 0, 0)
            rows.setSpacing(2)
            made = {
                field: NumberRow(session, ("expose", "colour", "bands", index), field, title, from_zero=True)
                for field, title in (("hue", "Hue"), ("saturation", "Saturation"), ("lightness", "Lightness"))
            }
            for row in made.values():
                rows.addWidget(row)
            column.addWidget(page)
            self.pages.append(page)
            self.rows.append(made)
        self.choose(0)

    def choose(self, index: int) -> None:
        """Work on another band."""
        self.chosen = index
        self.swatches[index].setChecked(True)
        self.name.setText(HUE_BANDS[index])
        for k, page in enumerate(self.pages):
            page.setVisible(k == index)


class ToneControls(QWidget):
    """Toning of dark and light parts, black and white, and a table."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(2)
        column.addWidget(label("Toning", "head"))
        column.addWidget(ColourField(session, COLOUR, "shadow_tone", "Shadow colour"))
        column.addWidget(ColourField(session, COLOUR, "highlight_tone", "Highlight colour"))
        self.rows = {
            spec.name: NumberRow(session, COLOUR, spec.name, spec.label, from_zero=spec.from_zero)
            for spec in TONING
        }
        for row in self.rows.values():
            column.addWidget(row)
        column.addSpacing(6)
        self.grey = Switch(session, COLOUR, "black_and_white", "Black and white")
        column.addWidget(self.grey)
        self.filter = ColourField(session, COLOUR, "filter", "Filter colour")
        column.addWidget(self.filter)
        column.addSpacing(6)
        column.addWidget(label("Look-up table", "head"))
        self.table = ActionRow(
            (
                ("Choose …", description(COLOUR, "table"), self._choose),
                ("Remove", "Remove the look-up table.", lambda: session.change(COLOUR, None, table="")),
            )
        )
        self.named = label("", "note")
        self.fraction = NumberRow(session, COLOUR, "table_strength", "Strength")
        for widget in (self.named, self.table, self.fraction):
            column.addWidget(widget)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Look-up table", "", "Look-up tables (*.cube)")
        if name:
            expose_actions.use_table(self.session, name)

    def _on_document_changed(self, document: Document) -> None:
        colour = document.expose.colour
        self.filter.setVisible(colour.black_and_white)
        self.named.setText(Path(colour.table).name if colour.table else "none")
        self.table.buttons[1].setVisible(bool(colour.table))
        self.fraction.setVisible(bool(colour.table))


class ColourLink(ChainLink):
    """The link with its bands, toning, film and table."""

    def __init__(self, session: Session) -> None:
        self.bands, self.toning = BandControls(session), ToneControls(session)
        super().__init__(session, COLOUR, "Colour", SLIDERS, (self.bands, self.toning))

    def summary(self) -> str:
        """Sliders, bands, toning, film and table."""
        colour = self.session.document.expose.colour
        bands = [name for name, band in zip(HUE_BANDS, colour.bands, strict=True) if band != HueBand()]
        summary = [super().summary()]
        summary += [f"bands {', '.join(bands)}"] if bands else []
        summary += ["toned"] if colour.shadow_toning or colour.highlight_toning else []
        summary += ["black and white"] if colour.black_and_white else []
        summary += [Path(colour.table).name] if colour.table else []
        return ", ".join(text for text in summary if text)
