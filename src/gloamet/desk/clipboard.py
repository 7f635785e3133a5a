# SPDX-License-Identifier: Apache-2.0
"""Paste: coordinates or a date and time from the clipboard."""

from __future__ import annotations

from datetime import date, datetime

from PySide6.QtGui import QGuiApplication

from gloamet.desk.actions.sun_actions import site_fields
from gloamet.desk.state.session import Session
from gloamet.desk.steps.sun.date_time import parse_time
from gloamet.errors import GloametError
from gloamet.sun.site import parse_coordinates, parse_when, zone_name_at

SHOWN_LETTERS = 40  # of a text that cannot be read


def _read(text: str, day: date) -> datetime | tuple[float, float]:
    """A moment, a time of the day, or coordinates. Raises GloametError for other text."""
    try:
        return parse_when(text)
    except GloametError:
        pass
    try:
        return parse_coordinates(text)
    except GloametError:
        return datetime.combine(day, parse_time(text))


def paste(session: Session) -> None:
    """Move the site to coordinates of the clipboard, or the clock to its date and time."""
    text = QGuiApplication.clipboard().text().strip()
    if not text:
        session.noticed.emit(
            "The clipboard holds no text: copy coordinates such as 57.4, 21.5 or a time first.", "note"
        )
        return
    try:
        found = _read(text, session.document.sun.wall_time.date())
        if isinstance(found, datetime):
            if found.tzinfo is not None:
                session.go_to(found)
            else:
                session.change("sun", wall_time=found, mode="almanac")
            session.noticed.emit(f"Clock set to {session.document.sun.wall_time:%d %b %Y, %H:%M}.", "note")
            return
        latitude, longitude = found
        zone = zone_name_at(latitude, longitude)
    except GloametError:
        short = text if len(text) <= SHOWN_LETTERS else text[:SHOWN_LETTERS] + " …"
        session.noticed.emit(
            f"“{short}” is neither coordinates nor a time: copy such as 57.4, 21.5, 18:30 or 2026-06-21 18:30.",
            "warning",
        )
        return
    session.change("site", **site_fields(latitude, longitude, zone))
    session.noticed.emit(f"Site moved to {latitude:.4f}°, {longitude:.4f}°, {zone}.", "note")
