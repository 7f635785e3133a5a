# SPDX-License-Identifier: Apache-2.0
"""Proofs: the picture on other screens and papers, with measures of the losses."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QToolButton, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.form import label, sentence
from gloamet.develop.proofs import PROOFS, proofed, warning_labels, warnings_of

PICTURE, SMALL = QSize(110, 75), QSize(56, 38)
REST_MS = 300  # a picture that stays so long is proofed
WARNED_PIXELS = 200  # of the picture's width that is measured


def _few(pixels: np.ndarray, width: int) -> np.ndarray:
    """Codes 0..1 of every few pixels, at least `width` across."""
    step = max(1, pixels.shape[1] // width)
    return pixels[::step, ::step, :3].astype(np.float32) / np.float32(255.0)


class ProofsPage(StepPanel):
    """A grid of proofs; a click shows one large."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("On other screens and on paper")
        grid_widget, self.group_of = QWidget(), QButtonGroup(self)
        self.group_of.setExclusive(False)
        grid = QGridLayout(grid_widget)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        self.buttons: dict[str, QToolButton] = {}
        for index, proof in enumerate(PROOFS.values()):
            button = QToolButton()
            button.setText(sentence(proof.name))
            button.setCheckable(True)
            button.setToolTip(f"{proof.description} Click to show it large, click again to return.")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(PICTURE)
            button.setFixedWidth(PICTURE.width() + 12)
            button.clicked.connect(lambda on, name=proof.name: self.look(name if on else ""))
            self.buttons[proof.name] = button
            grid.addWidget(button, *divmod(index, 2))
        self.add(grid_widget)
        self.group("What is lost")
        self.warnings = label("", "note", wrap=True)
        self.add(self.warnings)
        self.finish()
        self._rest = QTimer(self, interval=REST_MS, singleShot=True)
        self._rest.timeout.connect(self.refresh)
        session.results.frame_ready.connect(lambda _: self._rest.start() if self.isVisible() else None)

    def look(self, name: str) -> None:
        """Show a proof in place of the picture, "" for the picture itself."""
        self.session.render.inspect_as(f"proof {name}" if name and name != "good screen" else "")
        self._mark()

    def _mark(self) -> None:
        shown = self.session.render.inspect.removeprefix("proof ")
        for name, button in self.buttons.items():
            button.setChecked(name == shown)

    def showEvent(self, event: object) -> None:  # noqa: N802
        self.refresh()

    def hideEvent(self, event: object) -> None:  # noqa: N802
        if self.session.render.inspect.startswith("proof"):
            self.session.render.inspect_as("")

    def refresh(self) -> None:
        """Draw the proofs of the picture shown now."""
        frame = self.session.results.frame
        if frame is None:
            return
        self._mark()
        codes = _few(frame.pixels, PICTURE.width())
        for name, button in self.buttons.items():
            seen = np.ascontiguousarray(np.round(255.0 * proofed(codes, name)), np.uint8)
            height, width = seen.shape[:2]
            image = QImage(seen.data, width, height, 3 * width, QImage.Format.Format_RGB888)
            size = PICTURE if name != "thumbnail" else SMALL
            mode = Qt.AspectRatioMode.KeepAspectRatio
            smooth = Qt.TransformationMode.SmoothTransformation
            button.setIcon(QIcon(QPixmap.fromImage(image).scaled(size, mode, smooth)))
        summary = warning_labels(warnings_of(_few(frame.pixels, WARNED_PIXELS)))
        self.warnings.setText("\n".join(summary) or "No losses: colours and subject stay visible everywhere.")
