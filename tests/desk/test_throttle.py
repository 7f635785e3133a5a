# SPDX-License-Identifier: Apache-2.0
"""Drawings beside the picture: at once, not too often, and never without the last word."""

from __future__ import annotations

from PySide6.QtCore import QObject
from pytestqt.qtbot import QtBot

from gloamet.desk.widgets.throttle import Throttle


def test_the_first_is_done_at_once_and_what_follows_once(qtbot: QtBot) -> None:
    parent, done, word = QObject(), [], [0]
    pace = Throttle(parent, 40, lambda: done.append(word[0]))
    for word[0] in range(5):
        pace.ask()
    assert done == [0]
    qtbot.waitUntil(lambda: done == [0, 4], timeout=2000)
    qtbot.wait(100)
    assert done == [0, 4]


def test_after_a_rest_it_is_done_at_once_again(qtbot: QtBot) -> None:
    parent, done = QObject(), []
    pace = Throttle(parent, 20, lambda: done.append(1))
    pace.ask()
    qtbot.wait(60)
    pace.ask()
    assert done == [1, 1]
