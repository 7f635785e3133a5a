# SPDX-License-Identifier: Apache-2.0
"""The list of real moments: pictures in their rows, and instruments that follow the preview."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from gloamet.desk.actions import sun_actions
from gloamet.desk.steps import FIRST_STEP
from gloamet.desk.steps.sun.moment_list import IMAGE, MOMENT, PICTURE, MomentList
from gloamet.desk.window import DeskWindow
from gloamet.document.targets import AimPin
from tests.desk.test_aim_controller import FLOOR, TOP


@pytest.fixture
def listed(window: DeskWindow, qtbot: QtBot) -> MomentList:
    """A pin, and the moments that fulfil it."""
    page = window.stack.panel(FIRST_STEP)
    page.show_page("Aim")
    window.choose_step(FIRST_STEP)
    with qtbot.waitSignal(window.aimer.answered, timeout=30_000):
        sun_actions.add_pin(window.session, AimPin(caster=tuple(TOP), receiver=tuple(FLOOR)))
    found: MomentList = page.aim.moments
    qtbot.waitUntil(lambda: found.count() > 0, timeout=20_000)
    return found


def test_the_row_under_the_pointer_keeps_a_small_picture_of_its_light(
    window: DeskWindow, listed: MomentList, qtbot: QtBot
) -> None:
    item = listed.item(0)
    assert item.data(IMAGE) is None
    listed.itemEntered.emit(item)
    qtbot.waitUntil(lambda: item.data(IMAGE) is not None, timeout=30_000)
    qtbot.wait(300)
    image, frame = item.data(IMAGE), window.session.results.frame
    assert frame is not None
    assert isinstance(image, QImage) and image.size() == PICTURE * listed.devicePixelRatioF()
    # of the light that is shown: the same mean colour as the middle of the picture
    small = np.array(
        [image.pixelColor(x, y).getRgb()[:3] for x in range(image.width()) for y in range(image.height())]
    )
    height, width = frame.pixels.shape[:2]
    wide = round(height * PICTURE.width() / PICTURE.height())
    left = max(0, (width - wide) // 2)
    whole = frame.pixels[:, left : left + wide, :3].reshape(-1, 3)
    assert np.allclose(small.mean(0), whole.mean(0), atol=6.0)
    window.aimer.show(None)


def test_the_instruments_show_the_sun_of_a_preview_and_return(
    window: DeskWindow, listed: MomentList, qtbot: QtBot
) -> None:
    column, moment = window.left, listed.item(0).data(MOMENT)
    real = f"{window.session.moment().elevation_deg:.1f}°"
    listed.preview(listed.item(0))
    shown = f"{moment.elevation_deg:.1f}°"
    qtbot.waitUntil(lambda: column.elevation_value.text() == shown, timeout=30_000)
    assert "preview" in column.elevation_note.text()
    window.aimer.show(None)
    qtbot.waitUntil(lambda: column.elevation_value.text() == real, timeout=30_000)
    assert "preview" not in column.elevation_note.text()


def test_a_click_goes_to_the_moment_and_ends_the_preview(
    window: DeskWindow, listed: MomentList, qtbot: QtBot
) -> None:
    moment = listed.item(0).data(MOMENT)
    listed.preview(listed.item(0))
    listed.itemClicked.emit(listed.item(0))
    sun = window.session.document.sun
    assert sun.mode == "almanac"
    assert abs((sun.wall_time - moment.when.replace(tzinfo=None)).total_seconds()) < 60.0
    assert not window.session.render.previewing
