# SPDX-License-Identifier: Apache-2.0
"""Manual: a free sun, whether it occurs here, a driver from the model, the disc, and the moon."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from PySide6.QtWidgets import QComboBox

from gloamet.desk.actions import sun_actions
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import NumberField, number_field
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, SegmentedControl, action_button, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.desk.widgets.term_card import TermButton
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.stage.sun_drivers import motion_span_s, sun_drivers
from gloamet.sun.angles import penumbra_m
from gloamet.sun.moon import moon_at

PENUMBRA_AT_M = (1.0, 4.0, 20.0)
REAL_DEG, NEAR_DEG = 0.27, 3.0  # the same sun for every shadow; still one a viewer would believe
AXES = (("along", "Along its axis"), ("opposite", "Opposite its axis"), ("up", "Along its up axis"))


@dataclass(frozen=True)
class SunField(NumberField):
    """A direction of the present sun, also while the almanac sets it."""

    now: Callable[[], float] = float

    def value(self, document: Document) -> float:
        return self.now()


class Mode(SegmentedControl):
    """What sets the sun; switching to manual keeps its position."""

    session: Session

    def choose(self, value: str) -> None:
        actions = {
            "almanac": sun_actions.back_to_almanac,
            "manual": sun_actions.take_by_hand,
            "driver": sun_actions.follow_driver,
        }
        actions[value](self.session)
        self._on_document_changed(self.session.document)


def length_text(metres: float) -> str:
    """A length in the unit one would say it in.

    >>> length_text(0.0037), length_text(0.037), length_text(1.4)
    ('4 mm', '4 cm', '1.4 m')
    """
    if metres < 0.01:
        return f"{1000 * metres:.0f} mm"
    return f"{100 * metres:.0f} cm" if metres < 1.0 else f"{metres:.1f} m"


class HandPage(StepPanel):
    """Everything but the clock."""

    def __init__(self, session: Session, aimer: AimController) -> None:
        super().__init__(session)
        self.aimer = aimer
        self.group("Set by")
        self.add(
            Mode(session, "sun", "mode", [("almanac", "Almanac"), ("manual", "Manual"), ("driver", "Driver")])
        )
        self.group("Position")
        self.rows = [
            self._row("azimuth_deg", "Azimuth", 0),
            self._row("elevation_deg", "Elevation", 1),
        ]
        for row in self.rows:
            self.add(row)
        lead, beam = (partial(session.state.use_tool, tool) for tool in ("lead", "beam"))
        self.add(
            ActionRow(
                [
                    ("Drag in the picture", "Drag in the picture: the sun follows the pointer.", lead),
                    ("Drag a shadow", "Press on a point that casts a shadow and drag the shadow.", beam),
                ]
            )
        )
        self.truth = label("", "note", wrap=True)
        self.real = action_button(
            "Go there", "Set date and time to this moment and return to the almanac.", self._go
        )
        self.add(self.truth)
        self.add(self.real)
        self.group("Driver")
        self.driver = QComboBox()
        self.driver.setToolTip(description("sun", "driver"))
        self.driver.setAccessibleName("Driver of the sun")
        self.driver.activated.connect(self._choose_driver)
        self.add(self.driver)
        self.axis = SegmentedControl(session, "sun", "driver_axis", AXES)
        for value, _ in AXES:
            self.axis.buttons[value].clicked.connect(lambda *_: sun_actions.follow_driver(session))
        self.add(self.axis)
        self.moment = NumberRow(session, "sun", "driver_time_s", "Time in its animation", write=self._lead_at)
        self.add(self.moment)
        self.none = label("The model has no distant light, camera or empty.", "note", wrap=True)
        self.add(self.none)
        self.group("Sun disc", TermButton("penumbra"))
        self.add(NumberRow(session, "sun", "diameter_deg", "Angular diameter", theme.SUN, logarithmic=True))
        self.penumbra = label("", "note", wrap=True)
        self.add(self.penumbra)
        self.group("Night")
        self.add(Switch(session, "sun", "moon", "Moonlight"))
        self.moon = label("", "note", wrap=True)
        self.add(self.moon)
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        session.loaded.scene_loaded.connect(lambda _: self._list_drivers())
        aimer.placed.connect(self._show_nearest)
        self._list_drivers()
        self._on_document_changed(session.document)

    def _row(self, name: str, text: str, which: int) -> NumberRow:
        plain = number_field("sun", name)
        field = SunField(**{**plain.__dict__, "now": lambda: sun_actions.sun_now(self.session)[which]})

        def write(value: float, key: str | None) -> None:
            azimuth, elevation = sun_actions.sun_now(self.session)
            here = {"azimuth_deg": azimuth % 360.0, "elevation_deg": max(elevation, -20.0), name: value}
            self.session.change("sun", key, mode="manual", **here)

        return NumberRow(self.session, "sun", name, text, from_zero=which == 1, field=field, write=write)

    # -- whether it happens

    def _show_nearest(self) -> None:
        document, nearest = self.session.document, self.aimer.nearest
        free = document.sun.mode != "almanac"
        self.truth.setVisible(free)
        self.real.setVisible(free and nearest is not None)
        if not free:
            return
        if document.sun.elevation_deg < -0.6:
            self.truth.setText("Below the horizon: no direct sun.")
            self.real.hide()
        elif nearest is None:
            self.truth.setText("Searching for a date …")
        else:
            when = f"{nearest.when.day} {nearest.when:%b %H:%M}"
            if nearest.error_deg <= REAL_DEG:
                text = f"Occurs on {when}."
            elif nearest.error_deg <= NEAR_DEG:
                text = f"Nearly on {when}, {nearest.error_deg:.1f}° away."
            else:
                text = f"Does not occur at this latitude. Nearest: {when}, {nearest.error_deg:.0f}° away."
            self.truth.setText(text)

    def _go(self) -> None:
        if self.aimer.nearest is not None:
            sun_actions.go_real(self.session, self.aimer.nearest)

    # -- follow

    def _list_drivers(self) -> None:
        scene = self.session.loaded.scene
        found = sun_drivers(scene) if scene is not None else {}
        self.driver.clear()
        self.driver.addItem("None", "")
        for name, kind in found.items():
            self.driver.addItem(f"{name}, {kind}", name)
        for widget in (self.driver, self.axis):
            widget.setVisible(bool(found))
        self.none.setVisible(not found)
        self._on_document_changed(self.session.document)

    def _choose_driver(self, index: int) -> None:
        name = str(self.driver.itemData(index))
        if name:
            sun_actions.follow_driver(self.session, driver=name)
        else:
            self.session.change("sun", mode="manual", driver="")

    def _lead_at(self, value: float, key: str | None) -> None:
        sun_actions.follow_driver(self.session, key, driver_time_s=value)

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._on_document_changed(self.session.document)

    def _on_document_changed(self, document: Document) -> None:
        if not self.isVisible():
            return
        sun, scene = document.sun, self.session.loaded.scene
        at = self.driver.findData(sun.driver)
        self.driver.setCurrentIndex(max(at, 0))
        first, last = motion_span_s(scene, sun.driver) if scene is not None else (0.0, 0.0)
        self.moment.setVisible(last > first)
        if last > first:
            self.moment.field = replace(self.moment.field, low=first, high=last)
        edges = [f"{length_text(penumbra_m(sun.diameter_deg, d))} at {d:g} m" for d in PENUMBRA_AT_M]
        self.penumbra.setText(f"Penumbra width {', '.join(edges)} from the caster.")
        second, site = self.session.moment().instant.timestamp(), document.site
        moon = moon_at(second, site.latitude_deg, site.longitude_deg)
        up = f"elevation {moon.elevation_deg:.0f}°" if moon.elevation_deg > 0 else "below the horizon"
        self.moon.setText(f"{moon.phase.capitalize()}, {100 * moon.lit:.0f} % lit, {up}.")
        self._show_nearest()
