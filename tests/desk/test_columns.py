# SPDX-License-Identifier: Apache-2.0
"""Columns beside the picture: pulled wider, kept for the next start, reset by a double click."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QPoint, QSettings
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gloamet.desk.widgets.columns import Columns
from gloamet.desk.window import LEFT as INSTRUMENTS
from gloamet.desk.window import RIGHT as PANELS
from gloamet.desk.window import DeskWindow
from tests.desk.test_window import LEFT, NONE


@pytest.fixture(autouse=True)
def forgotten() -> Iterator[None]:
    """Widths of one test are not those of the next."""
    keys = [f"column/{width.key}" for width in (INSTRUMENTS, PANELS)]
    for key in keys:
        QSettings().remove(key)
    yield
    for key in keys:
        QSettings().remove(key)


def pull(columns: Columns, index: int, by: int) -> None:
    """Drag a border sideways."""
    border = columns.handle(index)
    start = border.rect().center()
    QTest.mousePress(border, LEFT, NONE, start)
    QTest.mouseMove(border, start + QPoint(by, 0))  # the border follows, so that the pointer is over it again
    QTest.mouseRelease(border, LEFT, NONE, start)
    QApplication.processEvents()


def test_a_pulled_border_widens_its_column_and_the_picture_gives_the_room(window: DeskWindow) -> None:
    columns, picture = window.columns, window.picture.width()
    pull(columns, 2, -100)
    assert window.right.width() == PANELS.first + 100
    assert window.left.width() == INSTRUMENTS.first
    assert window.picture.width() == picture - 100
    window.resize(window.width() + 90, window.height())
    QApplication.processEvents()
    assert window.right.width() == PANELS.first + 100  # the picture takes what is free
    assert QSettings().value("column/panels") in (PANELS.first + 100, str(PANELS.first + 100))


def test_a_column_stops_at_its_ends_and_a_double_click_resets_it(window: DeskWindow, qtbot: QtBot) -> None:
    columns = window.columns
    window.resize(1280, 1000)
    QApplication.processEvents()
    pull(columns, 1, 600)
    assert window.left.width() == INSTRUMENTS.most
    assert window.left.disc.height() > 300  # the instruments grow with it
    pull(columns, 1, -900)
    assert window.left.width() == INSTRUMENTS.least
    QTest.mouseDClick(columns.handle(1), LEFT, NONE, columns.handle(1).rect().center())
    QApplication.processEvents()
    assert window.left.width() == INSTRUMENTS.first


def test_hidden_columns_return_with_their_widths(window: DeskWindow) -> None:
    pull(window.columns, 2, -60)
    window.show_columns(False)
    QApplication.processEvents()
    assert window.picture.width() >= window.width() - 20
    window.show_columns(True)
    QApplication.processEvents()
    assert window.right.width() == PANELS.first + 60


def test_a_width_that_cannot_be_read_is_the_first_one(window: DeskWindow) -> None:
    for kept, width in (
        ("wide", PANELS.first),
        ("-40", PANELS.first),
        ("9000", PANELS.most),
        ("1", PANELS.least),
    ):
        QSettings().setValue("column/panels", kept)
        assert Columns._kept(PANELS) == width


def test_both_columns_at_their_most_give_way_in_a_small_window_and_return(window: DeskWindow) -> None:
    window.resize(1600, 900)
    QApplication.processEvents()
    pull(window.columns, 1, 900)
    pull(window.columns, 2, -900)
    assert (window.left.width(), window.right.width()) == (INSTRUMENTS.most, PANELS.most)
    window.resize(1024, 700)
    for _ in range(3):
        QApplication.processEvents()
    assert (window.width(), window.height()) == (1024, 700)
    assert window.left.width() >= INSTRUMENTS.least and window.right.width() >= PANELS.least
    for button in window.strip.quality.pieces:
        assert button.width() >= button.fontMetrics().horizontalAdvance(button.text())
    window.resize(1600, 900)
    for _ in range(3):
        QApplication.processEvents()
    assert (window.left.width(), window.right.width()) == (INSTRUMENTS.most, PANELS.most)


def test_at_1024_by_700_nothing_is_cut_off(window: DeskWindow) -> None:
    window.resize(1024, 700)
    for _ in range(3):
        QApplication.processEvents()
    assert (window.width(), window.height()) == (1024, 700)
    assert window.right.width() >= PANELS.first  # for which the panels are drawn
    for button in window.strip.quality.pieces:
        assert button.width() >= button.fontMetrics().horizontalAdvance(button.text())
    column = window.left
    rows = [column.disc, column.probes, column.meter, column.checks]
    for above, below in zip(rows, rows[1:], strict=False):
        assert above.geometry().bottom() < below.geometry().top() + 1
    assert column.checks.geometry().bottom() <= column.height()
    assert column.checks.height() >= column.checks.head.sizeHint().height() + 10  # and a part of a warning
    assert column.disc.radius > 50.0  # a third less than in the window of 1280 x 800
    strip = window.strip
    strip.held.show()  # as when the exposure is held away from the meter
    strip._view_name = "A view with a long name"
    strip._fit_room()
    for _ in range(3):
        QApplication.processEvents()
    shown = [strip.view, strip.held, *strip.quality.pieces]
    assert all(b.width() >= b.fontMetrics().horizontalAdvance(b.text()) for b in shown)
    assert strip.minimumSizeHint().width() <= strip.width()  # nothing lies over anything else
