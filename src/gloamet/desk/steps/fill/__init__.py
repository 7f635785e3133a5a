# SPDX-License-Identifier: Apache-2.0
"""Fill: three pages: the balance of the lights, a panorama, and the meter in the scene."""

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
                ("Balance", "Balance of sun, sky, panorama and lamps.", self.balance),
                ("Panorama", "A lat-long panorama as a light.", self.panorama),
                ("Meter", "Incident cards and spot readings in the scene.", self.meter),
            )
        )


def build(context: StepContext) -> FillStep:
    """The panel, for the window."""
    return FillStep(context.session)
