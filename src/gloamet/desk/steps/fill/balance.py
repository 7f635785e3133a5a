# SPDX-License-Identifier: Apache-2.0
"""Balance: key to fill, and a row for every light."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.fill.ratio import RatioControl
from gloamet.desk.steps.fill.source import SourceRow, changed_fields
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, action_button, empty, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.term_card import TermButton
from gloamet.document.model import Document
from gloamet.document.stage import FLAGS, PropKind
from gloamet.light_layers import LIGHTS
from gloamet.preview.events import SourcePictures

FLAG_TIPS: tuple[tuple[PropKind, str], ...] = (
    ("white flag", "White flag: a diffuse reflector, invisible to the camera."),
    ("silver flag", "Silver flag: a specular reflector, invisible to the camera."),
    ("black flag", "Black flag: blocks light, invisible to the camera."),
)


class BalancePage(StepPanel):
    """The ratio and the lights."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._flags: object = None
        self.group("Key to fill", TermButton("key_to_fill"))
        self.ratio = RatioControl(session)
        self.add(self.ratio)
        self.group("Lights", TermButton("contact_shadow"))
        self.rows = {light.name: SourceRow(session, light) for light in LIGHTS}
        for row in self.rows.values():
            self.add(row)
        self.group("Flags")
        self.flags = ActionRow([(kind, tip, partial(self._add_flag, kind)) for kind, tip in FLAG_TIPS])
        self.add(self.flags)
        self.placed = QVBoxLayout()
        self.add(self.placed)
        self.reset = action_button(
            "Reset all to physical", "Reset gain, tint and warmth of all lights.", self._reset
        )
        self.add(pair(label(""), self.reset))
        self.finish()
        session.results.source_pictures.connect(self._on_source_pictures)
        session.loaded.scene_loaded.connect(lambda _: self._on_document_changed(session.document))
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)
        if session.results.sources is not None:
            self._on_source_pictures(session.results.sources)

    def _on_source_pictures(self, pictures: SourcePictures) -> None:
        for row in self.rows.values():
            row.show_picture(pictures)

    def _add_flag(self, kind: PropKind) -> None:
        stage_actions.add_prop(self.session, kind)

    def _show_flags(self, document: Document) -> None:
        """A row per flag: select it, or remove it."""
        flags = [(k, prop) for k, prop in enumerate(document.stage.props) if prop.kind in FLAGS]
        shown = [(k, prop.name) for k, prop in flags]
        if shown == self._flags:
            return
        self._flags = shown
        empty(self.placed)
        for k, prop in flags:
            words = [
                ("Place", "Place it with the next click in the picture or plan.", f"place {k}"),
            ]
            row = ActionRow(
                [
                    *((text, tip, partial(self.session.state.use_tool, tool)) for text, tip, tool in words),
                    ("Remove", "Remove it.", partial(stage_actions.remove_prop, self.session, k)),
                ]
            )
            block = QWidget()
            block.setLayout(pair(label(prop.name), row))
            self.placed.addWidget(block)
            path = ("stage", "props", k)
            self.placed.addWidget(NumberRow(self.session, path, "rotation_deg", "Rotation", from_zero=True))
            self.placed.addWidget(NumberRow(self.session, path, "extent_m", "Width", logarithmic=True))

    def _changed(self, document: Document) -> dict[str, object]:
        fields: dict[str, object] = {} if not document.fill.solo else {"solo": ""}
        for light in LIGHTS:
            fields |= changed_fields(document.fill, light)
        return fields

    def _reset(self) -> None:
        self.session.change("fill", None, **self._changed(self.session.document))

    def _on_document_changed(self, document: Document) -> None:
        compiled = self.session.loaded.compiled
        self.rows["lamps"].setVisible(compiled is not None and len(compiled.lamps) > 0)
        self.rows["panorama"].setVisible(bool(document.panorama.file))
        self.reset.setVisible(bool(self._changed(document)))
        self._show_flags(document)
