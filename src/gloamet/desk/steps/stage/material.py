# SPDX-License-Identifier: Apache-2.0
"""The material of the selected part: corrections of the file's material, and their reset."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourRow, Linear
from gloamet.desk.widgets.document_fields import number_field
from gloamet.desk.widgets.form import action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Toggle
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.document.stage import MaterialEdit
from gloamet.stage.assembly import edit_material_values
from gloamet.stage.scene import Material

PLAIN = Material("")
ROWS = (
    ("texture_strength", "Texture strength"),
    ("roughness", "Roughness"),
    ("metalness", "Metalness"),
    ("diffuse_transmission", "Diffuse transmission"),
    ("transmission", "Transmission"),
    ("ior", "Refractive index"),
    ("alpha_cutoff", "Alpha cutoff"),
    ("normal_strength", "Normal map strength"),
    ("emission_cd_m2", "Emission"),
)


class MaterialBlock(QWidget):
    """Rows for one material, rebuilt when another is selected."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.name = ""
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 16, 0, 0)
        self.column.setSpacing(4)
        self.head = label("", "head")
        self.again = action_button("Reset to file", "Reset all corrections of this material.", self._reset)
        self.column.addLayout(pair(self.head, self.again))
        self.rows: dict[str, NumberRow] = {}
        self.colour: ColourRow | None = None
        self.thin: Toggle | None = None
        session.state.selected.connect(lambda _: self._build())
        session.loaded.scene_loaded.connect(lambda _: self._build())
        session.stage_changed.connect(self._on_document_changed)
        self._build()

    def _file(self) -> Material:
        return stage_actions.material_of(self.session, self.session.state.selection) or PLAIN

    def _now(self) -> Material:
        edit = self.session.document.stage.materials.get(self.name, MaterialEdit())
        return edit_material_values(self._file(), edit)

    def _value(self, name: str) -> float:
        m = self._now()
        if name == "emission_cd_m2":
            r, g, b = m.emission
            return 0.2126 * r + 0.7152 * g + 0.0722 * b
        if name == "alpha_cutoff":
            return m.alpha_cutoff or 0.0
        return float(getattr(m, name))

    def _wanted(self, m: Material) -> list[tuple[str, str]]:
        """Rows that mean something for this material."""
        skip = set()
        if m.base_texture is None:
            skip |= {"texture_strength", "alpha_cutoff"}
        if m.normal_texture is None:
            skip.add("normal_strength")
        return [row for row in ROWS if row[0] not in skip]

    def _build(self) -> None:
        material = self._file()
        if material.name == self.name and self.rows:
            return
        self.name = material.name
        while self.column.count() > 1:
            item = self.column.takeAt(1)
            if item is not None and (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.rows, self.colour, self.thin = {}, None, None
        self.setVisible(bool(self.name))
        if not self.name:
            return
        self.head.setText(f"Material: {self.name}")
        path = ("stage", "materials", self.name)
        self.colour = ColourRow(
            "Base colour", description(path, "colour"), lambda: self._now().base_colour, self._recolour
        )
        self.column.addWidget(self.colour)
        for name, text in self._wanted(material):
            self.rows[name] = self._row(path, name, text)
            self.column.addWidget(self.rows[name])
        self.thin = Toggle("Thin sheet")
        self.thin.setToolTip(description(path, "thin"))
        self.thin.clicked.connect(lambda on: stage_actions.edit_material(self.session, self.name, thin=on))
        self.column.addWidget(self.thin)
        self._on_document_changed(self.session.document)

    def _row(self, path: tuple[str, str, str], name: str, text: str) -> NumberRow:
        colour = theme.LAMPS if name == "emission_cd_m2" else theme.DIM
        field = number_field(path, name, partial(self._value, name))

        def write(value: float, key: str | None) -> None:
            stage_actions.edit_material(self.session, self.name, key, **{name: value})

        return NumberRow(self.session, path, name, text, colour, field=field, write=write)

    def _recolour(self, colour: Linear) -> None:
        stage_actions.edit_material(self.session, self.name, colour=colour)

    def _reset(self) -> None:
        stage_actions.reset_material(self.session, self.name)

    def _on_document_changed(self, document: Document) -> None:
        self.again.setVisible(self.name in document.stage.materials)
        if self.colour is not None and self.thin is not None:
            self.colour.follow()
            m = self._now()
            self.thin.setChecked(m.thin)
            self.rows["ior"].setVisible(m.transmission > 0.0)
            self.thin.setVisible(m.transmission > 0.0)
