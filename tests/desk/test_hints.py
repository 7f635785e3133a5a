# SPDX-License-Identifier: Apache-2.0
"""Hints: one at a time, gone for ever once followed or dismissed."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QSettings
from pytestqt.qtbot import QtBot

from gloamet.desk.hints import HINTS, Hints
from gloamet.desk.window import DeskWindow


@pytest.fixture
def hints(window: DeskWindow, qtbot: QtBot) -> Hints:
    QSettings().remove("hints")
    card = Hints(window)
    window.show()
    window.session.change("expose", compensation=0.1)  # another picture comes
    qtbot.waitUntil(lambda: card.hint is not None, timeout=60_000)
    return card


def test_a_followed_hint_makes_room_for_the_next(hints: Hints, window: DeskWindow) -> None:
    assert hints.hint is not None and hints.hint.key == "sun" and hints.isVisible()
    window.session.change("air", turbidity=3.0)  # the third one, done before it was shown
    assert hints.hint.key == "sun"
    window.session.change("sun", mode="manual", azimuth_deg=90.0)
    assert hints.hint is not None and hints.hint.key == "camera"
    window.session.change("stage.view", fov_deg=33.0)
    assert hints.hint is not None and hints.hint.key == "finder"
    window.finder.open()
    assert hints.hint is not None and hints.hint.key == "keep"
    hints.dismiss()
    assert hints.hint is None and hints.isHidden()


def test_dismissed_hints_do_not_come_again(hints: Hints, window: DeskWindow) -> None:
    for _ in HINTS:
        hints.dismiss()
    again = Hints(window)
    again._show_next()
    assert again.hint is None and again.isHidden()


def test_another_project_follows_no_hint(hints: Hints, window: DeskWindow) -> None:
    window.session.store.mark_saved()
    window.show_demo("interior")
    assert hints.hint is not None and hints.hint.key == "sun"


def test_the_card_stays_inside_the_picture(hints: Hints, window: DeskWindow, qtbot: QtBot) -> None:
    window.resize(1024, 700)
    qtbot.wait(50)
    assert window.picture.rect().contains(hints.geometry())
