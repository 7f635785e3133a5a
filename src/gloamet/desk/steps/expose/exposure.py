# SPDX-License-Identifier: Apache-2.0
"""Light: metering, exposure, aperture, shutter, ISO, and white balance."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu

from gloamet.desk.actions import expose_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.expose.camera_row import CameraRow
from gloamet.desk.steps.spot_list import SpotList
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, SegmentedControl, action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.desk.widgets.term_card import TermButton
from gloamet.document.expose import METERINGS
from gloamet.document.model import Document
from gloamet.meter.camera_settings import TYPICAL, Which

OVERCAST_K, LAMP_K = 6500.0, 2850.0  # common practice: a grey sky, and a bulb (CIE illuminant A is 2856 K)
FOLLOWERS: tuple[tuple[Which, str], ...] = (
    ("f_number", "aperture"),
    ("shutter_s", "shutter"),
    ("iso", "ISO"),
)
LOCK_TIP = "Keep the present exposure as a manual one."
UNLOCK_TIP = "Return to the metering before."


class ExposurePage(StepPanel):
    """Exposure, camera, white balance."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Exposure", TermButton("exposure"))
        self.metering = SegmentedControl(session, "expose", "metering", [(way, way) for way in METERINGS], 4)
        self.add(self.metering)
        self.compensation = NumberRow(
            session, "expose", "compensation", "Exposure compensation", from_zero=True
        )
        self.ev = NumberRow(session, "expose", "ev", "Exposure value")
        self.clipped = NumberRow(session, "expose", "allowed_clipping", "Allowed clipping")
        self.spot = ActionRow(
            [("Place spot meter", "Click in the picture to place the spot meter.", self._spot)]
        )
        for item in (self.spot, self.clipped, self.compensation, self.ev):
            self.add(item)
        self.reading = label("", "note")
        self.lock = action_button("Lock exposure", "", self._lock)
        self.lock.setCheckable(True)
        self.typical = action_button("Typical …", "Typical exposure values.", self._open_typical)
        row = pair(self.reading, self.typical)
        row.addSpacing(14)
        row.addWidget(self.lock)
        self.add(row)
        self._add_balance()
        self.group("Camera")
        self.camera = {name: CameraRow(session, name) for name, _ in FOLLOWERS}
        for camera_row in self.camera.values():
            self.add(camera_row)
        self.follows = SegmentedControl(session, "expose", "dependent_setting", FOLLOWERS)
        self.add(pair(label("Computed", "note"), self.follows))
        self.group("Spot readings")
        self.spots = SpotList(session)
        self.add(self.spots)
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        follow(self, session.results.frame_ready, lambda _: self._show_reading())
        self._on_document_changed(session.document)

    def _add_balance(self) -> None:
        session = self.session
        self.group("White balance")
        self.add(Switch(session, "expose", "balance", "White balance on"))
        self.balance = [
            NumberRow(session, "expose", "kelvin", "Colour temperature", theme.DIM, logarithmic=True),
            NumberRow(session, "expose", "tint", "Tint", from_zero=True),
            NumberRow(session, "expose", "warmth_kept", "Warmth kept"),
        ]
        for row in self.balance:
            self.add(row)
        self.whites = ActionRow(
            (
                ("Sunlight", "Balance on the colour of the sun.", lambda: self._white("sun_cct_k")),
                ("Open shade", "Balance on the colour of the sky.", lambda: self._white("sky_cct_k")),
                ("Overcast", f"Balance on {OVERCAST_K:.0f} K.", partial(self._set_white, OVERCAST_K, 0.0)),
                ("Lamp", f"Balance on {LAMP_K:.0f} K.", partial(self._set_white, LAMP_K, 0.0)),
            )
        )
        self.add(self.whites)
        self.grey = ActionRow(
            [
                (
                    "Pick grey",
                    "Click on something neutral in the picture.",
                    lambda: session.state.use_tool("grey"),
                )
            ]
        )
        self.add(self.grey)

    def _on_document_changed(self, document: Document) -> None:
        e = document.expose
        self.compensation.setVisible(e.automatic)
        self.ev.setVisible(not e.automatic)
        self.clipped.setVisible(e.metering == "whites")
        self.spot.setVisible(e.metering == "spot")
        self.lock.setChecked(not e.automatic)
        self.lock.setText("Lock exposure" if e.automatic else "Unlock exposure")
        self.lock.setToolTip(LOCK_TIP if e.automatic else UNLOCK_TIP)
        for row in self.balance:
            row.setEnabled(e.balance)
        self._show_reading()

    def _show_reading(self) -> None:
        frame, e = self.session.results.frame, self.session.document.expose
        if frame is None:
            return
        meter = (
            f", meter {frame.meter_ev:.2f}" if e.automatic and abs(frame.ev - frame.meter_ev) > 0.01 else ""
        )
        self.reading.setText(f"EV {frame.ev:.2f}{meter}".replace("-", "−"))

    def _spot(self) -> None:
        self.session.state.use_tool("exposure spot")

    def _lock(self) -> None:
        expose_actions.lock_exposure(self.session, self.session.document.expose.automatic)
        self._on_document_changed(self.session.document)

    def typical_menu(self) -> QMenu:
        """Usual exposures, from bright to dark."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for light in TYPICAL:
            text = f"EV {light.ev:g}\t{light.description}".replace("-", "−")
            menu.addAction(text, partial(self.session.change, "expose", metering="manual", ev=light.ev))
        return menu

    def _open_typical(self) -> None:
        self.typical_menu().popup(self.typical.mapToGlobal(self.typical.rect().bottomLeft()))

    def _white(self, name: str) -> None:
        light = self.session.results.light
        kelvin = getattr(light.reading, name) if light is not None else float("nan")
        if kelvin == kelvin:
            self._set_white(kelvin, 0.0)
        else:
            self.session.noticed.emit(
                "There is no sunlight to balance on: the sun is below the horizon.", "note"
            )

    def _set_white(self, kelvin: float, tint: float) -> None:
        held = min(max(kelvin, 2000.0), 15000.0)
        self.session.change("expose", balance=True, kelvin=held, tint=tint)
