# SPDX-License-Identifier: Apache-2.0
"""Moments of the day as rows with their times, and steps of the clock by units.

The document's site and date enter; a click sets the clock.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from functools import partial

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton, QWidget

from gloamet.desk.actions import sun_actions
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ToolButton, label, sentence
from gloamet.document.model import Document, SiteState
from gloamet.sun.day import DayEvents, day_events
from gloamet.sun.nearest import instant_of_elevation
from gloamet.sun.site import resolve_zone

MOMENT_HEIGHT, MOMENT_PAD = 21, 6
STEP_ICON = QSize(11, 11)
PRESENT = timedelta(seconds=45)  # a clock without seconds is at the moment
LOW_SUN_DEG, BLUE_DEG = 3.0, -5.0  # middle of 0 to 6 degrees; of -4 to -6 (common practice)
Find = Callable[[DayEvents, "DayMoments"], datetime | None]


def _between(a: datetime | None, b: datetime | None) -> datetime | None:
    return None if a is None or b is None else a + (b - a) / 2


# word, what it is, how it is found
JUMPS: tuple[tuple[str, str, Find], ...] = (
    ("night ends", "Astronomical dawn: the sun 18° below the horizon.", lambda e, _: e.astronomical_dawn),
    ("nautical dawn", "The sun 12° below the horizon.", lambda e, _: e.nautical_dawn),
    ("civil dawn", "The sun 6° below the horizon.", lambda e, _: e.civil_dawn),
    (
        "blue hour",
        "Before sunrise, the sun 5° below the horizon.",
        lambda e, j: j.at_elevation(BLUE_DEG, True),
    ),
    ("sunrise", "The upper limb on the horizon.", lambda e, _: e.sunrise),
    ("low sun", "In the morning, the sun 3° high.", lambda e, j: j.at_elevation(LOW_SUN_DEG, True)),
    ("mid-morning", "Midway between sunrise and noon.", lambda e, _: _between(e.sunrise, e.solar_noon)),
    ("noon", "Solar noon: the sun at its highest.", lambda e, _: e.solar_noon),
    ("mid-afternoon", "Midway between noon and sunset.", lambda e, _: _between(e.solar_noon, e.sunset)),
    ("low sun ", "In the evening, the sun 3° high.", lambda e, j: j.at_elevation(LOW_SUN_DEG, False)),
    ("sunset", "The upper limb on the horizon.", lambda e, _: e.sunset),
    (
        "blue hour ",
        "After sunset, the sun 5° below the horizon.",
        lambda e, j: j.at_elevation(BLUE_DEG, False),
    ),
    ("civil dusk", "The sun 6° below the horizon.", lambda e, _: e.civil_dusk),
    ("nautical dusk", "The sun 12° below the horizon.", lambda e, _: e.nautical_dusk),
    ("night begins", "Astronomical dusk: the sun 18° below the horizon.", lambda e, _: e.astronomical_dusk),
)


class MomentRow(QPushButton):
    """A moment of the day: its name and its time; marked while the clock is there, off on days without it."""

    def __init__(self, name: str, tip: str, act: Callable[[], object]) -> None:
        super().__init__(sentence(name.strip()))
        self.setProperty("role", "moment")
        self.setFixedHeight(MOMENT_HEIGHT)
        self.setToolTip(tip)
        self.time = ""
        self.present = False
        self.clicked.connect(lambda: act())

    def show_time(self, local: datetime | None, present: bool) -> None:
        """Show a local time, None on a day without this moment."""
        time = "–" if local is None else f"{local:%H:%M}"
        if (time, present) != (self.time, self.present):
            self.time, self.present = time, present
            self.setEnabled(local is not None)
            self.setAccessibleDescription(time)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        """The row: lit while present or under the pointer."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        on, pointed = self.isEnabled(), self.underMouse() and self.isEnabled()
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        p.setPen(QColor(theme.FOCUS) if self.hasFocus() else Qt.PenStyle.NoPen)
        if self.present or pointed:
            p.setBrush(QColor(theme.RAISED if self.present else theme.ACTION))
        if self.present or pointed or self.hasFocus():
            p.drawRoundedRect(box, 3, 3)
        text = box.adjusted(MOMENT_PAD, 0, -MOMENT_PAD, 0)
        p.setFont(theme.font(theme.NOTE, self.present))
        p.setPen(QColor(theme.INK if on else theme.OFF))
        p.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.text())
        p.setPen(QColor((theme.INK if self.present else theme.DIM) if on else theme.OFF))
        p.drawText(text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.time)
        p.end()


class DayMoments(QWidget):
    """The moments of the day in two columns: up to noon, and after it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._key: tuple[SiteState, date] | None = None
        self.found: dict[str, datetime | None] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(0)
        self.rows: dict[str, MomentRow] = {}
        half = (len(JUMPS) + 1) // 2
        for k, (word, tip, _find) in enumerate(JUMPS):
            self.rows[word] = MomentRow(word, tip, partial(self._jump, word))
            grid.addWidget(self.rows[word], k % half, k // half)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def at_elevation(self, elevation_deg: float, rising: bool) -> datetime | None:
        """The time of the day at which the sun has an elevation, None on days without it."""
        assert self._key is not None
        site, day = self._key
        zone = resolve_zone(site.timezone)
        return instant_of_elevation(day, elevation_deg, rising, site.latitude_deg, site.longitude_deg, zone)

    def _on_document_changed(self, document: Document) -> None:
        if not (self.isVisible() or self._key is None):
            return
        key = (document.site, document.sun.wall_time.date())
        if key != self._key:
            self._key = key
            site, day = key
            events = day_events(day, site.latitude_deg, site.longitude_deg, resolve_zone(site.timezone))
            self.found = {word: find(events, self) for word, _tip, find in JUMPS}
        zone, now = resolve_zone(document.site.timezone), self.session.moment().local
        almanac = document.sun.mode == "almanac"
        for word, row in self.rows.items():
            instant = self.found[word]
            local = None if instant is None else instant.astimezone(zone)
            row.show_time(local, local is not None and almanac and abs(local - now) < PRESENT)

    def showEvent(self, event: object) -> None:  # noqa: N802
        """Catch up with what changed while hidden."""
        self._on_document_changed(self.session.document)

    def _jump(self, word: str) -> None:
        instant = self.found.get(word)
        if instant is not None:
            self.session.go_to(instant)


class ClockSteps(QWidget):
    """A unit of time with a step back and a step forward, five in a row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
        row.setSpacing(2)
        self.buttons: dict[tuple[str, int], ToolButton] = {}
        for unit, short in (
            ("minute", "min"),
            ("hour", "hour"),
            ("day", "day"),
            ("week", "week"),
            ("month", "month"),
        ):
            group = QFrame()
            group.setProperty("role", "stepper")
            inner = QHBoxLayout(group)
            inner.setContentsMargins(0, 0, 0, 0)
            inner.setSpacing(0)
            for sign, name, where in ((-1, "chevron-left", "back"), (1, "chevron-right", "forward")):
                tip = f"One {unit} {where}."
                button = ToolButton(tip[:-1], tip, name, partial(sun_actions.step, session, unit, sign))
                button.setProperty("role", "step-end")
                button.setIconSize(STEP_ICON)
                self.buttons[unit, sign] = button
                inner.addWidget(button)
                if sign < 0:
                    inner.addWidget(label(short, "note"))
            row.addWidget(group)
