# SPDX-License-Identifier: Apache-2.0
"""Site: a place by name, or coordinates in any notation; the search runs in a thread."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from gloamet.desk.actions import sun_actions
from gloamet.desk.state.session import Session
from gloamet.desk.widgets.follow import follow
from gloamet.errors import GloametError
from gloamet.preview.latest import LatestWorker
from gloamet.sun.site import City, parse_coordinates, search_cities, zone_name_at

PAUSE_MS = 180
MOST = 8


class SiteField(QWidget):
    """A line to type in and the places that match under it."""

    _found = Signal(str, object)
    _zoned = Signal(float, float, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.edit = QLineEdit()
        self.edit.setPlaceholderText("City, or 57.4, 21.5")
        self.edit.setToolTip("Type a city, or coordinates like 57.4, 21.5 or 57°24′N 21°30′E.")
        self.edit.setAccessibleName("Site")
        self.results = QListWidget(self.window())
        self.results.setWindowFlag(Qt.WindowType.ToolTip)
        self.results.setAccessibleName("Cities found")
        self.results.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.results.itemClicked.connect(self._pick)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.edit)
        self._pause = QTimer(self, interval=PAUSE_MS, singleShot=True)
        self._pause.timeout.connect(self._search)
        self.edit.textEdited.connect(lambda _: self._pause.start())
        self.edit.returnPressed.connect(self._enter)
        self.edit.editingFinished.connect(lambda: QTimer.singleShot(150, self.results.hide))
        self._searcher: LatestWorker[str] = LatestWorker("place search", self._find_cities)
        self._zones: LatestWorker[tuple[float, float]] = LatestWorker("time zone", self._find_zone)
        self._found.connect(self._show)
        self._zoned.connect(self._on_coordinates_found)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed()

    def _on_document_changed(self, *_: object) -> None:
        if not self.edit.hasFocus():
            site = self.session.document.site
            self.edit.setText(site.name or f"{site.latitude_deg:.3f}, {site.longitude_deg:.3f}")
            self.edit.setCursorPosition(0)

    def _coordinates(self) -> tuple[float, float] | None:
        text = self.edit.text()
        if not any(c.isdigit() for c in text):
            return None
        return parse_coordinates(text)

    def _search(self) -> None:
        text = self.edit.text()
        if any(c.isdigit() for c in text) or len(text.strip()) < 2:
            self.results.hide()
            return
        self._searcher.request(text)

    def _find_cities(self, text: str) -> None:
        self._found.emit(text, search_cities(text, MOST))

    def _find_zone(self, position: tuple[float, float]) -> None:
        self._zoned.emit(*position, zone_name_at(*position))

    def _show(self, text: str, cities: list[City]) -> None:
        if text != self.edit.text() or not self.edit.hasFocus():
            return
        self.results.clear()
        for city in cities:
            item = QListWidgetItem(f"{city.name}, {city.country}")
            item.setData(Qt.ItemDataRole.UserRole, city)
            self.results.addItem(item)
        if not cities:
            self.results.addItem(QListWidgetItem("No city found: type coordinates instead"))
        self.results.setFixedSize(self.width(), 24 * self.results.count() + 6)
        self.results.move(self.edit.mapToGlobal(QPoint(0, self.edit.height() + 2)))
        self.results.show()

    def _pick(self, item: QListWidgetItem) -> None:
        city = item.data(Qt.ItemDataRole.UserRole)
        self.results.hide()
        if city is not None:
            self.take_city(city)

    def take_city(self, city: City) -> None:
        """Move the site to a city of the gazetteer."""
        self.edit.clearFocus()
        name = f"{city.name}, {city.country}"
        fields = sun_actions.site_fields(city.latitude_deg, city.longitude_deg, city.timezone, name)
        self.session.change("site", **fields)
        self._on_document_changed()

    def _enter(self) -> None:
        try:
            pair = self._coordinates()
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        if pair is not None:
            self.go(*pair)
        elif self.results.isVisible() and self.results.count():
            self._pick(self.results.item(max(0, self.results.currentRow())))

    def go(self, lat: float, lon: float) -> None:
        """Move the site to coordinates; its time zone is looked up in a thread."""
        self.session.render.busy.emit("Looking up the time zone")
        self._zones.request((lat, lon))

    def _on_coordinates_found(self, lat: float, lon: float, zone: str) -> None:
        self.session.render.busy.emit("")
        self.edit.clearFocus()
        self.session.change("site", **sun_actions.site_fields(lat, lon, zone))
        self._on_document_changed()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        row = self.results.currentRow()
        if event.key() == Qt.Key.Key_Down:
            self.results.setCurrentRow(min(row + 1, self.results.count() - 1))
        elif event.key() == Qt.Key.Key_Up:
            self.results.setCurrentRow(max(row - 1, 0))
        elif event.key() == Qt.Key.Key_Escape:
            self.results.hide()
            self.edit.clearFocus()
            self._on_document_changed()
        else:
            super().keyPressEvent(event)
