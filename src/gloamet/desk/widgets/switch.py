# SPDX-License-Identifier: Apache-2.0
"""A boolean field of the document as a check box with the field's description."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section, description
from gloamet.document.model import Document


class Switch(QCheckBox):
    """One boolean field."""

    def __init__(self, session: DocumentPort, section: Section, name: str, text: str) -> None:
        super().__init__(text)
        self.session, self.section, self.name = session, section, name
        self.setToolTip(description(section, name))
        self.toggled.connect(lambda on: session.change(section, **{name: on}))
        session.document_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        self.blockSignals(True)
        self.setChecked(bool(getattr(reach(document, self.section), self.name, False)))
        self.blockSignals(False)
