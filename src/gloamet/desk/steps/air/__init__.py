# SPDX-License-Identifier: Apache-2.0
"""Air: four pages: atmosphere, sky adjustments, aerial perspective, light shafts."""

from __future__ import annotations

from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.air.aerial_perspective import DistancePage
from gloamet.desk.steps.air.atmosphere import AtmospherePage
from gloamet.desk.steps.air.light_shafts import ShaftsPage
from gloamet.desk.steps.air.sky import SkyPage
from gloamet.desk.widgets.pages import Pages


class AirStep(Pages):
    """The pages."""

    def __init__(self, session: Session) -> None:
        self.atmosphere, self.sky = AtmospherePage(session), SkyPage(session)
        self.distance, self.light_shafts = DistancePage(session), ShaftsPage(session)
        super().__init__(
            (
                ("Air", "Sky model, turbidity, particles, haze and ground.", self.atmosphere),
                ("Sky", "Grading of the sky, and the backdrop behind the scene.", self.sky),
                ("Distance", "Aerial perspective: how far things fade into the air.", self.distance),
                ("Light shafts", "Dust or mist in which sunlight becomes visible.", self.light_shafts),
            )
        )


def build(context: StepContext) -> AirStep:
    """The panel, for the window."""
    return AirStep(context.session)
