"""Fill: three pages, from the balance of the lights to a panorama and the meter in the scene."""

from __future__ import annotations

from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.fill.balance import BalancePage
from gloamet.desk.steps.fill.meter import MeterPage
from gloamet.desk.steps.fill.panorama import PanoramaPage
from gloamet.desk.widgets.pages import Pages


class FillStep(Pages):
    """The pages."""

    def __init__(self, session: Session) -> None:
        self.balance, self.panorama, self.meter = (
            BalancePage(session),
            PanoramaPage(session),
            MeterPage(session),
        )
        super().__init__(
            (
                ("Balance", "Sun, sky, panorama and lamps against each other.", self.balance),
                ("Panorama", "A picture of light all round, as a second sky.", self.panorama),
                ("Meter", "Cards and spots in the scene, source by source.", self.meter),
            )
        )


def build(context: StepContext) -> FillStep:
    """The panel, for the window."""
    return FillStep(context.session)
