# SPDX-License-Identifier: Apache-2.0
"""Sun: four ways to place it: almanac, manual, aim, sequence."""

from __future__ import annotations

from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.sun.aim import AimPage
from gloamet.desk.steps.sun.almanac import AlmanacPage
from gloamet.desk.steps.sun.hand import HandPage
from gloamet.desk.steps.sun.sequence import SequencePage
from gloamet.desk.widgets.pages import Pages


class SunStep(Pages):
    """The pages of the Sun step."""

    def __init__(self, session: Session, aimer: AimController) -> None:
        self.almanac, self.hand = AlmanacPage(session, aimer), HandPage(session, aimer)
        self.aim, self.sequence = AimPage(session, aimer), SequencePage(session)
        super().__init__(
            (
                ("Almanac", "Place, date and time set the sun.", self.almanac),
                ("Manual", "Place the sun freely, or drive it from an object of the model.", self.hand),
                ("Aim", "Specify where a shadow, the sun or sunlight should be.", self.aim),
                ("Sequence", "A sequence of moments between two ends.", self.sequence),
            )
        )


def build(context: StepContext) -> SunStep:
    """The panel, for the window."""
    return SunStep(context.session, context.aimer)
