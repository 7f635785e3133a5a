# SPDX-License-Identifier: Apache-2.0
"""The steps, in the artist's order. To add one, write its module with `build` and add a row here."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from gloamet.desk.aim.aim_controller import AimController
    from gloamet.desk.compare.compare_tools import CompareTools
    from gloamet.desk.state.session import Session


class StepContext(NamedTuple):
    """What a step may use: the session, the aim, the window's dialogs for a model and a picture (its layers), and what
    Compare works with."""

    session: Session
    aimer: AimController
    ask_open: Callable[[], None]
    ask_picture: Callable[[bool], None]
    compare: CompareTools


class Step(NamedTuple):
    """A step: its word in the bar, the module here whose `build` makes its panel, whether the sun's tools lie over the
    picture, and whether it works on the preliminary light of a first start, before the renderer is ready."""

    title: str
    module: str
    sun_tools: bool = False
    in_preliminary_light: bool = True


STEPS = (
    Step("Stage", "stage"),
    Step("Sun", "sun", sun_tools=True),
    Step("Air", "air"),
    Step("Fill", "fill"),
    Step("Expose", "expose"),
    Step("Compare", "compare", in_preliminary_light=False),
    Step("Output", "output", in_preliminary_light=False),
)
STEP_TITLES = tuple(step.title for step in STEPS)
FIRST_STEP = STEP_TITLES.index("Sun")
