# SPDX-License-Identifier: Apache-2.0
"""The panels of the steps: each is built when first shown, or while the window is idle."""

from __future__ import annotations

from importlib import import_module

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QScrollArea, QStackedWidget, QWidget

from gloamet.desk.steps import STEPS, StepContext
from gloamet.desk.widgets.form import wake

# after the window came up, until the panels that nobody has asked for are built; longer while the machine is busy
IDLE_MS, BUSY_MS = 400, 8000


class StepStack(QStackedWidget):
    """A page for each step; `panel` gives its panel."""

    def __init__(self, context: StepContext) -> None:
        super().__init__()
        self._context = context
        self._panels: dict[int, QWidget] = {}
        self._pages = [QWidget() for _ in STEPS]
        self._awake = True
        for page in self._pages:
            self.addWidget(page)
        self._idle = QTimer(self, interval=IDLE_MS, singleShot=True)
        self._idle.timeout.connect(self._build_next)

    def panel(self, index: int) -> QWidget:
        """The panel of a step, built on first use."""
        if index not in self._panels:
            module = import_module(f"gloamet.desk.steps.{STEPS[index].module}")
            self._panels[index] = panel = module.build(self._context)
            self._replace(index, panel if getattr(panel, "scrolls_itself", False) else _scrolled(panel))
        return self._panels[index]

    def show_step(self, index: int) -> None:
        """Bring a step to the front."""
        self.panel(index)
        self.setCurrentIndex(index)

    def build_others(self) -> None:
        """Build missing panels, one at a time, while the window is idle."""
        self._idle.start()

    def stop_building(self) -> None:
        """Build no more: the session is about to end."""
        self._idle.stop()

    def wake(self, awake: bool) -> None:
        """Whether more can be used than the steps that work on preliminary light."""
        self._awake = awake
        if not awake and self._idle.isActive():
            self._idle.start(BUSY_MS)
        for step, page in zip(STEPS, self._pages, strict=True):
            if page.isEnabled() != (awake or step.in_preliminary_light):
                wake(page, awake or step.in_preliminary_light)

    def _replace(self, index: int, page: QWidget) -> None:
        shown, old = self.currentIndex(), self._pages[index]
        self._pages[index] = page
        self.insertWidget(index, page)
        self.removeWidget(old)
        old.deleteLater()
        self.setCurrentIndex(shown)
        self.wake(self._awake)

    def _build_next(self) -> None:
        missing = [k for k in range(len(STEPS)) if k not in self._panels]
        if missing:
            self.panel(missing[0])
            self._idle.start(0)


def _scrolled(panel: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(panel)
    return area
