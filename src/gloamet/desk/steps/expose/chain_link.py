# SPDX-License-Identifier: Apache-2.0
"""One link of the chain: its switch, a summary, hold to compare, reset, and its controls."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets.document_fields import number_field, reach
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ToolButton, label, sentence
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document

MOST_WORDS = 3


class SliderSpec(NamedTuple):
    """A numeric field of a link and its label; logarithmic ones are for sizes."""

    name: str
    label: str
    from_zero: bool = False


def difference_sentence(session: Session, section: str, sliders: Sequence[SliderSpec]) -> str:
    """The settings of a link that are not neutral: the first few."""
    summary = []
    for slider in sliders:
        field = number_field(section, slider.name)
        value = field.value(session.document)
        if value != field.default:
            summary.append(f"{slider.label.lower()} {field.text(value)}")
    more = f" and {len(summary) - MOST_WORDS} more" if len(summary) > MOST_WORDS else ""
    return ", ".join(summary[:MOST_WORDS]) + more


class ChainLink(QWidget):
    """A link of the chain; `first` and `extra` are widgets above and below its sliders."""

    def __init__(
        self,
        session: Session,
        section: str,
        title: str,
        sliders: Sequence[SliderSpec],
        extra: Sequence[QWidget] = (),
        first: Sequence[QWidget] = (),
    ) -> None:
        super().__init__()
        self.session, self.section, self.sliders = session, section, tuple(sliders)
        self._neutral, self._shown = reach(Document(), section), None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 0, 3)
        column.setSpacing(1)
        head = QHBoxLayout()
        head.setSpacing(2)
        self.on = Switch(session, section, "on", title, leading=True)
        self.without = ToolButton("Hold to compare", "Hold to show the picture without this link.", "eye")
        self.without.pressed.connect(self._show_without)
        self.without.released.connect(self._show_with)
        self.reset = ToolButton("Reset", "Reset this link to neutral.", "rotate-ccw", self._reset)
        self.more = ToolButton(
            "More", "Show or hide the controls of this link.", "chevron-right", self.toggle
        )
        head.addWidget(self.on)
        head.addStretch(1)
        for word in (self.without, self.reset, self.more):
            head.addWidget(word)
        column.addLayout(head)
        self.summary_label = label("", "note", wrap=True)
        column.addWidget(self.summary_label)
        self.rest = QWidget()
        rows = QVBoxLayout(self.rest)
        rows.setContentsMargins(0, 2, 0, 10)
        rows.setSpacing(2)
        self.rows = {
            spec.name: NumberRow(session, section, spec.name, spec.label, from_zero=spec.from_zero)
            for spec in (*self.sliders, SliderSpec("strength", "Strength of this link"))
        }
        for widget in (*first, *self.rows.values(), *extra):
            rows.addWidget(widget)
        column.addWidget(self.rest)
        self.rest.hide()
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def toggle(self) -> None:
        """Open the controls, or close them."""
        self.rest.setVisible(self.rest.isHidden())
        self.more.show_icon("chevron-right" if self.rest.isHidden() else "chevron-down")

    def _show_without(self) -> None:
        self.session.preview_document(self.session.document.change(self.section, on=False))

    def _show_with(self) -> None:
        self.session.preview_document(None)

    def _reset(self) -> None:
        self.session.change(self.section, None, **self._neutral.model_dump())

    def summary(self) -> str:
        """What this link changes."""
        return difference_sentence(self.session, self.section, self.sliders)

    def _on_document_changed(self, document: Document) -> None:
        if self.session.showing_only:
            return
        state = reach(document, self.section)
        if state is self._shown:
            return
        self._shown = state
        changed = state != self._neutral
        summary = self.summary()
        self.summary_label.setText(sentence(summary))
        self.summary_label.setVisible(bool(summary))
        self.reset.setVisible(changed)
        self.without.setVisible(changed and state.on)
        self.rest.setEnabled(state.on)
