"""Sun: by the almanac of a place, date and time, or placed by hand."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from functools import partial

from PySide6.QtWidgets import QGridLayout, QLineEdit, QWidget

from gloamet.desk.session import Session
from gloamet.desk.widgets.fields import description
from gloamet.desk.widgets.moment import MomentFields, YearStrip
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.place import PlaceField
from gloamet.desk.widgets.small import Choice, Column, label, link
from gloamet.document.model import Document, Site
from gloamet.errors import GloametError
from gloamet.sun.day import DayEvents, day_events
from gloamet.sun.place import format_offset, resolve_zone

LOW_SUN = timedelta(minutes=40)


class Jumps(QWidget):
    """Words that jump to the moments of the day."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._key: tuple[Site, date] | None = None
        self._events: DayEvents | None = None
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        words = (
            ("first light", "Civil dawn: the sun 6° below the horizon.", lambda e: e.civil_dawn),
            ("sunrise", "The upper limb on the horizon.", lambda e: e.sunrise),
            ("early sun", "Forty minutes after sunrise.", lambda e: e.sunrise and e.sunrise + LOW_SUN),
            ("noon", "The sun at its highest.", lambda e: e.solar_noon),
            ("late sun", "Forty minutes before sunset.", lambda e: e.sunset and e.sunset - LOW_SUN),
            ("sunset", "The upper limb on the horizon.", lambda e: e.sunset),
            ("last light", "Civil dusk: the sun 6° below the horizon.", lambda e: e.civil_dusk),
        )
        self.links = []
        for k, (word, tip, find) in enumerate(words):
            item = link(word, tip, partial(self._jump, find))
            self.links.append((item, find))
            grid.addWidget(item, k // 4, k % 4)
        session.document_changed.connect(self._follow)
        self._follow(session.document)

    def _follow(self, document: Document) -> None:
        key = (document.site, document.sun.wall_time.date())
        if key == self._key:
            return
        self._key = key
        site, day = key
        self._events = day_events(day, site.latitude_deg, site.longitude_deg, resolve_zone(site.timezone))
        for item, find in self.links:
            item.setEnabled(find(self._events) is not None)

    def _jump(self, find: Callable[[DayEvents], datetime | None]) -> None:
        instant = find(self._events) if self._events is not None else None
        if instant is not None:
            self.session.go_to(instant)


class SunStep(Column):
    """Place, moment, free sun, north."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.add(Choice(session, "sun", "mode", [("almanac", "Almanac"), ("hand", "By hand")]))
        self.group("Place")
        self.place = PlaceField(session)
        self.where = label("", "note", wrap=True)
        self.zone = QLineEdit()
        self.zone.setToolTip(description("site", "timezone"))
        self.zone.setAccessibleName("Clock")
        self.zone.editingFinished.connect(self._take_zone)
        self.add(self.place)
        self.add(self.where)
        self.add(self.zone)
        self.group("Moment")
        self.add(MomentFields(session))
        self.clock_note = label("", "note", wrap=True)
        self.add(self.clock_note)
        self.add(Jumps(session))
        self.add(YearStrip(session))
        self.group("By hand")
        self.rows = [
            NumberRow(session, "sun", "azimuth_deg", "Azimuth"),
            NumberRow(session, "sun", "elevation_deg", "Height above the horizon", from_zero=True),
        ]
        for row in self.rows:
            self.add(row)
        self.group("North")
        self.add(NumberRow(session, "sun", "north_deg", "Compass turned", from_zero=True))
        self.finish()
        session.document_changed.connect(self._follow)
        self._follow(session.document)

    def _follow(self, document: Document) -> None:
        site, moment = document.site, self.session.moment()
        ns, ew = "N" if site.latitude_deg >= 0 else "S", "E" if site.longitude_deg >= 0 else "W"
        self.where.setText(
            f"{abs(site.latitude_deg):.3f}° {ns}  {abs(site.longitude_deg):.3f}° {ew}   {format_offset(moment.local)}"
            + (", summer time" if moment.local.dst() else "")
        )
        if not self.zone.hasFocus():
            self.zone.setText(site.timezone)
        self.clock_note.setText(moment.note or "")
        self.clock_note.setVisible(bool(moment.note))
        for row in self.rows:
            row.setEnabled(document.sun.mode == "hand")

    def _take_zone(self) -> None:
        text = self.zone.text().strip()
        if text == self.session.document.site.timezone:
            return
        try:
            resolve_zone(text)
            self.session.change("site", timezone=text)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
        self.zone.clearFocus()
        self._follow(self.session.document)
