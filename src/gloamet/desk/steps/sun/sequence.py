# SPDX-License-Identifier: Apache-2.0
"""Sequence: start, end and steps, played live, with thumbnails."""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import partial
from typing import Any

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QLineEdit, QListView, QListWidget, QListWidgetItem

from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.steps.sun.date_time import date_text, parse_date, parse_time
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, SegmentedControl, action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.preview.events import Frame
from gloamet.translation.sequence import sequence_documents

LIST_HEIGHT, ICON = 220, QSize(72, 44)
PATIENCE_MS = 1500  # how long a picture may take before the next one is asked for


class EndField(QLineEdit):
    """One end of the sequence: a date and a time in one line."""

    def __init__(self, session: Session, name: str) -> None:
        super().__init__()
        self.session, self.name = session, name
        self.setFixedWidth(150)
        self.setAccessibleName(description("sequence", name))
        self.setToolTip(f"{description('sequence', name)} Like 24 May 2026, 9:20.")
        self.setPlaceholderText("24 May 2026, 9:20")
        self.editingFinished.connect(self._on_edited)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        wall: datetime | None = getattr(document.sequence, self.name)
        if not self.hasFocus():
            self.setText("" if wall is None else f"{date_text(wall.date())}, {wall:%H:%M}")

    def _on_edited(self) -> None:
        text = self.text().strip()
        self.clearFocus()
        try:
            day, _, clock = text.rpartition(",")
            year = self.session.document.sun.wall_time.year
            wall = None if not text else datetime.combine(parse_date(day or text, year), parse_time(clock))
            if wall != getattr(self.session.document.sequence, self.name):
                self.session.change("sequence", None, **{self.name: wall})
        except GloametError as error:
            self.session.noticed.emit(f"{error} Write both, like 24 May 2026, 9:20.", "warning")
        self._on_document_changed(self.session.document)


class SequencePage(StepPanel):
    """Ends, steps, play."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.frames: tuple[Document, ...] = ()
        self.at = -1
        self._key: Any = None
        self._before: Document | None = None
        self._icons: dict[Any, QIcon] = {}
        blank = QPixmap(ICON)
        blank.fill(Qt.GlobalColor.transparent)
        self._blank = QIcon(blank)
        self.group("From and to")
        for name, text in (("start", "From"), ("end", "To")):
            self.add(pair(label(text), EndField(session, name)))
        self.add(
            ActionRow(
                [
                    ("From now", "Start at the moment shown.", partial(self._set_end, "start")),
                    ("To now", "End at the moment shown.", partial(self._set_end, "end")),
                    ("This day", "From sunrise to sunset of the day shown.", self._whole_day),
                ]
            )
        )
        self.group("Steps")
        self.add(NumberRow(session, "sequence", "frames", "Frames", logarithmic=True))
        self.add(
            SegmentedControl(
                session, "sequence", "easing", [("even", "Even steps"), ("gentle", "Ease in and out")]
            )
        )
        self.add(
            SegmentedControl(session, "sequence", "along", [("clock", "Clock time"), ("motion", "Animation")])
        )
        self.group("Play")
        tip = "Play the sequence in the viewport. Click again to stop and return to the moment before."
        self.play = action_button("Play", tip, self.toggle, main=True)
        self.add(pair(self.play, label("")))
        self.problem = label("", "note", wrap=True)
        self.add(self.problem)
        self.list = QListWidget()
        self.list.setIconSize(ICON)
        self.list.setFixedHeight(LIST_HEIGHT)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setAccessibleName("Frames of the sequence")
        self.list.setToolTip("Click to go to the moment of a frame.")
        self.list.itemClicked.connect(lambda item: self._go(self.list.row(item)))
        self.add(self.list)
        forget = partial(session.change, "sequence", start=None, end=None)
        self.add(ActionRow([("Clear ends", "Clear both ends of the sequence.", forget)]))
        self.finish()
        self._patience = QTimer(self, interval=PATIENCE_MS, singleShot=True)
        self._patience.timeout.connect(self._next)
        session.results.frame_ready.connect(self._on_frame_ready)
        session.document_changed.connect(self._on_document_changed)  # also while it plays and is hidden
        session.loaded.scene_loaded.connect(lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    @property
    def playing(self) -> bool:
        """Whether pictures follow one another now."""
        return self._before is not None

    # -- ends

    def _set_end(self, name: str) -> None:
        wall = self.session.moment().local.replace(tzinfo=None)
        self.session.change("sequence", None, **{name: wall})

    def _whole_day(self) -> None:
        from gloamet.sun.moment import events_of
        from gloamet.sun.site import resolve_zone

        site, moment = self.session.document.site, self.session.moment()
        events = events_of(moment, site.latitude_deg, site.longitude_deg, resolve_zone(site.timezone))
        noon = events.solar_noon
        begin, end = events.sunrise or noon - timedelta(hours=12), events.sunset or noon + timedelta(hours=12)
        first, last = (t.replace(tzinfo=None, second=0) for t in (begin, end))
        self.session.change("sequence", start=first, end=last)

    # -- list

    def _on_document_changed(self, document: Document) -> None:
        if self.playing and not self.session.showing_only:  # an edit ended the playing
            self._stop()
        if self.playing or not (self.isVisible() or self._key is None):
            return
        sun = document.sun
        key = (
            document.sequence,
            document.site,
            sun.driver,
            sun.driver_axis,
            sun.north_deg,
            self.session.loaded.scene is None,
        )
        if key == self._key:
            return
        self._key = key
        self.list.clear()
        self.frames = ()
        try:
            self.frames = sequence_documents(document, self.session.loaded.scene)
            self.problem.setText("")
        except GloametError as error:
            self.problem.setText(str(error))
        self.problem.setVisible(not self.frames)
        self.play.setEnabled(bool(self.frames))
        for number, frame in enumerate(self.frames):
            item = QListWidgetItem(self._icon(frame), self._words(number, frame))
            item.setSizeHint(QSize(200, ICON.height() + 4))
            self.list.addItem(item)

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._on_document_changed(self.session.document)

    def _words(self, number: int, frame: Document) -> str:
        if frame.sun.mode == "driver":
            return (
                f"{number + 1}    {frame.sun.driver_time_s:.2f} s, elevation {frame.sun.elevation_deg:.0f}°"
            )
        wall = frame.sun.wall_time
        return f"{number + 1}    {wall.day} {wall:%b  %H:%M}"

    def _icon(self, frame: Document) -> QIcon:
        icon = self._icons.get(self._look(frame))
        if icon is not None:
            return icon
        return self._blank

    @staticmethod
    def _look(frame: Document) -> Any:
        return frame.sun, frame.stage.view, frame.air, frame.fill

    def _go(self, row: int) -> None:
        if not self.playing and 0 <= row < len(self.frames):
            self.session.change("sun", **self.frames[row].sun.model_dump())

    # -- playing

    def toggle(self) -> None:
        """Play, or stop and come back to where one was."""
        if self.playing:
            self._stop()
        elif self.frames:
            self._before, self.at = self.session.document, -1
            self.play.setText("Stop")
            self._next()

    def _stop(self) -> None:
        self._before = None
        self._patience.stop()
        self.play.setText("Play")
        if self.session.showing_only:
            self.session.preview_document(None)

    def _next(self) -> None:
        if self._before is None or not self.frames or not self.isVisible():
            self._stop()
            return
        self.at = (self.at + 1) % len(self.frames)
        self.list.setCurrentRow(self.at)
        self._patience.start()
        self.session.preview_document(self._before.model_copy(update={"sun": self.frames[self.at].sun}))

    def _on_frame_ready(self, frame: Frame) -> None:
        if frame.document is None or not self.frames:
            return
        for number, wanted in enumerate(self.frames):
            if wanted.sun == frame.document.sun:
                self._keep_icon(number, frame)
        if self.playing and frame.document.sun == self.frames[self.at].sun:
            QTimer.singleShot(0, self._next)

    def _keep_icon(self, number: int, frame: Frame) -> None:
        item = self.list.item(number)
        if item is None:
            return
        h, w = frame.pixels.shape[:2]
        image = QImage(frame.pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        small = image.scaled(
            ICON, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        icon = QIcon(QPixmap.fromImage(small))
        self._icons[self._look(self.frames[number])] = icon
        item.setIcon(icon)
