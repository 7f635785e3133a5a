# SPDX-License-Identifier: Apache-2.0
"""Aerial perspective: visibility, strength and start of the fading of distant objects."""

from __future__ import annotations

from gloamet.desk.instruments.meter import visibility_text
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourField
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.desk.widgets.term_card import TermButton
from gloamet.document.model import Document


class DistancePage(StepPanel):
    """Own visibility, strength, beginning and tint, over what the air gives."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Aerial perspective", TermButton("aerial_perspective"))
        self.add(Switch(session, "air", "aerial_perspective", "Show aerial perspective"))
        self.reading = label("", "note", wrap=True)
        self.add(self.reading)
        self.group("Adjust")
        self.visibility = NumberRow(
            session, "air", "aerial_visibility_km", "Visibility in the picture", theme.SKY
        )
        self.dims = Switch(session, "air", "aerial_on_sky", "Fade sky and sun too")
        self.tint = ColourField(session, "air", "aerial_tint", "Tint")
        self.rows = (
            self.visibility,
            label("0 km = automatic: the visibility of the air", "note"),
            self.dims,
            NumberRow(session, "air", "aerial_strength", "Strength", theme.SKY),
            NumberRow(session, "air", "aerial_start_m", "Starts at", theme.SKY),
            self.tint,
            NumberRow(session, "air", "aerial_tint_strength", "Tint strength", theme.SKY),
        )
        for row in self.rows:
            self.add(row)
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        follow(self, session.results.light_solved, lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        air, light = document.air, self.session.results.light
        for row in self.rows:
            row.setEnabled(air.aerial_perspective)
        self.dims.setEnabled(air.aerial_perspective and air.aerial_visibility_km > 0.0)
        seen = visibility_text(light.visibility_km) if light is not None else ""
        self.reading.setText(
            f"Visibility {seen}: at this distance a black object keeps 2\u00a0% contrast." if seen else ""
        )
