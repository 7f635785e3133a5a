"""Aerial perspective: how far things fade into the light of the air before them."""

from __future__ import annotations

from gloamet.desk.instruments.meter import visibility_text
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourField
from gloamet.desk.widgets.form import label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document


class DistancePage(StepPanel):
    """Own visibility, strength, beginning and tint, over what the air gives."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Distance")
        self.add(Switch(session, "air", "aerial_perspective", "Far things fade into the air"))
        self.reading = label("", "note", wrap=True)
        self.add(self.reading)
        self.group("By your hand")
        self.visibility = NumberRow(
            session, "air", "aerial_visibility_km", "Visibility in the picture", theme.SKY
        )
        self.dims = Switch(session, "air", "aerial_on_sky", "Sky and sun fade with it")
        self.tint = ColourField(session, "air", "aerial_tint", "Tint")
        self.rows = (
            self.visibility,
            label("0 km takes what the air itself gives", "note"),
            self.dims,
            NumberRow(session, "air", "aerial_strength", "Strength", theme.SKY),
            NumberRow(session, "air", "aerial_start_m", "Begins at", theme.SKY),
            self.tint,
            NumberRow(session, "air", "aerial_tint_strength", "Strength of the tint", theme.SKY),
        )
        for row in self.rows:
            self.add(row)
        self.finish()
        session.document_changed.connect(self._on_document_changed)
        session.light_solved.connect(lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        air, light = document.air, self.session.light
        for row in self.rows:
            row.setEnabled(air.aerial_perspective)
        self.dims.setEnabled(air.aerial_perspective and air.aerial_visibility_km > 0.0)
        seen = visibility_text(light.visibility_km) if light is not None else ""
        self.reading.setText(
            f"In this air one sees {seen}: a black hill there shows 2\u00a0% contrast." if seen else ""
        )
