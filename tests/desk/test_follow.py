# SPDX-License-Identifier: Apache-2.0
"""Widgets that follow a signal: at once while seen, once when shown again, at once in a window never shown."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QLabel, QStackedWidget
from pytestqt.qtbot import QtBot

from gloamet.desk.widgets.follow import follow


class Source(QObject):
    changed = Signal(object)


def stacked(qtbot: QtBot) -> tuple[QStackedWidget, Source, list[object]]:
    """A stack whose second page follows a source, and what that page was told."""
    stack, source, told = QStackedWidget(), Source(), list[object]()
    page = QLabel("second")
    stack.addWidget(QLabel("first"))
    stack.addWidget(page)
    qtbot.addWidget(stack)
    follow(page, source.changed, told.append)
    return stack, source, told


def test_a_hidden_page_is_told_the_last_value_once_it_is_shown(qtbot: QtBot) -> None:
    stack, source, told = stacked(qtbot)
    stack.show()
    for value in range(5):
        source.changed.emit(value)
    assert told == []
    stack.setCurrentIndex(1)
    assert told == [4]
    stack.setCurrentIndex(0)
    stack.setCurrentIndex(1)
    assert told == [4]


def test_a_page_that_is_seen_is_told_every_value(qtbot: QtBot) -> None:
    stack, source, told = stacked(qtbot)
    stack.setCurrentIndex(1)
    stack.show()
    for value in range(3):
        source.changed.emit(value)
    assert told == [0, 1, 2]


def test_in_a_window_that_was_never_shown_a_page_is_told_every_value(qtbot: QtBot) -> None:
    _stack, source, told = stacked(qtbot)
    source.changed.emit(1)
    assert told == [1]


def test_a_page_that_is_gone_is_told_nothing(qtbot: QtBot) -> None:
    stack, source, told = stacked(qtbot)
    stack.removeWidget(page := stack.widget(1))
    page.deleteLater()
    qtbot.wait(10)
    source.changed.emit(1)
    assert told == []
