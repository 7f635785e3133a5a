# SPDX-License-Identifier: Apache-2.0
"""Light shafts: region, amount, and phase function of the medium."""

from __future__ import annotations

from functools import partial

from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourField
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, SegmentedControl, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.point import PointRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document

AMOUNTS = (("Faint", 120.0), ("Clear", 40.0), ("Thick", 12.0))  # metres one sees
PLACES = (("model", "model"), ("view", "camera view"), ("box", "box"))


def amount_word(visibility_m: float) -> str:
    """The word for an amount of dust, by the nearest of those offered.

    >>> amount_word(50.0)
    'Clear'
    """
    return min(AMOUNTS, key=lambda row: abs(row[1] - visibility_m) / row[1])[0]


class ShaftsPage(StepPanel):
    """Region, amount and phase function of the medium."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Participating medium")
        self.add(Switch(session, "light_shafts", "on", "Show light shafts"))
        self.add(
            label(
                "Single scattering of sun and sky; light on surfaces does not change. Shown when dragging stops.",
                "note",
                wrap=True,
            )
        )
        self.group("Amount")
        self.amount = NumberRow(
            session, "light_shafts", "visibility_m", "Visibility", theme.SUN, logarithmic=True
        )
        self.action_row = ActionRow(
            [(word, f"Visibility {metres:.0f} m.", partial(self._take, metres)) for word, metres in AMOUNTS]
        )
        for word in self.action_row.buttons:
            word.setCheckable(True)
        self.forward = NumberRow(
            session, "light_shafts", "anisotropy", "Anisotropy", theme.SUN, from_zero=True
        )
        self.colour = ColourField(session, "light_shafts", "colour", "Scattering colour")
        for row in (self.action_row, self.amount, self.forward, self.colour):
            self.add(row)
        self.group("Region")
        self.where = SegmentedControl(session, "light_shafts", "region", PLACES)
        self.low = PointRow(session, "light_shafts", "box_min", "Minimum corner")
        self.high = PointRow(session, "light_shafts", "box_max", "Maximum corner")
        for item in (self.where, self.low, self.high):
            self.add(item)
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _take(self, metres: float) -> None:
        self.session.change("light_shafts", on=True, visibility_m=metres)

    def _on_document_changed(self, document: Document) -> None:
        s = document.light_shafts
        for row in (self.amount, self.forward, self.colour, self.where, self.low, self.high):
            row.setEnabled(s.on)
        self.low.setVisible(s.region == "box")
        self.high.setVisible(s.region == "box")
        word = amount_word(s.visibility_m)
        for offered in self.action_row.buttons:
            offered.setChecked(s.on and offered.text() == word)
