"""Stage: four pages, in the order one sets up: the model, its parts, what is around it, the views on it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.session import Session
from gloamet.desk.steps.stage.around import AroundPage
from gloamet.desk.steps.stage.model import ModelPage
from gloamet.desk.steps.stage.parts import PartsPage
from gloamet.desk.steps.stage.views import ViewsPage

PAGES = ("Model", "Parts", "Around", "Views")
TIPS = (
    "The file, its unit, its axis, how it stands.",
    "What the model is made of, and its materials.",
    "Ground, horizon, plaster, and what gives shade.",
    "The lens and the views kept.",
)


class StageStep(QWidget):
    """The pages, each scrolled by itself."""

    def __init__(self, session: Session, open_model: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("column")
        self.session = session
        self.model = ModelPage(session, open_model)
        self.parts, self.around, self.views = PartsPage(session), AroundPage(session), ViewsPage(session)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(16, 0, 16, 0)
        row.setSpacing(2)
        self.stack = QStackedWidget()
        self.group = QButtonGroup(self)
        pages: tuple[QWidget, ...] = (self.model, self.parts, self.around, self.views)
        for index, (name, page) in enumerate(zip(PAGES, pages, strict=True)):
            button = QPushButton(name)
            button.setProperty("role", "piece")
            button.setCheckable(True)
            button.setToolTip(TIPS[index])
            self.group.addButton(button, index)
            row.addWidget(button, 1)
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            area.setWidget(page)
            self.stack.addWidget(area)
        self.group.idClicked.connect(self.stack.setCurrentIndex)
        column.addLayout(row)
        column.addWidget(self.stack, 1)
        self.show_page("Model")
        session.selected.connect(self._follow)

    def _follow(self, selected: str) -> None:
        if selected:
            self.show_page("Parts")

    def show_page(self, name: str) -> None:
        """Bring a page to the front."""
        index = PAGES.index(name)
        self.stack.setCurrentIndex(index)
        self.group.button(index).setChecked(True)
