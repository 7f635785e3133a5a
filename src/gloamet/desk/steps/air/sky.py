# SPDX-License-Identifier: Apache-2.0
"""Adjustments of the sky, and the background behind the scene."""

from __future__ import annotations

from gloamet.desk.picture.wipe import CompareButton
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourField
from gloamet.desk.widgets.curve import CurveEditor
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import SegmentedControl, action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.document.air import SkyState
from gloamet.document.model import Document
from gloamet.sky.grading import CURVE_ELEVATIONS_DEG, grading_differences
from gloamet.translation.document_to_light import grade_from_document

HAND = (
    "tint",
    "tint_strength",
    "saturation",
    "warmth_mired",
    "horizon_stops",
    "aureole_stops",
    "aureole_deg",
)
CURVES = ("luminance_curve", "hue_curve")
BACKDROPS = (("sky", "sky"), ("colour", "colour"), ("gradient", "gradient"), ("none", "none"))


class SkyPage(StepPanel):
    """Colour, glows, curves by height; the backdrop."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Sky grading")
        self.reading = label("", "note", wrap=True)
        self.nature = action_button(
            "Reset to physical", "Reset everything on this page except the backdrop.", self._reset
        )
        self.add(pair(self.reading, self.nature))
        self.compare = CompareButton(session)
        self.add(pair(self.compare, label("")))
        acts = (("light", "Light and picture"), ("background", "Picture only"))
        self.add(SegmentedControl(session, "sky", "acts_on", acts))
        self.add_space(6)
        self.add(NumberRow(session, "sky", "warmth_mired", "Warmth", theme.SKY, from_zero=True))
        self.add(NumberRow(session, "sky", "saturation", "Saturation", theme.SKY))
        self.add(ColourField(session, "sky", "tint", "Tint"))
        self.add(NumberRow(session, "sky", "tint_strength", "Tint strength", theme.SKY))
        self.group("Glow")
        self.add(NumberRow(session, "sky", "horizon_stops", "At the horizon", theme.SKY, from_zero=True))
        self.add(NumberRow(session, "sky", "aureole_stops", "Aureole", theme.SUN, from_zero=True))
        self.add(NumberRow(session, "sky", "aureole_deg", "Aureole radius", theme.SUN, logarithmic=True))
        self.add(NumberRow(session, "sky", "disc_brightness", "Sun disc in the picture", theme.SUN))
        self.group("By elevation")
        self.curves = tuple(
            CurveEditor(session, "sky", name, text, CURVE_ELEVATIONS_DEG)
            for name, text in zip(CURVES, ("Luminance", "Hue"), strict=True)
        )
        for curve in self.curves:
            self.add(curve)
        self.group("Backdrop")
        self.add(SegmentedControl(session, "sky", "backdrop", BACKDROPS))
        self.colour = ColourField(session, "sky", "backdrop_colour", "Colour")
        self.above = ColourField(session, "sky", "backdrop_top_colour", "Top colour")
        self.note = label("", "note", wrap=True)
        for item in (self.colour, self.above, self.note):
            self.add(item)
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _reset(self) -> None:
        plain = SkyState()
        names = (*HAND, *CURVES, "disc_brightness", "acts_on")
        self.session.change("sky", None, **{name: getattr(plain, name) for name in names})

    def _on_document_changed(self, document: Document) -> None:
        sky = document.sky
        changed = grading_differences(grade_from_document(document))
        text = ", ".join(changed)
        self.reading.setText(f"{text[:1].upper()}{text[1:]}" if changed else "Physical sky")
        self.reading.setProperty("role", "warning" if changed else "note")
        self.reading.style().polish(self.reading)
        self.nature.setVisible(bool(changed))
        self.compare.setVisible(bool(changed))
        self.colour.setVisible(sky.backdrop in ("colour", "gradient"))
        self.above.setVisible(sky.backdrop == "gradient")
        none = "Saved as transparent in .png and .exr. Checkerboard means transparent."
        self.note.setText(none if sky.backdrop == "none" else "")
        self.note.setVisible(sky.backdrop == "none")
