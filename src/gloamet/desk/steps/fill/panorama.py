# SPDX-License-Identifier: Apache-2.0
"""Panorama: its file and folder, orientation, illuminance, roles, and its sun."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from gloamet.desk.actions import panorama_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.fill.panorama_list import PanoramaList
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import number_field
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.demo import PANORAMAS
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.preview.events import LightSolved, PanoramaSolved

SHIPPED = "evening.exr"


def sun_label(solved: PanoramaSolved) -> str:
    """What is known of a panorama's sun."""
    if solved.sun_deg is None:
        return "No sun was found in the panorama: pick it in the picture, or use the panorama without a sun."
    azimuth, elevation = solved.sun_deg
    text = f"Its sun: elevation {elevation:.1f}°, azimuth {azimuth % 360.0:.1f}°".replace("-", "−")
    if solved.removed_lx > 0.0:
        return f"{text}, removed: {solved.removed_lx:.0f} lx horizontal less."
    text += f", {solved.sun_lx:.0f} lx horizontal."
    return f"{text} The file is clipped: its sun is too dim." if solved.clipped else text


def fraction_labels(light: LightSolved) -> str:
    """Who gives how much of the horizontal illuminance."""
    r = light.reading
    given = {"sun": r.sun_horizontal_lx, "sky": r.sky_horizontal_lx, "panorama": r.panorama_horizontal_lx}
    whole = max(sum(given.values()), 1e-9)
    fractions = ", ".join(f"{name} {100.0 * lx / whole:.0f} %" for name, lx in given.items())
    return f"Horizontal illuminance: {fractions}."


class PanoramaPage(StepPanel):
    """Everything about it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Panorama")
        self.named = label("", wrap=True)
        self.named.setToolTip(description("panorama", "file"))
        self.action_row = ActionRow(
            (
                ("Choose …", description("panorama", "file"), self.ask_panorama),
                ("Remove", "Remove the panorama; sun, sky and lamps light the scene.", lambda: self.take("")),
            )
        )
        self.shipped = ActionRow(
            (
                (
                    "Evening over the flats",
                    "A panorama that ships with the program: a low sun, clouds and a far shore.",
                    lambda: self.take(str(PANORAMAS / SHIPPED)),
                ),
            )
        )
        self.list = PanoramaList(session, self.take)
        self.notes = label("", "note", wrap=True)
        for item in (self.named, self.action_row, self.shipped, self.list, self.notes):
            self.add(item)
        self._rest: list[QWidget] = []
        self._add_placing()
        self._add_level()
        self._add_sun()
        self._add_roles()
        self.finish()
        follow(self, session.results.light_solved, self._on_light_solved)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)
        if session.results.light is not None:
            self._on_light_solved(session.results.light)

    def _head(self, title: str) -> None:
        self.group(title)
        self._rest.append(self.heads[title])

    def _place(self, *items: QWidget) -> None:
        for item in items:
            self.add(item)
            self._rest.append(item)

    def _number(self, name: str, title: str, from_zero: bool = True, logarithmic: bool = False) -> NumberRow:
        return NumberRow(
            self.session,
            "panorama",
            name,
            title,
            theme.PANORAMA,
            logarithmic=logarithmic,
            from_zero=from_zero,
        )

    def _add_placing(self) -> None:
        self._head("Orientation")
        field = number_field("panorama", "rotation_deg")
        self.turn = NumberRow(
            self.session,
            "panorama",
            "rotation_deg",
            "Rotation",
            theme.PANORAMA,
            from_zero=True,
            field=field,
            write=lambda value, key: panorama_actions.turn_to(self.session, value, key),
        )
        self._place(self.turn, self._number("tilt_deg", "Tilt"))
        self._place(self._number("elevation_scale", "Elevation scale", from_zero=False, logarithmic=True))
        self._place(Switch(self.session, "panorama", "mirrored", "Mirror horizontally"))

    def _add_level(self) -> None:
        self._head("Illuminance")
        field = replace(number_field("panorama", "illuminance_lx"), labels=(("As in the file", 0.0),))
        self.level = NumberRow(
            self.session, "panorama", "illuminance_lx", "Illuminance", theme.PANORAMA, field=field
        )
        self.by_sky = Switch(self.session, "panorama", "illuminance_from_sky", "Match the physical sky")
        self.fractions = label("", "note", wrap=True)
        self.fractions.setToolTip("Fractions of the horizontal illuminance without shade.")
        self._place(self.level, self.by_sky, self.fractions)

    def _add_sun(self) -> None:
        self._head("Sun of the panorama")
        self.sun_said = label("", "note", wrap=True)
        session = self.session
        self.finding = ActionRow(
            (
                (
                    "Use found sun",
                    "Store the position where the sun was found.",
                    lambda: panorama_actions.confirm_sun(session),
                ),
                (
                    "Pick in the picture",
                    "Click the sun of the panorama in the picture.",
                    lambda: session.state.use_tool("panorama sun"),
                ),
            )
        )
        self.match = ActionRow(
            (
                (
                    "Match sun",
                    "Move the physical sun to the sun of the panorama (manual sun).",
                    lambda: panorama_actions.match_sun(session),
                ),
                (
                    "Rotate to the sun",
                    "Rotate the panorama until its sun has the azimuth of the physical sun.",
                    lambda: panorama_actions.turn_to_sun(session),
                ),
            )
        )
        self.dates = ActionRow(
            (
                (
                    "Nearest real moment",
                    "Set the date and time of this year at which the real sun is nearest to it.",
                    lambda: panorama_actions.match_moment(session),
                ),
            )
        )
        self.lock = Switch(session, "panorama", "locked_to_sun", "Lock sun and panorama together")
        self.lift = Switch(session, "panorama", "sun_removed", "Remove its sun")
        self.give = ActionRow(
            (
                (
                    "Give its light to the sun",
                    "Raise the physical sun by the removed light, so that the total stays the same.",
                    lambda: panorama_actions.give_to_sun(session),
                ),
            )
        )
        self._place(self.sun_said, self.finding, self.match, self.dates, self.lock, self.lift, self.give)

    def _add_roles(self) -> None:
        self._head("Visible in")
        for name, text in (
            ("lights_scene", "Lights the scene"),
            ("in_reflections", "Reflections and glass"),
            ("as_background", "Background"),
        ):
            self._place(Switch(self.session, "panorama", name, text))
        self._place(self._number("blur_deg", "Blur for lighting", from_zero=False))
        self.behind = label("", "note", wrap=True)
        self.other = ActionRow(
            (
                ("Other background …", description("panorama", "background_file"), self.ask_behind),
                ("Same panorama", "Use the lighting panorama as background.", lambda: self._set_behind("")),
            )
        )
        self._place(self.behind, self.other)

    # -- files

    def _ask(self, title: str) -> str:
        from gloamet.sky.environment_map import ENDINGS

        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        start = str(Path(self.session.document.panorama.file).parent)
        name, _ = QFileDialog.getOpenFileName(self, title, start, f"Lat-long pictures of light ({kinds})")
        return name

    def ask_panorama(self) -> None:
        """Choose the file."""
        if name := self._ask("Panorama"):
            self.take(name)

    def ask_behind(self) -> None:
        """Choose the file that is seen behind."""
        if name := self._ask("Background panorama"):
            self._set_behind(name)

    def _set_behind(self, name: str) -> None:
        self.session.change("panorama", None, background_file=name)

    def take(self, name: str) -> None:
        """Light the scene by a file too, or by none; its own sun is another one then."""
        panorama_actions.use_file(self.session, name)

    # -- what is shown

    def _on_light_solved(self, light: LightSolved) -> None:
        solved = light.panorama
        self.notes.setText("" if solved is None else " ".join(solved.notes))
        self.notes.setVisible(bool(self.notes.text()))
        if solved is None:
            return
        self.fractions.setText(fraction_labels(light))
        self.sun_said.setText(sun_label(solved))
        has_sun = solved.sun_deg is not None
        for row in (self.match, self.dates, self.lock, self.lift):
            row.setEnabled(has_sun)
        self.finding.buttons[0].setVisible(has_sun and not self.session.document.panorama.sun_found)
        self.give.setVisible(solved.removed_lx > 0.0)

    def _on_document_changed(self, document: Document) -> None:
        p = document.panorama
        for item in self._rest:
            item.setVisible(bool(p.file))
        self.action_row.buttons[1].setVisible(bool(p.file))
        self.list.setVisible(bool(p.file))
        self.shipped.setVisible(not p.file)
        self.named.setText(
            Path(p.file).name if p.file else "No panorama. A panorama adds its light to sun and sky."
        )
        self.named.setProperty("role", "" if p.file else "note")
        self.named.style().polish(self.named)
        self.level.setEnabled(not p.illuminance_from_sky)
        self.give.setVisible(bool(p.file) and p.sun_removed)
        self.behind.setText(f"Background: {Path(p.background_file).name}" if p.background_file else "")
        self.behind.setVisible(bool(p.file and p.background_file))
        self.other.buttons[1].setVisible(bool(p.background_file))
