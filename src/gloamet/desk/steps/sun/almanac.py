# SPDX-License-Identifier: Apache-2.0
"""Almanac: site, date and time, year cloth, and north."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from gloamet.desk.actions import sun_actions
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.instruments.world_map import WorldMap
from gloamet.desk.instruments.year_cloth import MEASURES, YearCloth
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.steps.sun.date_time import DateTimeFields
from gloamet.desk.steps.sun.moments_of_day import ClockSteps, DayMoments
from gloamet.desk.steps.sun.site import SiteField
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, Segments, action_button, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Toggle
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.document.parsing import read_azimuth
from gloamet.errors import GloametError
from gloamet.sun.climate import altitude_m
from gloamet.sun.site import format_offset, resolve_zone

SEASON_WORDS = {
    "spring": "March equinox",
    "midsummer": "June solstice",
    "autumn": "September equinox",
    "midwinter": "December solstice",
}


class AzimuthField(QWidget):
    """The bearing a picked wall looks towards, to be typed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.edit = QLineEdit()
        self.edit.setFixedWidth(84)
        self.edit.setAccessibleName("Azimuth of the wall")
        self.edit.setToolTip("The azimuth this wall faces, clockwise from north; north is rotated to fit.")
        row.addWidget(label("Wall azimuth"))
        row.addStretch(1)
        row.addWidget(self.edit)
        self.edit.editingFinished.connect(self._on_edited)
        session.state.wall_picked.connect(self._picked)
        session.document_changed.connect(lambda _: self._show())
        self.hide()

    def _picked(self) -> None:
        self.show()
        self._show()
        self.edit.setFocus(Qt.FocusReason.OtherFocusReason)
        self.edit.selectAll()

    def _show(self) -> None:
        if self.session.state.wall is not None and not self.edit.hasFocus():
            self.edit.setText(f"{sun_actions.wall_azimuth(self.session, self.session.state.wall):.1f}°")

    def _on_edited(self) -> None:
        try:
            bearing = read_azimuth(self.edit.text())
        except GloametError:
            message = self.edit.text().strip()
            self.session.noticed.emit(
                f"“{message}” is not an azimuth: write degrees from north, like 95.", "warning"
            )
            return
        self.edit.clearFocus()
        if (
            self.session.state.wall is not None
            and abs(bearing - sun_actions.wall_azimuth(self.session, self.session.state.wall)) > 0.04
        ):
            sun_actions.set_north_from_wall(self.session, self.session.state.wall, bearing)
        self._show()


class AlmanacPage(StepPanel):
    """Place, moment, year, north."""

    def __init__(self, session: Session, aimer: AimController) -> None:
        super().__init__(session)
        back = partial(sun_actions.back_to_almanac, session)
        self.freed = action_button(
            "Return to the almanac", "The sun is placed manually. Return to the sun of date and time.", back
        )
        self.group("Date and time")
        self.add(self.freed)
        self.add(DateTimeFields(session))
        self.clock_note = label("", "note", wrap=True)
        self.add(self.clock_note)
        self.add(ClockSteps(session))
        self.cloth = YearCloth(session, aimer)
        self.add(self.cloth)
        self.measures = Segments(list(MEASURES.items()))
        self.measures.group.idClicked.connect(lambda k: self.show_measure(tuple(MEASURES)[k]))
        self.add(self.measures)
        self.group("This day")
        self.moments = DayMoments(session)
        self.add(self.moments)
        self.seasons = ActionRow(
            [
                ("Now", "Set the date and time of this computer.", partial(sun_actions.go_now, session)),
                *(
                    (word, f"{name}, at this clock time.", partial(self._season, name))
                    for word, name in SEASON_WORDS.items()
                ),
            ]
        )
        self.add(self.seasons)
        self.keep = Toggle("Keep elevation when the date changes")
        self.keep.setToolTip(
            "When the date changes, choose the clock time at which the sun has the same elevation."
        )
        self.keep.toggled.connect(self._keep_elevation)
        self.add(self.keep)
        self._place(session)
        self.group("North")
        self.add(NumberRow(session, "sun", "north_deg", "North", from_zero=True))
        self.add(NumberRow(session, "stage", "rotation_deg", "Model rotation", from_zero=True))
        wall = partial(session.state.use_tool, "wall")
        self.add(
            ActionRow([("Pick a wall", "Click a wall in the picture and type the azimuth it faces.", wall)])
        )
        self.bearing = AzimuthField(session)
        self.add(self.bearing)
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        aimer.scanned.connect(self._scanned)
        self.aimer = aimer
        self.show_measure("sky")
        self._on_document_changed(session.document)

    def _place(self, session: Session) -> None:
        self.group("Site")
        self.site_field = SiteField(session)
        self.map = WorldMap(session)
        self.map.picked.connect(self.site_field.go)
        self.where = label("", "note", wrap=True)
        self.zone = QLineEdit()
        self.zone.setToolTip(description("site", "timezone"))
        self.zone.setAccessibleName("Time zone")
        self.zone.editingFinished.connect(self._on_zone_edited)
        for widget in (self.site_field, self.map, self.where, self.zone):
            self.add(widget)
        self.add(NumberRow(session, "site", "altitude_m", "Altitude", from_zero=True))
        self.high = action_button("", "Set the mean altitude of the land here.", self._use_usual_altitude)
        self.typical = action_button(
            "", "Set this turbidity in the Air step.", lambda: sun_actions.use_usual_turbidity(session)
        )
        for item in (self.high, self.typical):
            self.add(item)

    def show_measure(self, measure: str) -> None:
        """What the year cloth is painted with."""
        self.cloth.show_measure(measure)
        for word, item in zip(MEASURES, self.measures.pieces, strict=True):
            item.setChecked(word == measure)

    def _scanned(self) -> None:
        if self.aimer.reach is not None:
            self.show_measure("sunlit")
        elif self.cloth.measure == "sunlit" and not self.aimer.scanning:
            self.show_measure("sky")

    def _keep_elevation(self, on: bool) -> None:
        self.session.state.keep_elevation = on

    def _season(self, name: str) -> None:
        sun_actions.go_date(self.session, sun_actions.season_day(self.session, name))

    def _usual_altitude(self, document: Document) -> float:
        return altitude_m(document.site.latitude_deg, document.site.longitude_deg)

    def _use_usual_altitude(self) -> None:
        self.session.change("site", altitude_m=round(self._usual_altitude(self.session.document)))

    def _on_document_changed(self, document: Document) -> None:
        site, moment = document.site, self.session.moment()
        self.freed.setVisible(document.sun.mode != "almanac")
        ns, ew = "N" if site.latitude_deg >= 0 else "S", "E" if site.longitude_deg >= 0 else "W"
        self.where.setText(
            f"{abs(site.latitude_deg):.3f}° {ns}  {abs(site.longitude_deg):.3f}° {ew}   {format_offset(moment.local)}"
            + (", summer time" if moment.local.dst() else "")
        )
        if not self.zone.hasFocus():
            self.zone.setText(site.timezone)
        self.clock_note.setText(moment.note or "")
        self.clock_note.setVisible(bool(moment.note))
        high, usual = self._usual_altitude(document), sun_actions.usual_turbidity(document)
        self.high.setText(f"Land altitude here: about {high:.0f} m")
        self.high.setVisible(abs(high - site.altitude_m) > 40.0)
        self.typical.setText(usual.label)
        self.typical.setVisible(abs(usual.turbidity - document.air.turbidity) > 0.05)

    def _on_zone_edited(self) -> None:
        text = self.zone.text().strip()
        if text == self.session.document.site.timezone:
            return
        try:
            resolve_zone(text)
            self.session.change("site", timezone=text)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
        self.zone.clearFocus()
        self._on_document_changed(self.session.document)
