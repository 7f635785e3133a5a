# SPDX-License-Identifier: Apache-2.0
"""Date and time: two fields to type in."""

from __future__ import annotations

import re
from datetime import date, datetime, time

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from gloamet.desk.actions import sun_actions
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.document.metadata import description
from gloamet.errors import GloametError

MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


def parse_date(text: str, year: int) -> date:
    """A date as typed: 2026-05-24, 24 May 2026, May 24, 24.5.2026; the year may be left out.

    >>> parse_date("24 may", 2026)
    datetime.date(2026, 5, 24)
    """
    tokens = re.findall(r"\d+|[^\W\d_]+", text.casefold())
    try:
        named = [MONTHS.index(w[:3]) + 1 for w in tokens if w[:3] in MONTHS]
        numbers = [int(w) for w in tokens if w.isdigit()]
        if named and len(numbers) in (1, 2):
            day = next(n for n in numbers if n <= 31)
            years = [n for n in numbers if n > 31] or [year]
            return date(years[0], named[0], day)
        if len(numbers) == 3 and numbers[0] > 31:
            return date(*numbers)
        if len(numbers) >= 2 and not named:
            return date(numbers[2] if len(numbers) == 3 else year, numbers[1], numbers[0])
    except (ValueError, StopIteration) as error:
        raise GloametError(f"“{text.strip()}” is not a day of the calendar ({error}).") from None
    raise GloametError(f"“{text.strip()}” is not a date: write it like 24 May 2026.")


def parse_time(text: str) -> time:
    """A clock time as typed: 14:35, 1435, 9, 2:35 pm.

    >>> parse_time("2:35 pm")
    datetime.time(14, 35)
    """
    match = re.fullmatch(r"\s*(\d{1,2})(?:[:.h ]?(\d{2}))?\s*(am|pm)?\s*", text.casefold())
    if match is None:
        raise GloametError(f"“{text.strip()}” is not a time: write it like 14:35.")
    hour, minute = int(match[1]), int(match[2] or 0)
    if match[3]:
        hour = hour % 12 + (12 if match[3] == "pm" else 0)
    if hour > 23 or minute > 59:
        raise GloametError(f"“{text.strip()}” is not a time of the day.")
    return time(hour, minute)


def date_text(day: date) -> str:
    """A date as the desk writes it.

    >>> date_text(date(2026, 5, 4))
    '4 May 2026'
    """
    return f"{day.day} {MONTHS[day.month - 1].capitalize()} {day.year}"


class DateTimeFields(QWidget):
    """The date and the time, large, typed in place."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.day, self.clock = QLineEdit(), QLineEdit()
        for edit, name in ((self.day, "Date"), (self.clock, "Time")):
            edit.setFont(theme.font(theme.HUGE, True))
            edit.setProperty("role", "huge")
            edit.setFrame(False)
            edit.setTextMargins(-2, 0, -2, 0)
            edit.setAccessibleName(name)
            edit.setToolTip(description("sun", "wall_time"))
        self.clock.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.clock.setFixedWidth(72)
        row.addWidget(self.day, 1)
        row.addWidget(self.clock)
        self.day.editingFinished.connect(self._on_day_edited)
        self.clock.editingFinished.connect(self._on_clock_edited)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed()

    def _on_document_changed(self, *_: object) -> None:
        wall = self.session.moment().local
        if not self.day.hasFocus():
            self.day.setText(date_text(wall.date()))
        if not self.clock.hasFocus():
            self.clock.setText(f"{wall:%H:%M}")

    def _set_wall_time(self, wall: datetime) -> None:
        if wall != self.session.document.sun.wall_time:
            self.session.change("sun", wall_time=wall, mode="almanac")

    def _on_day_edited(self) -> None:
        wall = self.session.document.sun.wall_time
        self.day.clearFocus()
        try:
            day = parse_date(self.day.text(), wall.year)
            if day != wall.date():
                sun_actions.go_date(self.session, day)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
        self._on_document_changed()

    def _on_clock_edited(self) -> None:
        wall = self.session.document.sun.wall_time
        self.clock.clearFocus()
        try:
            self._set_wall_time(datetime.combine(wall.date(), parse_time(self.clock.text())))
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
        self._on_document_changed()
