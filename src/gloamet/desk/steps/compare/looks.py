# SPDX-License-Identifier: Apache-2.0
"""Looks: named settings as thumbnails of the present scene, applied with a strength; own looks; and the history."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QInputDialog,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.compare.compare_tools import CompareTools
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, action_button, empty, label
from gloamet.document.differences import differences, step_label
from gloamet.document.looks import (
    ENDING,
    LOOKS,
    Look,
    apply_look,
    look_of,
    looks_folder,
    own_looks,
    read_look,
    write_look,
)
from gloamet.document.model import Document
from gloamet.document.parts import part_of
from gloamet.errors import GloametError
from gloamet.preview.thumbnail_renderer import LitThumbnail

PICTURE = QSize(110, 75)
STEPS_SHOWN = 12
OF_A_LOOK = ("air", "fill", "expose", "sun")  # parts whose changed fields make a look of one's own


class LooksPage(StepPanel):
    """Shipped looks, own looks, history."""

    def __init__(self, session: Session, tools: CompareTools) -> None:
        super().__init__(session)
        self.tools = tools
        self.looks: list[Look] = []
        self.buttons: list[QToolButton] = []
        self._asked: list[Look] = []  # whose pictures are being made
        self.group("Looks")
        self.action_row = ActionRow(
            (
                ("Show thumbnails", "Show a thumbnail of this scene in every look.", self.draw),
                ("Save look …", "Save the settings that differ from the defaults as a look.", self._keep),
                ("Import …", f"A look from a {ENDING} file.", self._import),
            )
        )
        self.add(self.action_row)
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setAccessibleName("Strength of the look")
        self.strength.setRange(5, 100)
        self.strength.setValue(100)
        self.strength.setToolTip("Strength of the look: numbers are interpolated.")
        self.strength_label = label("Strength 1.00", "note")
        self.strength.valueChanged.connect(lambda v: self.strength_label.setText(f"Strength {v / 100:.2f}"))
        self.add(self.strength_label)
        self.add(self.strength)
        self.grid_widget = QWidget()
        self.grid = QGridLayout(self.grid_widget)
        self.grid.setContentsMargins(0, 4, 0, 0)
        self.grid.setSpacing(6)
        self.add(self.grid_widget)
        self.group("History")
        self.steps = QVBoxLayout()
        self.steps.setSpacing(2)
        self.add(self.steps)
        self.finish()
        tools.job.made.connect(self._on_made)
        tools.job.ended.connect(self._on_ended)
        follow(self, session.document_changed, lambda _: self._show_steps())
        self.fill()

    def fill(self) -> None:
        """The shipped looks and those of the user's folder."""
        mine, messages = own_looks()
        for sentence in messages:
            self.session.noticed.emit(sentence, "warning")
        self.looks = [*LOOKS, *mine]
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = []
        for index, look in enumerate(self.looks):
            button = QToolButton()
            button.setText(look.name)
            button.setToolTip(look.description or "Your own look.")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(PICTURE)
            button.setFixedWidth(PICTURE.width() + 12)
            button.clicked.connect(partial(self.take, index))
            self.buttons.append(button)
            self.grid.addWidget(button, *divmod(index, 2))

    def take(self, index: int) -> None:
        """Put the document into a look, as far as the strength says."""
        look = self.looks[index]
        try:
            document = apply_look(self.session.document, look, self.strength.value() / 100.0)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        self.session.commit(document)
        if document.expose.automatic:
            self.session.render.hold_ev(None)  # metered again, as its small picture is

    def draw(self) -> None:
        """Small pictures of every look on the present scene."""
        documents, self._asked = [], []
        for look in self.looks:
            try:
                documents.append(apply_look(self.session.document, look))
                self._asked.append(look)
            except GloametError:
                continue
        self.tools.job.pictures(self, documents, 2 * PICTURE.width())

    def _on_made(self, owner: object, index: int, picture: LitThumbnail) -> None:
        if owner is not self:
            return
        h, w = picture.pixels.shape[:2]
        image = QImage(picture.pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
        smooth = Qt.TransformationMode.SmoothTransformation
        pixmap = QPixmap.fromImage(image).scaled(PICTURE, Qt.AspectRatioMode.KeepAspectRatio, smooth)
        self.buttons[self.looks.index(self._asked[index])].setIcon(QIcon(pixmap))

    def _on_ended(self, owner: object, messages: str) -> None:
        if owner is self and messages:
            self.session.noticed.emit(messages, "warning")

    def _keep(self) -> None:
        changed = [d.path for d in differences(Document(), self.session.document)]
        paths = [
            ".".join(map(str, path))
            for path in changed
            if part_of(path) in OF_A_LOOK and len(path) == 2 and path[0] not in ("site", "sun")
        ]
        if not paths:
            self.session.noticed.emit(
                "Air, fill and exposure are at their defaults: there is no look to save.", "note"
            )
            return
        name, fine = QInputDialog.getText(self, "Save look", "Name of the look")
        if not fine or not name.strip():
            return
        try:
            folder = looks_folder()
            folder.mkdir(parents=True, exist_ok=True)
            plain = "".join(c if c.isalnum() or c in " -_" else "_" for c in name.strip())
            write_look(look_of(self.session.document, name.strip(), paths), folder / f"{plain}{ENDING}")
        except (GloametError, OSError) as error:
            self.session.noticed.emit(f"The look was not saved ({error}).", "warning")
            return
        self.fill()

    def _import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import a look", "", f"Looks (*{ENDING} *.json)")
        if not name:
            return
        try:
            look = read_look(Path(name))
            folder = looks_folder()
            folder.mkdir(parents=True, exist_ok=True)
            write_look(
                look, folder / f"{Path(name).name.removesuffix('.json').removesuffix('.look')}{ENDING}"
            )
        except (GloametError, OSError) as error:
            self.session.noticed.emit(str(error), "warning")
            return
        self.fill()

    # -- history

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._show_steps()

    def _show_steps(self) -> None:
        """The last steps of the history; a click undoes to before one."""
        if not self.isVisible():
            return
        empty(self.steps)
        documents = [*self.session.history.earlier(STEPS_SHOWN), self.session.history.current]
        for back, (before, after) in enumerate(zip(documents[-2::-1], documents[:0:-1], strict=False), 1):
            text = step_label(before, after) or "no change"
            row = action_button(
                text[:44],
                f"{text}\nClick to return to the state before this step.",
                partial(self._back, back),
            )
            self.steps.addWidget(row)
        if len(documents) < 2:
            self.steps.addWidget(label("No changes yet.", "note"))

    def _back(self, steps: int) -> None:
        for _ in range(steps):
            self.session.undo()
