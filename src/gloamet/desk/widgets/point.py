# SPDX-License-Identifier: Apache-2.0
"""A point of the document in metres: three numbers to type."""

from __future__ import annotations

import re

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import label
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section, description
from gloamet.document.model import Document
from gloamet.document.parsing import read_number
from gloamet.errors import GloametError


def read_point(text: str) -> tuple[float, float, float]:
    """Three numbers with commas or blanks between them. Raises GloametError with a sentence.

    >>> read_point("1, −2.5, 3 m")
    (1.0, -2.5, 3.0)
    """
    tokens = [word for word in re.split(r"[,;\s]+", text.replace(" m", " ").strip()) if word]
    if len(tokens) != 3:
        raise GloametError(f"“{text.strip()}” is not a point: type three numbers, like 1, −2.5, 3.")
    x, y, z = (read_number(word, "m") for word in tokens)
    return x, y, z


class PointRow(QWidget):
    """Label and line; Enter or leaving the line sets the point."""

    def __init__(self, session: DocumentPort, section: Section, name: str, text: str) -> None:
        super().__init__()
        self.session, self.section, self.name, self.text = session, section, name, text
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(label(text), 1)
        self.edit = QLineEdit()
        self.edit.setFixedWidth(140)
        self.edit.setAccessibleName(text)
        self.edit.editingFinished.connect(self._enter)
        row.addWidget(self.edit)
        self.setToolTip(description(section, name))
        follow(self, session.document_changed, self._on_document_changed)
        self._show()

    def _held(self) -> tuple[float, ...]:
        return tuple(getattr(reach(self.session.document, self.section), self.name))

    def _show(self) -> None:
        numbers = ", ".join(f"{v:.2f}".rstrip("0").rstrip(".") for v in self._held())
        self.edit.setText(f"{numbers} m".replace("-", "−"))

    def _enter(self) -> None:
        if not self.edit.isModified():
            return
        self.edit.setModified(False)
        try:
            self.session.change(self.section, None, **{self.name: read_point(self.edit.text())})
        except GloametError as error:
            self.session.noticed.emit(f"{self.text}: {error}", "warning")
        self._show()

    def _on_document_changed(self, document: Document) -> None:
        if not self.edit.hasFocus():
            self._show()
